import type { Schemas } from "../../api/client";
import { usePassDetail } from "../../api/queries";
import { words } from "../../api/words";
import { fixed, fps, moment, ms, percent } from "../../format";
import { reasonWords, windowWords } from "../../model/study";
import { SamplesClock } from "./SamplesClock";

interface Low {
  fps: number;
  support: number;
  thin: boolean;
}

interface Figures {
  frames: number;
  duration_s: number;
  flags: string[];
  rates: {
    average_fps: number;
    median_fps: number;
    percentile_ms: Record<string, number>;
    slowest_ms: number;
  };
  lows: Record<string, Record<string, Low>>;
  smoothness: {
    over_budget_share: number;
    stutters: { count: number; per_minute: number; longest_ms: number | null };
    heartbeat: { found: boolean; period_s: number | null };
    alternation: { alternating: boolean; period: number | null };
    pauses?: { count: number; longest_ms: number | null; total_ms: number };
  };
  limits: {
    bound_by: { label: string | null; source: string | null };
    gpu_limit_fps: number | null;
    cpu_limit_fps: number | null;
    cap: { state: string; lock_fps: number | null; name: string | null };
    drift: { percent_per_minute: number | null };
  };
}

const BOUND_WORDS: Record<string, string> = {
  gpu: "the card",
  cpu: "the processor",
  waiting: "neither: frames wait",
  not_gpu: "not the card",
  mixed: "now one, now the other",
};

/** Every figure of the chosen pass, and where it comes from. */
export function PassFigures({
  study,
  one,
  lowSchool,
}: {
  study: number;
  one: Schemas["PassOut"];
  lowSchool: string;
}) {
  const { data: detail } = usePassDetail(one);
  const figures = detail?.figures as Figures | undefined;
  return (
    <section aria-label={`Figures of pass ${one.number}`} className="text-[0.93rem]">
      {one.reason_code && (
        <p className="mb-2 border-l-4 border-accent bg-mark/40 px-3 py-1.5">
          {one.state === "rejected" ? "Rejected" : "Did not run"}: {reasonWords(one)}
        </p>
      )}
      {detail?.trouble && (
        <p role="alert" className="mb-2 border-l-4 border-accent bg-mark/40 px-3 py-1.5">
          It could not be measured again: {detail.trouble}. The figures are those from before.
        </p>
      )}
      {one.reported && <Told told={one.reported} />}
      {figures?.rates && (
        <dl className="grid grid-cols-[9.5rem_1fr] gap-y-0.5 border-rule border-t pt-2">
          <Row name="Average">{fps(figures.rates.average_fps)} fps</Row>
          {["1", "0.1"].map((name) => {
            const low = figures.lows[name]?.[lowSchool];
            return (
              low && (
                <Row key={name} name={`${name}% low`}>
                  {fps(low.fps)} fps{" "}
                  <span className="font-sans text-mute">
                    {low.thin ? `thin: ${low.support} frames` : `on ${low.support} frames`}
                  </span>
                </Row>
              )
            );
          })}
          <Row name="Median, 99%">
            {ms(figures.rates.percentile_ms["50"] ?? 0)}, {ms(figures.rates.percentile_ms["99"] ?? 0)} ms
          </Row>
          <Row name="Slowest frame">{ms(figures.rates.slowest_ms)} ms</Row>
          <Row name="Over budget">{percent(figures.smoothness.over_budget_share)}% of frames</Row>
          <Row name="Stutters">
            {figures.smoothness.stutters.count}
            {figures.smoothness.heartbeat.found && (
              <span className="font-sans">
                {" "}
                keeping time, every {fixed(figures.smoothness.heartbeat.period_s ?? 0, 2)} s
              </span>
            )}
          </Row>
          {figures.smoothness.alternation.alternating && (
            <Row name="Delivery">
              <span className="font-sans">
                in groups of {figures.smoothness.alternation.period ?? "several"} frames, not one by one
              </span>
            </Row>
          )}
          {(figures.smoothness.pauses?.count ?? 0) > 0 && (
            <Row name="Pauses">
              {figures.smoothness.pauses?.count}{" "}
              <span className="font-sans text-mute">
                of a second or more, {fixed((figures.smoothness.pauses?.total_ms ?? 0) / 1000, 1)} s in all: a
                loading screen or a hang
              </span>
            </Row>
          )}
          <Row name="Bound by">
            <span className="font-sans">
              {BOUND_WORDS[figures.limits.bound_by.label ?? ""] ??
                "not known: the file has no card or processor times"}
            </span>
          </Row>
          {figures.limits.cap.state !== "none" && (
            <Row name="Cap">
              <span className="font-sans font-semibold">
                {figures.limits.cap.state} at {fps(figures.limits.cap.lock_fps ?? 0)} fps (
                {figures.limits.cap.name === "unexplained" ? "unexplained" : figures.limits.cap.name})
              </span>
            </Row>
          )}
          {figures.limits.drift.percent_per_minute != null && (
            <Row name="Drift">{fixed(figures.limits.drift.percent_per_minute, 1)}% a minute</Row>
          )}
          <Row name="Length">
            {fixed(figures.duration_s, 1)} s, {figures.frames.toLocaleString("en-GB")} frames
          </Row>
          {figures.flags.length > 0 && <Row name="Flags">{figures.flags.join(", ").replace(/_/g, " ")}</Row>}
        </dl>
      )}
      {detail && <RunAs study={study} one={one} detail={detail} />}
      {one.capture_id && (
        <p className="mt-2 border-rule border-t pt-2 text-[0.84rem] text-mute">
          <a href={`/api/captures/${one.capture_id}/original`}>{one.file_name}</a> as it came
          {one.windows.length > 0 && `, trimmed to ${windowWords(one.windows)}`} ·{" "}
          {words().schools[lowSchool]} lows
          <span className="figure block truncate" title={one.sha256 ?? ""}>
            SHA-256 {one.sha256}
          </span>
        </p>
      )}
    </section>
  );
}

