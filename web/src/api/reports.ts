import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, data, type Schemas } from "./client";

export type Report = Schemas["ReportOut"];
export type ReportBlock = Schemas["ReportBlockOut"];

/** Of more passes it takes too long to say beforehand what their windows change. */
const MOST_TRIMMED = 60;
/** How often what others write is looked for. */
const LOOK_MS = 4_000;

/** The reports, newest first. */
export const useReports = (enabled = true) =>
  useQuery({ queryKey: ["reports"], enabled, queryFn: () => data(client.GET("/api/reports")) });

/** A report; what others write of it arrives block by block. */
export const useReport = (id: number) =>
  useQuery({
    queryKey: ["report", id],
    refetchInterval: LOOK_MS,
    queryFn: () => data(client.GET("/api/reports/{report_id}", { params: { path: { report_id: id } } })),
  });

/** What a block shows, as that stands now. */
export const useMaterial = (report: number, block: ReportBlock) =>
  useQuery({
    queryKey: ["report", report, "material", block.id, block.seen, block.changes],
    placeholderData: keepPreviousData,
    queryFn: () =>
      data(
        client.GET("/api/reports/{report_id}/blocks/{block_id}/material", {
          params: { path: { report_id: report, block_id: block.id } },
        }),
      ),
  });

/** Which numbers of which reports would be others were these passes rejected, or accepted. */
export const useWhatChanges = (
  study_id: number,
  passes: readonly number[],
  state: "accepted" | "rejected",
  enabled: boolean,
) =>
  useQuery({
    queryKey: ["study", study_id, "what-changes", state, passes],
    enabled: enabled && passes.length > 0,
    queryFn: () =>
      data(
        client.POST("/api/reports/what-changes/{study_id}", {
          params: { path: { study_id } },
          body: { pass_ids: [...passes], state },
        }),
      ),
  });

/** The same were the captures of passes seen through other windows, and accepted so. */
export const useWhatWindowsChange = (
  study_id: number,
  passes: readonly number[],
  windows: number[][],
  enabled: boolean,
) =>
  useQuery({
    queryKey: ["study", study_id, "what-changes", "windows", passes, windows],
    enabled: enabled && passes.length > 0 && passes.length <= MOST_TRIMMED,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      data(
        client.POST("/api/reports/what-changes/{study_id}/windows", {
          signal,
          params: { path: { study_id } },
          body: { pass_ids: [...passes], windows },
        }),
      ),
  });

/** The same were another method declared. */
export const useWhatMethodChanges = (study_id: number, method: Schemas["Method"], enabled: boolean) =>
  useQuery({
    queryKey: ["study", study_id, "what-changes", "method", method],
    enabled,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      data(
        client.POST("/api/reports/what-changes/{study_id}/method", {
          signal,
          params: { path: { study_id } },
          body: method,
        }),
      ),
  });

/** The same in every study were a part priced so. */
export const useWhatPriceChanges = (part_id: number, told: Schemas["PriceIn"], enabled: boolean) =>
  useQuery({
    queryKey: ["study", "what-changes", "price", part_id, told],
    enabled,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      data(
        client.POST("/api/reports/what-changes-by-price/{part_id}", {
          signal,
          params: { path: { part_id } },
          body: told,
        }),
      ),
  });

/** Numbers that prose may say, by words. */
export const useNumbers = (report: number, words: string) =>
  useQuery({
    queryKey: ["report", report, "numbers", words],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      data(
        client.GET("/api/reports/{report_id}/numbers", {
          signal,
          params: { path: { report_id: report }, query: { words } },
        }),
      ),
  });

/** An act on a report: the report as it is then takes the place of the one that was shown. */
export function useAct<V>(id: number, act: (told: V) => Promise<Report>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: act,
    // One after the other: two quick acts must not overtake each other on the way.
    scope: { id: `report ${id}` },
    onSuccess: async (report) => {
      // What was asked before the act was done must not arrive after it.
      await queries.cancelQueries({ queryKey: ["report", id], exact: true });
      queries.setQueryData(["report", id], report);
      queries.invalidateQueries({ queryKey: ["reports"] });
    },
  });
}

const at = (report_id: number) => ({ params: { path: { report_id } } });
const atBlock = (report_id: number, block_id: number) => ({ params: { path: { report_id, block_id } } });

/** What can be done about a report. */
export const acts = {
  begin: (study_id: number | null, title = "") =>
    data(client.POST("/api/reports", { body: { study_id, title } })),
  rename: (id: number, title: string, seen: string) =>
    data(client.PUT("/api/reports/{report_id}/title", { ...at(id), body: { title, seen } })),
  keep: (id: number, body: Schemas["KeepIn"]) =>
    data(client.POST("/api/reports/{report_id}/shelf", { ...at(id), body })),
  takeOff: (report_id: number, kept_id: number) =>
    data(
      client.DELETE("/api/reports/{report_id}/shelf/{kept_id}", { params: { path: { report_id, kept_id } } }),
    ),
  add: (id: number, body: Schemas["AddIn"]) =>
    data(client.POST("/api/reports/{report_id}/blocks", { ...at(id), body })),
  save: (id: number, block: number, body: Schemas["BlockEdit"]) =>
    data(client.PUT("/api/reports/{report_id}/blocks/{block_id}", { ...atBlock(id, block), body })),
  move: (id: number, block: number, after: number | null) =>
    data(
      client.PUT("/api/reports/{report_id}/blocks/{block_id}/place", {
        ...atBlock(id, block),
        body: { after },
      }),
    ),
  remove: (id: number, block: number, seen: string) =>
    data(
      client.DELETE("/api/reports/{report_id}/blocks/{block_id}", {
        params: { path: { report_id: id, block_id: block }, query: { seen } },
      }),
    ),
  takeOver: (id: number, body: Schemas["TakeOverIn"]) =>
    data(client.POST("/api/reports/{report_id}/take-over", { ...at(id), body })),
  settle: (id: number, body: Schemas["PointIn"]) =>
    data(client.PUT("/api/reports/{report_id}/settled", { ...at(id), body })),
  askCheck: (id: number) => data(client.POST("/api/reports/{report_id}/ask-check", at(id))),
  sign: (report_id: number, seen: string) =>
    data(client.POST("/api/reports/{report_id}/sign", { params: { path: { report_id }, query: { seen } } })),
  publish: (id: number, body: Schemas["PublishIn"]) =>
    data(client.POST("/api/reports/{report_id}/publish", { ...at(id), body })),
  withdraw: (id: number, why: string) =>
    data(client.POST("/api/reports/{report_id}/withdraw", { ...at(id), body: { why } })),
};
