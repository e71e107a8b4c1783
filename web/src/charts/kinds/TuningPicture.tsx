import { scaleLinear } from "d3-scale";
import { line } from "d3-shape";
import type { Log, Step } from "../../api/tuning";
import { figure } from "../../format";
import { together } from "../../model/sentences";
import { disc, laneShape } from "../marks";
import { CONDENSED, type Drawn, Frame, groundOf } from "./Frame";
import { RateAxis } from "./RateAxis";

/** What a log is drawn over: one of its settings by name, or the watts that were drawn. */
export const WATTS = "";

/** What is drawn of each step, as its axis is called. */
export const FIGURES = {
  fps: "fps ↑",
  w: "W",
  temperature_c: "°C",
  hotspot_c: "hotspot, °C",
  fan_rpm: "fan, rpm",
  noise_dba: "dB(A)",
} as const;
export type FigureOf = keyof typeof FIGURES;

/** The figures that some step of a log has, the rate first. */
export const figuresOf = (log: Log): FigureOf[] =>
  (Object.keys(FIGURES) as FigureOf[]).filter(
    (one) => one === "fps" || log.steps.some((step) => step[one] !== null),
  );

/** Of more steps a number is left out where nothing is free: the table has them all. */
const MOST_NUMBERED = 24;

interface Point {
  step: Step;
  x: number;
  y: number | null;
}

/** Where a step stands on the axis; null where it has no place on it. */
function placeOf(log: Log, step: Step, over: string): number | null {
  if (over === WATTS) return step.w;
  const setting = log.settings.find((one) => one.name === over);
  return setting ? (step.set[over] ?? setting.stock) : null;
}

/** The steps that have a place on the axis, in their order. Over watts only those with both figures have one. */
export function pointsOf(log: Log, over: string, of: FigureOf = "fps"): Point[] {
  return log.steps.flatMap((step) => {
    const x = placeOf(log, step, over);
    return x === null || (over === WATTS && step[of] === null) ? [] : [{ step, x, y: step[of] }];
  });
}

/**
 * A figure over a setting, with what is proven and what failed; the rate also over the watts, with the front, the knee
 * and a rival. Samples of one part have a line each.
 */
