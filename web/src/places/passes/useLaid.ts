import { useQueries } from "@tanstack/react-query";
import { useMemo } from "react";
import { layersQuery, useAgreement } from "../../api/doubts";
import { useTraces } from "../../api/queries";
import type { Study } from "../../model/study";
import { evidenceOf, goesBySiblings, offsetsOf, overEachOther } from "./alignment";
import type { Pass, PassDoubt } from "./matrix";
import { drawnTraces, type TraceView } from "./traceView";

/** The traces of a test laid over each other as the view says, with what is known of each and what its checks go by. */
export function useLaid(
  study: Study,
  test: number,
  chosen: Pass | undefined,
  doubts: readonly PassDoubt[],
  view: TraceView,
) {
  const { data: found, error } = useTraces(study.id, test);
  const ids = useMemo(
    () => overEachOther(found?.traces ?? [], chosen, view.over).map((one) => one.pass_id),
    [found, chosen, view.over],
  );
  const focus = chosen && ids.includes(chosen.id) ? chosen.id : null;
  const { data: agreement } = useAgreement(
    study.id,
    test,
    focus ?? ids[0] ?? null,
    ids,
    view.align === "best",
  );
  const all = useMemo(() => {
    const best = new Map((agreement ?? []).map((one) => [one.pass_id, one.offset_s]));
    const offsets = offsetsOf(ids, focus, view.align, view.marks, best);
    return drawnTraces(found?.traces ?? [], study.lanes_full, offsets);
  }, [found, study.lanes_full, ids, focus, view.align, view.marks, agreement]);
  const traces = useMemo(() => ids.flatMap((id) => all.filter((one) => one.key === id)), [all, ids]);
  // Of the others layers are asked for only where something of them is drawn.
  const siblings = goesBySiblings(doubts);
  const layers = useQueries({
    queries: traces.map((trace) => ({
      ...layersQuery(trace),
      enabled:
        trace.key === focus || view.channels.length > 0 || (siblings && trace.laneId === chosen?.lane_id),
    })),
  });
  const laid = traces.map((trace, i) => ({ trace, layers: layers[i]?.data }));
  const evidence = useMemo(
    () =>
      evidenceOf(
        doubts,
        chosen?.windows ?? [],
        laid.filter(
          ({ trace }) => trace.laneId === chosen?.lane_id && trace.key !== chosen.id && !trace.dashed,
        ),
      ),
    [doubts, chosen, laid],
  );
  return { found, error, all, traces, laid, focus, evidence, agreement };
}
