import { useQuery } from "@tanstack/react-query";
import type { Trace } from "../model/frames";
import { client, data, type Schemas } from "./client";
import { useStudyChange } from "./queries";

/**
 * All that is doubted in a study, how it was settled, and the decision that can be taken back. `measuring` says that
 * captures are being measured again: what is doubted is asked for anew when they are through.
 */
export const useDoubts = (study: number, measuring: boolean) =>
  useQuery({
    queryKey: ["study", study, "doubts", measuring],
    placeholderData: (previous: Schemas["DoubtsOut"] | undefined) => previous,
    // What shows only over the whole study comes some seconds later, by itself.
    refetchInterval: (query) => (query.state.data?.checking ? 2_000 : false),
    queryFn: () =>
      data(client.GET("/api/studies/{study_id}/doubts", { params: { path: { study_id: study } } })),
  });

/** How the findings would move were these passes rejected, or accepted; asked for while it is to be confirmed. */
export const useWhatIf = (
  study: number,
  passes: readonly number[],
  state: "accepted" | "rejected",
  enabled: boolean,
) =>
  useQuery({
    queryKey: ["study", study, "what-if", state, passes],
    enabled: enabled && passes.length > 0,
    queryFn: () =>
      data(
        client.POST("/api/studies/{study_id}/findings/what-if", {
          params: { path: { study_id: study } },
          body: { pass_ids: [...passes], state },
        }),
      ),
  });

/** What stands beside the findings: rejections by lane, odd passes that are real, sessions that ran shifted. */
export const useBeside = (
  study: number,
  looking: { baseline?: number; other?: number; group?: string } = {},
  enabled = true,
) =>
  useQuery({
    enabled,
    queryKey: ["study", study, "beside", looking],
    queryFn: () =>
      data(
        client.GET("/api/studies/{study_id}/findings/beside", {
          params: { path: { study_id: study }, query: looking },
        }),
      ),
  });

/** What lies over a trace; kept for good by what it was made by. */
export const layersQuery = (trace: Trace) => ({
  queryKey: ["layers", trace.capture, trace.basis],
  staleTime: Number.POSITIVE_INFINITY,
  queryFn: () => data(client.GET("/api/captures/{capture_id}/layers", looked(trace))),
});

/** The shape of a capture; kept for good by what it was made by. */
export const shapeQuery = (trace: Trace) => ({
  queryKey: ["shape", trace.capture, trace.basis],
  staleTime: Number.POSITIVE_INFINITY,
  queryFn: () => data(client.GET("/api/captures/{capture_id}/shape", looked(trace))),
});

const looked = (trace: Trace) => ({
  params: { path: { capture_id: trace.capture }, query: { key: trace.basis } },
});

/** By how much traces are moved to agree best with one of them. */
export const useAgreement = (
  study: number,
  test: number,
  to: number | null,
  passes: number[],
  enabled: boolean,
) =>
  useQuery({
    queryKey: ["agreement", study, test, to, passes],
    enabled: enabled && to !== null && passes.length > 0,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () =>
      data(
        client.GET("/api/studies/{study_id}/tests/{test_id}/agreement", {
          params: { path: { study_id: study, test_id: test }, query: { to: to ?? 0, passes } },
        }),
      ),
  });

/** What one can do about passes; each leaves its line in the record, and decisions can be taken back as one. */
export function useDeciding(study: number) {
  const path = { path: { study_id: study } };
  return {
    decide: useStudyChange(study, (body: Schemas["PassesChange"]) =>
      data(client.PUT("/api/studies/{study_id}/passes/state", { params: path, body })),
    ),
    accept: useStudyChange(study, (ids: number[] | null) =>
      data(client.POST("/api/studies/{study_id}/passes/accept", { params: path, body: { pass_ids: ids } })),
    ),
    repeat: useStudyChange(study, (ids: number[]) =>
      data(client.POST("/api/studies/{study_id}/passes/repeat", { params: path, body: { pass_ids: ids } })),
    ),
    undo: useStudyChange(study, (decision: number) =>
      data(
        client.POST("/api/studies/{study_id}/decisions/{decision_id}/undo", {
          params: { path: { study_id: study, decision_id: decision } },
        }),
      ),
    ),
    settle: useStudyChange(study, ({ pass, body }: { pass: number; body: Schemas["SettleIn"] }) =>
      data(client.POST("/api/passes/{pass_id}/settle", { params: { path: { pass_id: pass } }, body })),
    ),
    settleWide: useStudyChange(study, (body: Schemas["SettleWideIn"]) =>
      data(client.POST("/api/studies/{study_id}/doubts/settle", { params: path, body })),
    ),
  };
}