export function TuningPicture({
  log,
  over,
  of = "fps",
  ...rest
}: Drawn & { log: Log; over: string; of?: FigureOf }) {
  const { theme } = rest;
  const { width, top, pad } = groundOf(rest);
  const end = rest.bare ? 720 : 880;
  const points = pointsOf(log, over, of);
  const samples = [...new Set(points.map((one) => one.step.sample))];
  const colour = (step: Step) => theme.lane(samples.indexOf(step.sample));
  const setting = log.settings.find((one) => one.name === over);
  const rival = over === WATTS && of === "fps" ? log.rival : null;
  const known =
    rival?.w != null && rival.fps != null ? { w: rival.w, fps: rival.fps, name: rival.name } : null;
  const limits = [setting?.limit_low, setting?.limit_high].filter((one): one is number => one != null);
  const values = [
    ...points.map((one) => one.x),
    ...(setting ? [setting.stock] : []),
    ...limits,
    ...(known ? [known.w] : []),
  ];
  const rates = [...points.flatMap((one) => (one.y === null ? [] : [one.y])), ...(known ? [known.fps] : [])];
  const [least, most] = rates.length ? [Math.min(...rates), Math.max(...rates)] : [0, 1];
  const room = Math.max((most - least) * 0.2, most * 0.01);
  const x = scaleLinear([Math.min(...values), Math.max(...values)], [pad + 160, width - pad - 90]).nice(6);
  const y = scaleLinear([Math.max(0, least - room), most + room], [end - 70, top + 40]).nice(6);
  const small = { fontFamily: theme.mono, fontSize: 22, fill: theme.mute };
  const words = { fontFamily: theme.sans, fontSize: 24, ...CONDENSED };
  const stands = points.filter((one) => one.step.state !== "unstable" && one.y !== null);
  const proven = stands.filter((one) => one.step.state === "proven" && !one.step.beyond_a_failure);
  const inOrder = [...stands].sort((a, b) => a.x - b.x);
  // Over watts the line goes through what nothing that draws less beats.
  const fronted = over === WATTS && of === "fps";
  const lines = samples.map((sample) => {
    const own = inOrder.filter((one) => one.step.sample === sample);
    return fronted ? risingOf(own.filter((one) => one.step.on_front)) : own;
  });
  const path = line<Point>()
    .x((one) => x(one.x))
    .y((one) => y(one.y ?? 0));
  const reach = setting && [...proven.map((one) => one.x), setting.stock];
  const labels = labelled(
    points.map((one) => ({ number: one.step.number, x: x(one.x), y: one.y === null ? end - 34 : y(one.y) })),
    known ? [{ x: x(known.w), y: y(known.fps) }] : [],
  );
  // The rival's name goes to the side that has the room.
  const late = known !== null && x(known.w) > width * (rest.narrow ? 0.3 : 0.6);
  const knee = fronted ? log.knee : null;
  if (!points.length)
    return (
      <Frame {...rest} question={log.title} sentence={together(log.sentences)} foot="" height={top + 120}>
        <text x={pad} y={top + 60} {...words} fill={theme.mute}>
          No step has a place in this picture yet.
        </text>
      </Frame>
    );
  return (
    <Frame
      {...rest}
      question={log.title}
      sentence={together(log.sentences, `${log.part} in ${log.setup}`)}
      foot={`${log.steps.length} steps`}
      height={end + 70}
    >
      <RateAxis theme={theme} y={y} ticks={6} top={top} pad={pad} width={width} words={FIGURES[of]} />
      {reach && proven.length > 0 && (
        <g>
          <rect
            x={x(Math.min(...reach)) - 12}
            y={top + 14}
            width={x(Math.max(...reach)) - x(Math.min(...reach)) + 24}
            height={end - top - 14}
            fill={theme.band}
          />
          <text x={x(Math.min(...reach)) - 4} y={end - 14} {...words} fill={theme.soft}>
            proven
          </text>
        </g>
      )}
      {limits.map((limit) => (
        <g key={limit}>
          <path d={`M${x(limit)} ${top + 14}V${end}`} stroke={theme.ink} strokeWidth={3} />
          <text
            x={x(limit) + (x(limit) > width / 2 ? -12 : 12)}
            y={top + 36}
            {...words}
            fontWeight={600}
            textAnchor={x(limit) > width / 2 ? "end" : "start"}
            fill={theme.ink}
          >
            maker’s limit
          </text>
        </g>
      ))}
      {knee && (
        <g>
          <path
            d={`M${x(knee.level)} ${top + 14}V${end}`}
            stroke={theme.ink}
            strokeDasharray="9 7"
            strokeWidth={2}
          />
          <text
            x={x(knee.level) + (x(knee.level) > width / 2 ? -14 : 14)}
            y={end - 14}
            {...words}
            fontWeight={600}
            fill={theme.ink}
            textAnchor={x(knee.level) > width / 2 ? "end" : "start"}
          >
            beyond, a watt brings clearly less
          </text>
        </g>
      )}
      {lines.map(
        (own, at) =>
          own.length > 1 && (
            <path
              key={samples[at]}
              d={path(own) ?? ""}
              fill="none"
              stroke={theme.lane(at)}
              strokeWidth={fronted ? 4 : 2}
            />
          ),
      )}
      {samples.length > 1 &&
        samples.map((sample, at) => (
          <text
            key={sample}
            x={width - pad}
            y={end - 14 - (samples.length - 1 - at) * 28}
            textAnchor="end"
            {...words}
            fontWeight={600}
            fill={theme.lane(at)}
          >
            {sample || "without a name"}
          </text>
        ))}
      {points.map(({ step, x: at, y: rate }) => (
        <g key={step.id} transform={`translate(${x(at)} ${rate === null ? end - 34 : y(rate)})`}>
          <Mark step={step} colour={colour(step)} paper={theme.paper} ink={theme.ink} />
        </g>
      ))}
      {labels.map((one) => (
        <text
          key={one.number}
          x={one.x}
          y={one.y}
          {...small}
          fill={theme.ink}
          fontWeight={700}
          textAnchor={one.anchor}
        >
          {one.number}
        </text>
      ))}
      {known && (
        <g transform={`translate(${x(known.w)} ${y(known.fps)})`}>
          <path d={laneShape(1, 12)} fill={theme.lane(1)} />
          <text
            x={late ? 14 : -14}
            y={-24}
            {...words}
            fontWeight={600}
            fill={theme.ink}
            textAnchor={late ? "end" : "start"}
          >
            {known.name}, at its {figure(Math.round(known.w))} W
          </text>
        </g>
      )}
      <path d={`M${pad + 110} ${end}H${width - pad}`} stroke={theme.ink} strokeWidth={2} />
      {x.ticks(rest.narrow ? 4 : 8).map((tick) => (
        <text key={tick} x={x(tick)} y={end + 32} {...small} textAnchor="middle">
          {tick}
        </text>
      ))}
      <text x={pad} y={end + 62} {...words} fill={theme.mute}>
        {setting ? `${setting.name}${setting.unit ? `, ${setting.unit}` : ""}` : "W drawn"} · filled: proven ·
        hollow: not proven · cross: failed · numbers: steps
      </text>
    </Frame>
  );
}

/** Of points in their order along the axis, those that give more than every one before. */
function risingOf(points: readonly Point[]): Point[] {
  let most = Number.NEGATIVE_INFINITY;
  return points.filter((one) => {
    const higher = (one.y ?? most) > most;
    if (higher) most = one.y ?? most;
    return higher;
  });
}

/** Where the number of each step is written: above its mark, or wherever beside it nothing else is. */
function labelled(
  marks: readonly { number: number; x: number; y: number }[],
  others: readonly { x: number; y: number }[],
) {
  const taken: { x: number; y: number }[] = [...marks, ...others].map(({ x, y }) => ({ x, y }));
  return marks.flatMap(({ number, x, y }) => {
    const places = [
      { x, y: y - 20, anchor: "middle" as const, at: { x, y: y - 28 } },
      { x: x + 20, y: y + 8, anchor: "start" as const, at: { x: x + 30, y } },
      { x: x - 20, y: y + 8, anchor: "end" as const, at: { x: x - 30, y } },
      { x, y: y + 36, anchor: "middle" as const, at: { x, y: y + 28 } },
    ];
    const free = (at: { x: number; y: number }) =>
      taken.every((one) => Math.abs(one.x - at.x) > 26 || Math.abs(one.y - at.y) > 22);
    const place = places.find((one) => free(one.at)) ?? (marks.length > MOST_NUMBERED ? null : places[0]);
    if (!place) return [];
    const { at, ...written } = place as (typeof places)[number];
    taken.push(at);
    return { number, ...written };
  });
}

/** Proven is filled, unproven hollow, failed a cross. */
function Mark({ step, colour, paper, ink }: { step: Step; colour: string; paper: string; ink: string }) {
  if (step.state === "unstable")
    return <path d="M-11 -11L11 11M-11 11L11 -11" stroke={ink} strokeWidth={5} fill="none" />;
  if (step.state === "proven") return <path d={disc(10)} fill={colour} />;
  return <path d={disc(9)} fill={paper} stroke={colour} strokeWidth={3.5} />;
}
