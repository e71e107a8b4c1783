import { scaleLinear } from "d3-scale";
import { words } from "../../api/words";
import type { Layers } from "../../charts/TraceOverlay";
import { TracesCanvas } from "../../charts/TracesCanvas";
import { fixed } from "../../format";
import type { Frames, Trace } from "../../model/frames";

const HEIGHT = 84;

export interface Sampled {
  trace: Trace;
  layers: Layers | undefined;
}

/** What was sampled beside the frames, each channel on a track of its own beneath the trace, on the same clock. */
export function SampleTracks({
  channels,
  passes,
  focus,
  view,
}: {
  channels: readonly string[];
  passes: readonly Sampled[];
  focus: number | null;
  view: { from: number; to: number; plot: number; left: number; at: number | null };
}) {
  return (
    <>
      {channels.map((channel) => (
        <Track key={channel} channel={channel} passes={passes} focus={focus} view={view} />
      ))}
    </>
  );
}

function Track({
  channel,
  passes,
  focus,
  view,
}: {
  channel: string;
  passes: readonly Sampled[];
  focus: number | null;
  view: { from: number; to: number; plot: number; left: number; at: number | null };
}) {
  const own = passes.flatMap(({ trace, layers }) => {
    const found = layers?.samples.find((one) => one.channel === channel);
    return found ? [{ trace, found }] : [];
  });
  const all = own.flatMap(({ found }) => found.values);
  const unit = own[0]?.found.unit ?? "";
  const y = scaleLinear([Math.min(...all), Math.max(...all)], [HEIGHT - 6, 6]).nice(3);
  const [bottom = 0, top = 1] = y.domain();
  const { at } = view;
  const shown = own.find(({ trace }) => trace.key === focus) ?? own[0];
  const value = at === null || !shown ? null : valueAt(shown.found, at - shown.trace.offsetS);
  return (
    <div className="relative mt-1" style={{ height: HEIGHT }}>
      <svg width={view.left + view.plot} height={HEIGHT} aria-hidden="true" className="absolute inset-0">
        {y.ticks(3).map((tick) => (
          <g key={tick}>
            <path d={`M${view.left} ${y(tick)}H${view.left + view.plot}`} stroke="var(--grid)" />
            <text
              x={view.left - 7}
              y={y(tick) + 4}
              fontSize={11}
              textAnchor="end"
              fill="var(--mute)"
              className="figure"
            >
              {tick}
            </text>
          </g>
        ))}
        <path d={`M${view.left} ${HEIGHT - 0.5}H${view.left + view.plot}`} stroke="var(--rule)" />
      </svg>
      <div className="absolute top-0" style={{ left: view.left, width: view.plot, height: HEIGHT }}>
        <TracesCanvas
          traces={own.map(({ trace, found }) => ({ ...trace, frames: asFrames(found) }))}
          focus={focus}
          from={view.from}
          to={view.to}
          bottom={bottom}
          top={top}
          width={view.plot}
          height={HEIGHT}
        />
      </div>
      <p className="absolute top-0 right-0 bg-paper/80 px-1 text-[0.82rem] text-soft">
        {channelWords(channel)}
        {value !== null && (
          <span className="figure font-semibold text-ink">
            {" "}
            {fixed(value, unit === "MHz" || unit === "rpm" || unit === "MiB" ? 0 : 1)} {unit}
          </span>
        )}
        {value === null && <span className="text-mute">, {unit}</span>}
      </p>
    </div>
  );
}

type Samples = Layers["samples"][number];
const made = new WeakMap<Samples, Frames>();

/** Samples as a trace is drawn: made once, so that a pan draws what is there. */
function asFrames(found: Samples): Frames {
  const there = made.get(found);
  if (there) return there;
  const values = Float64Array.from(found.values);
  const frames = { end: Float64Array.from(found.at_s), low: values, high: values, exact: true };
  made.set(found, frames);
  return frames;
}

/** The last sample at a moment; null before the first. */
function valueAt(found: Samples, at: number): number | null {
  let last: number | null = null;
  for (let i = 0; i < found.at_s.length && (found.at_s[i] ?? 0) <= at; i++) last = found.values[i] ?? null;
  return last;
}

/** A channel as people call it. */
export const channelWords = (channel: string): string =>
  words().channels.find((one) => one.channel === channel)?.words ?? channel.replace(/_/g, " ");
