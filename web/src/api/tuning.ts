import { type QueryClient, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { newId } from "../model/ids";
import { client, data, type Schemas, upload } from "./client";

export type Log = Schemas["LogOut"];
export type Step = Log["steps"][number];
export type Matrix = Schemas["MatrixOut"];
export type FitPlace = Matrix["places"][number];

export const useLogs = () =>
  useQuery({ queryKey: ["tuning"], queryFn: () => data(client.GET("/api/tuning")) });

export const useLog = (id: number) =>
  useQuery({
    queryKey: ["tuning", id],
    // While it is worked on at a test machine, captures come by themselves.
    refetchInterval: ({ state }) => (state.data?.machine_id != null ? 2_000 : false),
    queryFn: () => data(client.GET("/api/tuning/{log_id}", { params: { path: { log_id: id } } })),
  });

/** Setups that failed stability somewhere: those of a study, or all. */
export const useFailedSetups = (study_id?: number) =>
  useQuery({
    queryKey: ["tuning", "marks", study_id ?? 0],
    queryFn: () =>
      data(
        client.GET("/api/tuning/marks", { params: { query: study_id === undefined ? {} : { study_id } } }),
      ),
  });

/** Setups that were steps of tuning logs. */
export const useOrigins = () =>
  useQuery({ queryKey: ["tuning", "origins"], queryFn: () => data(client.GET("/api/tuning/origins")) });

export const useMatrices = () =>
  useQuery({ queryKey: ["fits"], queryFn: () => data(client.GET("/api/fits")) });

export const useMatrix = (id: number) =>
  useQuery({
    queryKey: ["fits", id],
    queryFn: () => data(client.GET("/api/fits/{matrix_id}", { params: { path: { matrix_id: id } } })),
  });

export const useSums = () =>
  useQuery({
    queryKey: ["sums"],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => data(client.GET("/api/sums")),
  });

async function heldAs(queries: QueryClient, key: string, found: { id: number }) {
  queries.setQueryData([key, found.id], found);
  await queries.invalidateQueries({ queryKey: [key], exact: true });
  for (const told of ["marks", "origins"]) await queries.invalidateQueries({ queryKey: [key, told] });
}

/** Does something to a log; what comes back is shown at once. */
export function useLogAct<Input>(act: (input: Input) => Promise<Log>) {
  const queries = useQueryClient();
  return useMutation({ mutationFn: act, onSuccess: (found) => heldAs(queries, "tuning", found) });
}

/** Does something to a fit matrix. */
export function useFitAct<Input>(act: (input: Input) => Promise<Matrix>) {
  const queries = useQueryClient();
  return useMutation({ mutationFn: act, onSuccess: (found) => heldAs(queries, "fits", found) });
}

const at = (log_id: number) => ({ params: { path: { log_id } } });
const of = (step_id: number) => ({ params: { path: { step_id } } });

/** What can be done to a log. What is noted has an id of its own, so that sent twice it is noted once. */
export const logActs = {
  begin: (body: Schemas["LogIn"]) => data(client.POST("/api/tuning", { body })),
  edit: (log: number, body: Schemas["LogEdit"]) =>
    data(client.PUT("/api/tuning/{log_id}", { ...at(log), body })),
  backedUp: (log: number) => data(client.POST("/api/tuning/{log_id}/backed-up", at(log))),
  atMachine: (log: number, machine_id: number | null) =>
    data(client.PUT("/api/tuning/{log_id}/machine", { ...at(log), body: { machine_id } })),
  take: (log: number, body: Omit<Schemas["TunedStepIn"], "client_id">) =>
    data(client.POST("/api/tuning/{log_id}/steps", { ...at(log), body: { client_id: newId(), ...body } })),
  study: (log: number, body: Schemas["BeforeAfterIn"]) =>
    data(client.POST("/api/tuning/{log_id}/study", { ...at(log), body })),
  readBack: (step: number, read_back: Record<string, number>) =>
    data(client.PUT("/api/tuning/steps/{step_id}/read-back", { ...of(step), body: { read_back } })),
  conclude: (step: number, conclusion: string) =>
    data(client.PUT("/api/tuning/steps/{step_id}/conclusion", { ...of(step), body: { conclusion } })),
  run: (step: number, body: Omit<Schemas["StabilityIn"], "client_id">) =>
    data(
      client.POST("/api/tuning/steps/{step_id}/runs", { ...of(step), body: { client_id: newId(), ...body } }),
    ),
  quick: (step: number, body: Omit<Schemas["QuickIn"], "client_id">) =>
    data(
      client.POST("/api/tuning/steps/{step_id}/passes", {
        ...of(step),
        body: { client_id: newId(), ...body },
      }),
    ),
  capture: (step: number, file: File) =>
    upload(`/api/tuning/steps/${step}/captures`, file, () => undefined) as Promise<Log>,
  simulate: (step: number) => data(client.POST("/api/tuning/steps/{step_id}/simulated", of(step))),
  setup: (step: number) => data(client.POST("/api/tuning/steps/{step_id}/setup", of(step))),
  strikeRun: (run_id: number, why: string) =>
    data(client.PUT("/api/tuning/runs/{run_id}/struck", { params: { path: { run_id } }, body: { why } })),
  strikePass: (quick_id: number, why: string) =>
    data(
      client.PUT("/api/tuning/passes/{quick_id}/struck", { params: { path: { quick_id } }, body: { why } }),
    ),
};

const inMatrix = (matrix_id: number) => ({ params: { path: { matrix_id } } });

/** What can be done to a fit matrix. */
export const fitActs = {
  layOut: (body: Schemas["MatrixIn"]) => data(client.POST("/api/fits", { body })),
  edit: (matrix: number, body: Schemas["MatrixEdit"]) =>
    data(client.PUT("/api/fits/{matrix_id}", { ...inMatrix(matrix), body })),
  attempt: (matrix: number, body: Omit<Schemas["AttemptIn"], "client_id">) =>
    data(
      client.POST("/api/fits/{matrix_id}/attempts", {
        ...inMatrix(matrix),
        body: { client_id: newId(), ...body },
      }),
    ),
  photograph: (attempt: number, file: File, words: string) =>
    upload(`/api/fits/attempts/${attempt}/photographs`, file, () => undefined, { words }) as Promise<Matrix>,
  strike: (attempt_id: number, why: string) =>
    data(
      client.PUT("/api/fits/attempts/{attempt_id}/struck", {
        params: { path: { attempt_id } },
        body: { why },
      }),
    ),
  setup: (matrix: number, body: Schemas["FitPlaceIn"]) =>
    data(client.POST("/api/fits/{matrix_id}/setups", { ...inMatrix(matrix), body })),
};
