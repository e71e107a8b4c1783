import type { Schemas } from "../../api/client";
import { usePassDetail } from "../../api/queries";
import { fixed, fps, ms, percent } from "../../format";
import { SCHOOL_WORDS } from "./MethodDialog";

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
    alternation: { alternating: boolean };
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
export function PassFigures({ one, lowSchool }: { one: Schemas["PassOut"]; lowSchool: string }) {
  const { data: detail } = usePassDetail(one.capture_id ? one.id : null);
  const figures = detail?.figures as Figures | undefined;
  return (
    <section aria-label={`Figures of pass ${one.number}`} className="text-[0.93rem]">
      {one.reason && (
        <p className="mb-2 border-l-4 border-accent bg-mark/40 px-3 py-1.5">
          {one.state === "rejected" ? "Rejected" : "Did not run"}: {one.reason}
        </p>
      )}
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
          <Row name="Bound by">
            <span className="font-sans">
              {BOUND_WORDS[figures.limits.bound_by.label ?? ""] ?? "nobody can tell"}
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
      {one.capture_id && (
        <p className="mt-2 border-rule border-t pt-2 text-[0.84rem] text-mute">
          <a href={`/api/captures/${one.capture_id}/original`}>{one.file_name}</a> as it came
          {one.window && `, seen from ${fixed(one.window[0] ?? 0, 1)} to ${fixed(one.window[1] ?? 0, 1)} s`} ·{" "}
          {SCHOOL_WORDS[lowSchool]} lows
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
