/** What stands above a trace: what lies over each other, how it is aligned, what is shown. Each hands on an address. */
import type { Schemas } from "../../api/client";
import { LAYERS, type LayerName } from "../../charts/TraceOverlay";
import { Button } from "../../controls/Button";
import { Choice } from "../../controls/Choice";
import { Toggles } from "../../controls/Toggles";
import { fixed } from "../../format";
import type { Trace } from "../../model/frames";
import { MOST_TRACES } from "./alignment";
import { channelWords } from "./SampleTracks";
import { channelsText, layersText, type TraceView } from "./traceView";

type Say = (part: Record<string, string>) => void;
/** What dragging in the chart does. */
export type Drags = "zoom" | "trim";

const LAYER_WORDS: Record<LayerName, string> = {
  stutters: "Stutters",
  heartbeat: "Heartbeat",
  cap: "Cap",
  pauses: "Pauses",
  "low 1%": "Frames behind the 1% low",
  "low 0.1%": "Behind the 0.1% low",
};

export function OverChoices({
  view,
  say,
  many,
  drags,
  setDrags,
  slowly,
  film,
}: {
  view: TraceView;
  say: Say;
  /** Passes of all lanes. */
  many: number;
  /** Without one the chart only looks. */
  drags: Drags | undefined;
  setDrags: (drags: Drags) => void;
  slowly: () => void;
  film: () => void;
}) {
  return (
    <div className="mb-2 flex flex-wrap items-center gap-x-4 gap-y-2">
      <Choice
        label="Which passes lie over each other"
        value={view.over}
        onChange={(next) => say({ over: next === "lane" ? "" : next })}
        options={[
          { value: "lane", label: "This lane" },
          { value: "all", label: many > MOST_TRACES ? `${MOST_TRACES} of all lanes` : "All lanes" },
        ]}
      />
      <Choice
        label="How they are laid over each other"
        value={view.align}
        onChange={(next) => say({ align: next === "start" ? "" : next })}
        options={[
          { value: "start", label: "From their starts" },
          { value: "best", label: "Where they agree best" },
          { value: "mark", label: "By marks" },
        ]}
      />
      {drags && (
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
      <Button kind="quiet" onClick={slowly}>
        Slow motion
      </Button>
      <Button kind="quiet" onClick={film}>
        Film strip
      </Button>
    </div>
  );
}

export function ShownChoices({
  view,
  say,
  sampled,
}: {
  view: TraceView;
  say: Say;
  /** Channels that were sampled beside the frames. */
  sampled: readonly string[];
}) {
  return (
    <div className="mb-1 flex flex-wrap items-center gap-x-4 gap-y-1.5">
      <Toggles
        label="What is shown over the trace"
        options={LAYERS.map((name) => ({ value: name, label: LAYER_WORDS[name] }))}
        on={view.layers}
        toggle={(name) => say({ layers: layersText(view.layers, name) })}
      />
      {sampled.length > 0 && (
        <Toggles
          label="What was sampled beside the frames"
          options={sampled.map((name) => ({ value: name, label: channelWords(name) }))}
          on={new Set(view.channels)}
          toggle={(name) => say({ samples: channelsText(view.channels, name) })}
        />
      )}
    </div>
  );
}

/** How marks are set, and how many there are. */
export function MarksNote({
  marks,
  drawn,
  markMiddle,
  clear,
}: {
  marks: ReadonlyMap<number, number>;
  /** The passes that are drawn. */
  drawn: readonly number[];
  /** Without one no pass is chosen. */
  markMiddle: (() => void) | undefined;
  clear: () => void;
}) {
  return (
    <p className="mb-1 text-[0.88rem] text-soft">
      {marks.size
        ? `${drawn.filter((pass) => marks.has(pass)).length} of ${drawn.length} passes have a mark. `
        : ""}
      Point at the same moment in each pass and press <kbd className="key">j</kbd> in the chart, or set it
      where the chart's middle is.{" "}
      <Button kind="quiet" disabled={!markMiddle} onClick={() => markMiddle?.()}>
        Mark the middle
      </Button>
      {marks.size > 0 && (
        <Button kind="quiet" onClick={clear}>
          No marks
        </Button>
      )}
    </p>
  );
}

/** By how much each pass was moved to agree best with the chosen one. */
export function AgreementNote({
  agreement,
  traces,
  chosen,
}: {
  agreement: readonly Schemas["AgreementOut"][];
  traces: readonly Trace[];
  chosen: number | null;
}) {
  const moved = agreement.filter((one) => one.pass_id !== chosen);
  const labelOf = (pass: number) => traces.find((trace) => trace.key === pass)?.label ?? "";
  return (
    <p className="mb-1 text-[0.88rem] text-soft">
      {moved
        .map(
          (one) =>
            `${labelOf(one.pass_id)} moved by ${fixed(one.offset_s, 2)} s (likeness ${fixed(one.likeness, 2)})`,
        )
        .join(", ")}
    </p>
  );
}
