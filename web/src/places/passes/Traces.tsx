import { useQueries } from "@tanstack/react-query";
import { type RefObject, useMemo, useState } from "react";
import { Link } from "react-router";
import { layersQuery, useAgreement } from "../../api/doubts";
import { useTraces } from "../../api/queries";
import { type Stretch, TraceChart, type TraceChartProps } from "../../charts/TraceChart";
import { LAYERS, type LayerName } from "../../charts/TraceOverlay";
import { Button } from "../../controls/Button";
import { Choice } from "../../controls/Choice";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { Toggles } from "../../controls/Toggles";
import { useAddress } from "../../controls/useAddress";
import { fixed } from "../../format";
import type { Study } from "../../model/study";
import {
  type Align,
  evidenceOf,
  goesBySiblings,
  MOST_TRACES,
  marksOf,
  marksText,
  type Over,
  offsetsOf,
  overEachOther,
} from "./alignment";
import { LaneStrip } from "./LaneStrip";
import type { Pass, PassDoubt } from "./matrix";
import { Replay } from "./Replay";
import { channelWords, SampleTracks } from "./SampleTracks";
import { Shape, type ShapeView } from "./Shape";
import { useZoom } from "./useZoom";

/** The chart with what is looked at: a pan draws the chart anew, and nothing around it. */
function ZoomedChart({
  looking,
  ...chart
}: { looking: RefObject<Stretch | null> } & Omit<TraceChartProps, "zoom" | "setZoom">) {
  const [zoom, setZoom] = useZoom();
  looking.current = zoom;
  return <TraceChart {...chart} zoom={zoom} setZoom={setZoom} />;
}

const LAYER_WORDS: Record<LayerName, string> = {
  stutters: "Stutters",
  heartbeat: "Heartbeat",
  cap: "Cap",
  pauses: "Pauses",
  "low 1%": "Frames behind the 1% low",
  "low 0.1%": "Behind the 0.1% low",
};