function Row({ name, children }: { name: string; children: React.ReactNode }) {
  return (
    <>
      <dt className="text-mute">{name}</dt>
      <dd className="figure text-[0.88rem]">{children}</dd>
    </>
  );
}

function Told({ told }: { told: Schemas["ReportedOut"] }) {
  const rows: [string, number | null][] = [
    ["Average", told.average_fps],
    ["Minimum", told.minimum_fps],
    ["1% low", told.low_1_fps],
    ["0.1% low", told.low_01_fps],
  ];
  return (
    <>
      <p className="mb-1">
        Reported, not measured: <span className="text-mute">{told.read_from}</span>
      </p>
      <dl className="grid grid-cols-[9.5rem_1fr] gap-y-0.5 border-rule border-t pt-2">
        {rows.map(
          ([name, value]) =>
            value != null && (
              <Row key={name} name={name}>
                {fps(value)} fps
              </Row>
            ),
        )}
        {told.score != null && <Row name="Score">{told.score.toLocaleString("en-GB")}</Row>}
      </dl>
    </>
  );
}

/** What a second place showed of a setting before a pass was run. */
interface ReadBack {
  setting: string;
  wanted: string;
  seen: string | null;
  where: string;
  by: string;
}

/** What it was run with, and when; its further files; what was measured of it before. */
function RunAs({
  study,
  one,
  detail,
}: {
  study: number;
  one: Schemas["PassOut"];
  detail: Schemas["PassDetail"];
}) {
  const condition = (detail.run_as?.condition ?? {}) as { name?: string };
  const caps = (detail.run_as?.known_caps ?? []) as { name: string; fps: number }[];
  const bench = (detail.run_as?.bench ?? {}) as { read_backs?: ReadBack[] };
  const backs = bench.read_backs ?? [];
  const files = detail.files.filter((file) => file.role !== "frames");
  const before = detail.measured.filter((row) => !row.counts);
  return (
    <dl className="mt-2 grid grid-cols-[9.5rem_1fr] gap-y-0.5 border-rule border-t pt-2">
      {detail.setup && (
        <>
          <dt className="text-mute">Run with</dt>
          <dd>
            {[detail.setup, condition.name, ...caps.map((cap) => `${cap.name} ${fps(cap.fps)} fps`)]
              .filter(Boolean)
              .join(", ")}
          </dd>
        </>
      )}
      {backs.length > 0 && (
        <>
          <dt className="text-mute">Read back</dt>
          <dd>
            {backs.map((back) => (
              <span key={back.setting} className="block">
                {back.setting}: {back.seen || "nobody looked"}
                {back.seen !== back.wanted && <b> (to be {back.wanted})</b>}
                <span className="text-mute">
                  {" "}
                  {back.seen && back.where}, {back.by}
                </span>
              </span>
            ))}
          </dd>
        </>
      )}
      {one.ran_at && (
        <>
          <dt className="text-mute">Ran</dt>
          <dd>
            {moment(one.ran_at)}
            {detail.bench_hour != null && (
              <span className="text-mute">, hour {fixed(detail.bench_hour, 1)} of its session</span>
            )}
          </dd>
        </>
      )}
      {files.length > 0 && (
        <>
          <dt className="text-mute">Beside it</dt>
          <dd>
            {files.map((file) => (
              <span key={file.id} className="block">
                <a href={`/api/files/${file.id}/content`}>{file.name}</a>{" "}
                <span className="text-mute">
                  {file.role}
                  {file.offset_s ? `, clock moved by ${fixed(file.offset_s, 1)} s` : ""}
                </span>
                {file.role === "samples" && <SamplesClock study={study} file={file} />}
              </span>
            ))}
          </dd>
        </>
      )}
      {before.length > 0 && (
        <>
          <dt className="text-mute">Before</dt>
          <dd>
            {before.map((row) => (
              <span key={`${row.made_at}`} className="block">
                <span className="figure text-[0.88rem]">
                  {fps(row.average_fps)} · {fps(row.low_1_fps)}
                </span>{" "}
                <span className="text-mute">
                  measures {row.version}, {moment(row.made_at)}
                </span>
              </span>
            ))}
          </dd>
        </>
      )}
    </dl>
  );
}
