import { type RefObject, useMemo, useState } from "react";
import { Link } from "react-router";
import { type Stretch, TraceChart, type TraceChartProps } from "../../charts/TraceChart";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { useAddress } from "../../controls/useAddress";
import type { Study } from "../../model/study";
import { marksText } from "./alignment";
import { FilmDialog } from "./FilmDialog";
import { LaneStrip } from "./LaneStrip";
import type { Pass, PassDoubt } from "./matrix";
import { Replay } from "./Replay";
import { SampleTracks } from "./SampleTracks";
import { Shape } from "./Shape";
import { AgreementNote, type Drags, MarksNote, OverChoices, ShownChoices } from "./TraceTools";
import { type DrawnTrace, middleOf, viewIn } from "./traceView";
import { useLaid } from "./useLaid";
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

/** The traces of a test: its passes over each other, what was sampled beside them, their shape, the other lanes. */
export function Traces({
  study,
  test,
  passes,
  chosen,
  doubts,
  looking,
  laid: drawn,
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
  /** Keeps the traces as they lie, for the same. */
  laid: RefObject<readonly DrawnTrace[]>;
  /** Say which stretch of the chosen pass counts; without one the chart only looks. */
  trim: ((stretch: Stretch) => void) | undefined;
  choose: (pass: number) => void;
}) {
  const [search, say] = useAddress();
  const view = useMemo(() => viewIn(search), [search]);
  const [drags, setDrags] = useState<Drags>("zoom");
  const [replay, setReplay] = useState(false);
  const [film, setFilm] = useState(false);
  const { found, error, all, traces, laid, focus, evidence, agreement } = useLaid(
    study,
    test,
    chosen,
    doubts,
    view,
  );
  drawn.current = all;
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
  const sampled = [...new Set(laid.flatMap(({ layers }) => layers?.samples.map((one) => one.channel) ?? []))];
  const mark = (at: number) => {
    if (focus === null) return;
    say({ marks: marksText(new Map(view.marks).set(focus, at)), align: "mark" });
  };
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-5">
      <section aria-label="Frame times">
        <OverChoices
          view={view}
          say={say}
          many={all.length}
          drags={trim ? drags : undefined}
          setDrags={setDrags}
          slowly={() => setReplay(true)}
          film={() => setFilm(true)}
        />
        <ShownChoices view={view} say={say} sampled={sampled} />
        {view.align === "mark" && (
          <MarksNote
            marks={view.marks}
            drawn={traces.map((one) => one.key)}
            markMiddle={focus === null ? undefined : () => mark(middleOf(traces, focus, looking.current))}
            clear={() => say({ marks: "" })}
          />
        )}
        {view.align === "best" && agreement && (
          <AgreementNote agreement={agreement} traces={traces} chosen={focus} />
        )}
        <ZoomedChart
          looking={looking}
          traces={traces}
          budgetMs={found.budget_ms}
          focus={focus}
          layers={laid.find(({ trace }) => trace.key === focus)?.layers}
          shown={view.layers}
          evidence={evidence}
          drags={trim ? drags : "zoom"}
          {...(trim ? { trim } : {})}
          mark={mark}
          beneath={(here) => (
            <SampleTracks
              channels={view.channels.filter((one) => sampled.includes(one))}
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
      {view.over === "lane" && (
        <LaneStrip study={study} lane={chosen?.lane_id} traces={all} budgetMs={found.budget_ms} go={choose} />
      )}
      <Shape
        traces={traces}
        curves={traces}
        budgetMs={found.budget_ms}
        view={view.shape}
        setView={(next) => say({ shape: next === "curve" ? "" : next })}
      />
      <Replay
        traces={traces}
        chosen={focus}
        stretch={looking.current}
        open={replay}
        close={() => setReplay(false)}
      />
      {film && (
        <FilmDialog
          study={study}
          test={test}
          traces={all}
          chosen={focus}
          stretch={looking.current}
          close={() => setFilm(false)}
        />
      )}
    </div>
  );
}
