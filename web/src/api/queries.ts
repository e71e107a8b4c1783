import {
  type InfiniteData,
  type QueryClient,
  useInfiniteQuery,
  useMutation,
  useQuery,
  useQueryClient,
} from "@tanstack/react-query";
import { client, data, keepToken, type Schemas } from "./client";
import { keepWords } from "./words";

/** As many studies as the server gives at once. */
const STUDIES_A_PAGE = 30;

/** Who is signed in; an empty name is nobody. */
export function useSession() {
  return useQuery({
    queryKey: ["session"],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => {
      const session = await data(client.GET("/api/session"));
      keepToken(session.csrf_token);
      return session;
    },
  });
}

export type Role = "viewer" | "tester" | "lead";

const ORDER: Role[] = ["viewer", "tester", "lead"];

/** May the person signed in do what needs this role? The server decides; this only hides what it would refuse. */
export function useMay(role: Role): boolean {
  const { data: session } = useSession();
  return ORDER.indexOf(session?.role as Role) >= ORDER.indexOf(role);
}

/** What the server calls things, asked for once. */
export const useWords = (enabled: boolean) =>
  useQuery({
    queryKey: ["words"],
    enabled,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => {
      const found = await data(client.GET("/api/words"));
      keepWords(found);
      return found;
    },
  });

/** Studies a page at a time, newest first, those that hold the words. */
export const useStudies = (words: string, archived = false) =>
  useInfiniteQuery({
    queryKey: ["studies", words, archived],
    initialPageParam: null as number | null,
    placeholderData: (previous: InfiniteData<Schemas["StudySummary"][], number | null> | undefined) =>
      previous,
    queryFn: ({ pageParam, signal }) =>
      data(
        client.GET("/api/studies", {
          signal,
          params: { query: { words, archived, ...(pageParam ? { before: pageParam } : {}) } },
        }),
      ),
    getNextPageParam: (last) => (last.length >= STUDIES_A_PAGE ? (last.at(-1)?.id ?? null) : null),
  });

/** What the worker still has to do; asked again while it has something. */
export const useWork = () =>
  useQuery({
    queryKey: ["work"],
    queryFn: () => data(client.GET("/api/work")),
    refetchInterval: (query) => (query.state.data?.some((one) => one.left) ? 2_000 : false),
  });

/** Whose Rennbahn this is, and the demo beside it; with `waits` it is asked for until that runs, which takes a minute. */
export const useHouse = (waits = false) =>
  useQuery({
    queryKey: ["house"],
    queryFn: () => data(client.GET("/api/house")),
    refetchInterval: ({ state }) => (waits && !state.data?.demo.address ? 1500 : false),
  });

/** Whether the worker lives: asked for now and then where it would be missed. */
export const useHealth = () =>
  useQuery({
    queryKey: ["health"],
    queryFn: () => data(client.GET("/api/health")),
    refetchInterval: 30_000,
  });

export const useStudy = (id: number) =>
  useQuery({
    queryKey: ["study", id],
    queryFn: () => data(client.GET("/api/studies/{study_id}", { params: { path: { study_id: id } } })),
  });

export const usePasses = (id: number) =>
  useQuery({
    queryKey: ["study", id, "passes"],
    refetchInterval: (query) => (query.state.data?.some((one) => one.stale) ? 2_000 : false),
    queryFn: () => data(client.GET("/api/studies/{study_id}/passes", { params: { path: { study_id: id } } })),
  });

export const useFiles = (id: number, state: "waiting" | "set_aside" = "waiting") =>
  useQuery({
    queryKey: ["study", id, "files", state],
    queryFn: () =>
      data(
        client.GET("/api/studies/{study_id}/files", { params: { path: { study_id: id }, query: { state } } }),
      ),
  });

/** What findings look at: lanes and group, each the study's own choice where it is not said. */
export interface Looking {
  baseline?: number;
  other?: number;
  group?: string;
  /** An older study whose lanes stand beside the study's own. */
  joined?: number;
}

export const useFindings = (id: number, looking: Looking) =>
  useQuery({
    queryKey: ["study", id, "findings", looking],
    placeholderData: (previous: Schemas["FindingsOut"] | undefined) => previous,
    // Figures that are being made anew come by themselves.
    refetchInterval: (query) => (query.state.data?.stale ? 2_000 : false),
    queryFn: () =>
      data(
        client.GET("/api/studies/{study_id}/findings", {
          params: {
            path: { study_id: id },
            query: { ...looking },
          },
        }),
      ),
  });