/** The traces of a test: its passes over each other, what was sampled beside them, their shape, the other lanes. */
export function Traces({
  study,
  test,
  passes,
  chosen,
  doubts,
  looking,
  trim,
  choose,
}: {
  study: Study;
  test: number;
  passes: readonly Pass[];
  chosen: Pass | undefined;
  /** What stands about the chosen pass. */
  doubts: readonly PassDoubt[];
  /** Keeps what is looked at, for whoever asks when something is pressed. */
  looking: RefObject<Stretch | null>;
  /** Say which stretch of the chosen pass counts; without one the chart only looks. */
  trim: ((stretch: Stretch) => void) | undefined;
  choose: (pass: number) => void;
}) {
  const { data: found, error } = useTraces(study.id, test);
  const [search, set] = useAddress();
  const [drags, setDrags] = useState<"zoom" | "trim">("zoom");
  const [replay, setReplay] = useState(false);
  const over: Over = search.get("over") === "all" ? "all" : "lane";
  const align: Align = (["mark", "best"] as const).find((one) => one === search.get("align")) ?? "start";
  const view: ShapeView =
    (["histogram", "steps", "clouds"] as const).find((one) => one === search.get("shape")) ?? "curve";
  const marks = useMemo(() => marksOf(search.get("marks")), [search]);
  const shown = useMemo(
    () => new Set((search.get("layers") ?? "stutters,pauses,cap,heartbeat").split(",") as LayerName[]),
    [search],
  );
  const channels = useMemo(() => (search.get("samples") ?? "").split(",").filter(Boolean), [search]);
  const lanes = useMemo(() => new Map(study.lanes_full.map((lane) => [lane.id, lane])), [study.lanes_full]);
  const drawn = useMemo(() => overEachOther(found?.traces ?? [], chosen, over), [found, chosen, over]);
  const ids = useMemo(() => drawn.map((one) => one.pass_id), [drawn]);
  const focus = chosen && ids.includes(chosen.id) ? chosen.id : null;
  const agreement = useAgreement(study.id, test, focus ?? ids[0] ?? null, ids, align === "best");
  const offsets = useMemo(() => {
    const best = new Map((agreement.data ?? []).map((one) => [one.pass_id, one.offset_s]));
    return offsetsOf(ids, focus, align, marks, best);
  }, [ids, focus, align, marks, agreement.data]);
  const all = useMemo(
    () =>
      (found?.traces ?? []).map((trace) => {
        const lane = lanes.get(trace.lane_id);
        return {
          key: trace.pass_id,
          laneId: trace.lane_id,
          label: `${lane?.name ?? ""} ${trace.number}`,
          lane: lane?.position ?? 0,
          dashed: trace.state === "rejected",
          capture: trace.capture_id,
          made: trace.key,
          basis: trace.basis,
          endS: trace.length_s,
          windows: trace.windows,
          offsetS: offsets.get(trace.pass_id) ?? 0,
          ms: trace.curve_ms,
        };
      }),
    [found, lanes, offsets],
  );
  const traces = useMemo(() => ids.flatMap((id) => all.filter((one) => one.key === id)), [all, ids]);
  // Of the others layers are asked for only where something of them is drawn.
  const siblings = goesBySiblings(doubts);
  const layers = useQueries({
    queries: traces.map((trace) => ({
      ...layersQuery(trace),
      enabled: trace.key === focus || channels.length > 0 || (siblings && trace.laneId === chosen?.lane_id),
    })),
  });
  const laid = traces.map((trace, i) => ({ trace, layers: layers[i]?.data }));
  const own = laid.find(({ trace }) => trace.key === focus);
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
  if (error) return <ErrorNotice error={error} />;
  if (!found) return <Loading what="the frames" />;
  if (!all.length) {
    return (
      <p className="sheet border-dashed! p-8 text-soft">
        No capture yet. <Link to={`/studies/${study.id}/intake`}>Hand in</Link> the files of this test, or
        note why a pass did not run. {passes.length} passes are planned.
      </p>
    );
  }
  const there = [...new Set(laid.flatMap(({ layers: one }) => one?.samples.map((x) => x.channel) ?? []))];
  const toggleLayer = (name: LayerName) => {
    const next = new Set(shown);
    if (!next.delete(name)) next.add(name);
    set({ layers: [...next].join(",") || "none" });
  };
  const toggleChannel = (name: string) =>
    set({
      samples: (channels.includes(name) ? channels.filter((one) => one !== name) : [...channels, name]).join(
        ",",
      ),
    });
  const mark = (at: number) => {
    if (focus === null) return;
    set({ marks: marksText(new Map(marks).set(focus, at)), align: "mark" });
  };
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-5">
      <section aria-label="Frame times">
        <div className="mb-2 flex flex-wrap items-center gap-x-4 gap-y-2">
          <Choice
            label="Which passes lie over each other"
            value={over}
            onChange={(next) => set({ over: next === "lane" ? "" : next })}
            options={[
              { value: "lane", label: "This lane" },
              { value: "all", label: all.length > MOST_TRACES ? `${MOST_TRACES} of all lanes` : "All lanes" },
            ]}
          />
          <Choice
            label="How they are laid over each other"
            value={align}
            onChange={(next) => set({ align: next === "start" ? "" : next })}
            options={[
              { value: "start", label: "From their starts" },
              { value: "best", label: "Where they agree best" },
              { value: "mark", label: "By marks" },
            ]}
          />
          {trim && (
            <Choice
              label="What dragging does"
              value={drags}
              onChange={setDrags}
              options={[
                { value: "zoom", label: "Drag to look closer" },
                { value: "trim", label: "to trim" },
              ]}
            />
          )}
          <Button kind="quiet" onClick={() => setReplay(true)}>
            Slow motion
          </Button>
        </div>
        <div className="mb-1 flex flex-wrap items-center gap-x-4 gap-y-1.5">
          <Toggles
            label="What is shown over the trace"
            options={LAYERS.map((name) => ({ value: name, label: LAYER_WORDS[name] }))}
            on={shown}
            toggle={toggleLayer}
          />
          {there.length > 0 && (
            <Toggles
              label="What was sampled beside the frames"
              options={there.map((name) => ({ value: name, label: channelWords(name) }))}
              on={new Set(channels)}
              toggle={toggleChannel}
            />
          )}
        </div>
        {align === "mark" && (
          <p className="mb-1 text-[0.88rem] text-soft">
            {marks.size
              ? `${[...marks].filter(([pass]) => ids.includes(pass)).length} of ${ids.length} passes have a mark. `
              : ""}
            Point at the same moment in each pass and press <kbd className="key">j</kbd> in the chart, or set
            it where the chart's middle is.{" "}
            <Button
              kind="quiet"
              disabled={focus === null}
              onClick={() => {
                const end = Math.max(...traces.map((one) => one.endS + one.offsetS));
                const now = looking.current;
                const middle = now ? (now.from + now.to) / 2 : end / 2;
                mark(Math.max(0, middle - (offsets.get(focus ?? 0) ?? 0)));
              }}
            >
              Mark the middle
            </Button>
            {marks.size > 0 && (
              <Button kind="quiet" onClick={() => set({ marks: "" })}>
                No marks
              </Button>
            )}
          </p>
        )}
        {align === "best" && agreement.data && (
          <p className="mb-1 text-[0.88rem] text-soft">
            {agreement.data
              .filter((one) => one.pass_id !== focus)
              .map((one) => {
                const trace = traces.find((two) => two.key === one.pass_id);
                return `${trace?.label ?? ""} moved by ${fixed(one.offset_s, 2)} s (likeness ${fixed(one.likeness, 2)})`;
              })
              .join(", ")}
          </p>
        )}
        <ZoomedChart
          looking={looking}
          traces={traces}
          budgetMs={found.budget_ms}
          focus={focus}
          layers={own?.layers}
          shown={shown}
          evidence={evidence}
          drags={trim ? drags : "zoom"}
          {...(trim ? { trim } : {})}
          mark={mark}
          beneath={(here) => (
            <SampleTracks
              channels={channels.filter((one) => there.includes(one))}
              passes={laid}
              focus={focus}
              view={here}
            />
          )}
        />
        {evidence.band && (
          <p className="text-[0.86rem] text-accent">
            The shaded band is where its siblings ran, half second by half second.
          </p>
        )}
      </section>
      {over === "lane" && (
        <LaneStrip study={study} lane={chosen?.lane_id} traces={all} budgetMs={found.budget_ms} go={choose} />
      )}
      <Shape
        traces={traces}
        curves={traces}
        budgetMs={found.budget_ms}
        view={view}
        setView={(next) => set({ shape: next === "curve" ? "" : next })}
      />
      <Replay
        traces={traces}
        chosen={focus}
        stretch={looking.current}
        open={replay}
        close={() => setReplay(false)}
      />
    </div>
  );
}