/** Which tests a wanted rate parts two lanes in; the study's own rate without one. */
export const useCrossing = (id: number, looking: Looking, target: string, asked = true) =>
  useQuery({
    queryKey: ["study", id, "crossing", looking, target],
    enabled: asked,
    queryFn: () =>
      data(
        client.GET("/api/studies/{study_id}/findings/crossing", {
          params: {
            path: { study_id: id },
            query: { ...looking, ...(target ? { target: Number(target) } : {}) },
          },
        }),
      ),
  });

/** The answer of a study's own kind; `targets` are wanted rates, `joined` an older study whose lanes stand in it. */
export const useKindAnswer = (id: number, targets: string, joined: string, asked: boolean) =>
  useQuery({
    queryKey: ["study", id, "answer", targets, joined],
    enabled: asked,
    placeholderData: (previous: Schemas["AnswerOut"] | undefined) => previous,
    queryFn: () =>
      data(
        client.GET("/api/studies/{study_id}/answer", {
          params: {
            path: { study_id: id },
            query: { ...(targets ? { targets } : {}), ...(Number(joined) ? { joined: Number(joined) } : {}) },
          },
        }),
      ),
  });

export const useAudit = (id: number) =>
  useQuery({
    queryKey: ["study", id, "audit"],
    queryFn: () => data(client.GET("/api/studies/{study_id}/audit", { params: { path: { study_id: id } } })),
  });

export const useTraces = (id: number, test: number) =>
  useQuery({
    queryKey: ["study", id, "traces", test],
    // Frames are fetched apart and kept by what they were made by; this is only their list.
    queryFn: () =>
      data(
        client.GET("/api/studies/{study_id}/tests/{test_id}/traces", {
          params: { path: { study_id: id, test_id: test } },
        }),
      ),
  });

/** Every figure of a pass; those that were stale are asked for again once they are not. */
export const usePassDetail = (one: Schemas["PassOut"]) =>
  useQuery({
    queryKey: ["pass", one.id, one.stale],
    // What was asked for just before the figures were made anew is old, however young.
    staleTime: 0,
    enabled: one.state !== "planned",
    queryFn: () => data(client.GET("/api/passes/{pass_id}", { params: { path: { pass_id: one.id } } })),
  });

export const useSetups = () =>
  useQuery({ queryKey: ["setups"], queryFn: () => data(client.GET("/api/setups")) });

export const useParts = () =>
  useQuery({ queryKey: ["parts"], queryFn: () => data(client.GET("/api/parts")) });

/** Test machines that send their captures by themselves. */
export const useMachines = () =>
  useQuery({ queryKey: ["machines"], queryFn: () => data(client.GET("/api/machines")) });

export const usePartKinds = () =>
  useQuery({
    queryKey: ["part-kinds"],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => data(client.GET("/api/part-kinds")),
  });

export const useScenes = () =>
  useQuery({ queryKey: ["scenes"], queryFn: () => data(client.GET("/api/scenes")) });

export const useSceneKinds = () =>
  useQuery({
    queryKey: ["scene-kinds"],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => data(client.GET("/api/scene-kinds")),
  });

export const useGames = () =>
  useQuery({ queryKey: ["games"], queryFn: () => data(client.GET("/api/games")) });

export const useSceneNoise = () =>
  useQuery({ queryKey: ["scene-noise"], queryFn: () => data(client.GET("/api/scene-noise")) });

/** What all passes taught about repeating. */
export const useNoiseBook = () =>
  useQuery({ queryKey: ["noise-book"], queryFn: () => data(client.GET("/api/noise-book")) });

export const useRigs = () => useQuery({ queryKey: ["rigs"], queryFn: () => data(client.GET("/api/rigs")) });

export const useSetupVersion = (id: number) =>
  useQuery({
    queryKey: ["setup-version", id],
    queryFn: () =>
      data(client.GET("/api/setup-versions/{version_id}", { params: { path: { version_id: id } } })),
  });

export const useTicks = (version: number) =>
  useQuery({
    queryKey: ["setup-version", version, "ticks"],
    queryFn: () =>
      data(
        client.GET("/api/setup-versions/{version_id}/ticks", { params: { path: { version_id: version } } }),
      ),
  });

export const usePlan = (id: number) =>
  useQuery({
    queryKey: ["study", id, "plan"],
    queryFn: () => data(client.GET("/api/studies/{study_id}/plan", { params: { path: { study_id: id } } })),
  });

/** What changes really took at the bench. */
export const useLearnedCosts = () =>
  useQuery({ queryKey: ["learned-costs"], queryFn: () => data(client.GET("/api/learned-costs")) });

export const useOutlooks = () =>
  useQuery({ queryKey: ["outlooks"], queryFn: () => data(client.GET("/api/outlooks")) });

/** What holds the rate, and what a resolution that was not run would show. */
export const useLimits = (id: number, looking: Looking, resolution: string) =>
  useQuery({
    queryKey: ["study", id, "limits", looking, resolution],
    placeholderData: (previous: Schemas["HeldOut"] | undefined) => previous,
    queryFn: () =>
      data(
        client.GET("/api/studies/{study_id}/limits", {
          params: { path: { study_id: id }, query: { ...looking, ...(resolution ? { resolution } : {}) } },
        }),
      ),
  });

/** The findings in parts: sets of games, what changes from group to group, what each test weighs. */
export const useFindingParts = (id: number, looking: Looking) =>
  useQuery({
    queryKey: ["study", id, "findings", "parts", looking],
    placeholderData: (previous: Schemas["PartsOut"] | undefined) => previous,
    queryFn: () =>
      data(
        client.GET("/api/studies/{study_id}/findings/parts", {
          params: { path: { study_id: id }, query: { ...looking } },
        }),
      ),
  });

/** Whom the magazine writes for. */
export const useReaders = () =>
  useQuery({ queryKey: ["readers"], queryFn: () => data(client.GET("/api/readers")) });

/** What a study is to one of them; nothing is asked while nobody is chosen. */
export const useForReader = (id: number, reader: number | undefined, looking: Looking) =>
  useQuery({
    queryKey: ["study", id, "for", reader, looking],
    enabled: reader !== undefined,
    placeholderData: (previous: Schemas["ForReaderOut"] | undefined) => previous,
    queryFn: () =>
      data(
        client.GET("/api/studies/{study_id}/for-reader/{reader_id}", {
          params: { path: { study_id: id, reader_id: reader ?? 0 }, query: { ...looking } },
        }),
      ),
  });

/** What a study on paper comes to; asked anew as it grows, the last answer staying meanwhile. */
export const useSketch = (sketch: Schemas["SketchIn"], enabled: boolean) =>
  useQuery({
    queryKey: ["sketch", sketch],
    enabled,
    placeholderData: (previous: Schemas["SketchOut"] | undefined) => previous,
    queryFn: ({ signal }: { signal: AbortSignal }) =>
      data(client.POST("/api/sketch", { body: sketch, signal })),
  });

export const useConditions = () =>
  useQuery({ queryKey: ["conditions"], queryFn: () => data(client.GET("/api/conditions")) });

/** A change to a study: everything shown of it, and the desk, is asked for anew. */
export function useStudyChange<Input, Output>(id: number, change: (input: Input) => Promise<Output>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: change,
    // One after the other: two quick edits must not overtake each other on the way.
    scope: { id: `study ${id}` },
    onSettled: () => refreshStudy(queries, id),
  });
}

/** What a plan rests on. Without `seen` it is a change of the plan on screen. */
export type PlanBody = Omit<Schemas["PlanEdit"], "seen"> & { seen?: string };

/** Keep what a plan rests on; the answer lays it out anew. */
export function useSavePlan(id: number) {
  const seenPlan = useSeenPlan(id);
  return useStudyChange(id, (body: PlanBody) =>
    data(
      client.PUT("/api/studies/{study_id}/plan", {
        params: { path: { study_id: id } },
        body: { ...body, seen: body.seen ?? seenPlan() },
      }),
    ),
  );
}

/** The mark of the plan on screen, asked for when a change is sent: the one before it may just have been answered. */
export function useSeenPlan(id: number): () => string {
  const queries = useQueryClient();
  return () => queries.getQueryData<Schemas["PlanOut"]>(["study", id, "plan"])?.seen ?? "";
}

/** Accept a difference between lanes, with its reason. */
export function useAcceptDifference(id: number) {
  return useStudyChange(id, (body: Schemas["AcceptIn"]) =>
    data(client.POST("/api/studies/{study_id}/acceptances", { params: { path: { study_id: id } }, body })),
  );
}

export function refreshStudy(queries: QueryClient, id: number): Promise<unknown> {
  return Promise.all([
    queries.invalidateQueries({ queryKey: ["study", id] }),
    queries.invalidateQueries({ queryKey: ["studies"] }),
    queries.invalidateQueries({ queryKey: ["outlooks"] }),
    queries.invalidateQueries({ queryKey: ["work"] }),
    queries.invalidateQueries({ queryKey: ["pass"] }),
  ]);
}
