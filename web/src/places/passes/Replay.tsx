import { useEffect, useRef, useState } from "react";
import { useTraceFrames } from "../../api/traces";
import type { Stretch } from "../../charts/TraceChart";
import { useWidth } from "../../charts/useWidth";
import { Button } from "../../controls/Button";
import { Choice } from "../../controls/Choice";
import { Dialog } from "../../controls/Dialog";
import { ErrorNotice } from "../../controls/Notice";
import { Select } from "../../controls/Select";
import { fixed, ms } from "../../format";
import type { Frames, Trace } from "../../model/frames";
import { delivered, SPEEDS, speedWords, standingAt } from "./delivery";

const TRACK = 150;
/** So much of time passes from the right edge of a track to its left one, s. */
const SPAN_S = 0.5;
/** A replay of more than this is cut: nobody looks longer at half a second at a twentieth. */
const LONGEST_S = 20;
/** Of a trace that is seen whole so much is played. */
const USUAL_S = 3;

/** Two passes in slow motion: each frame leaves a tick on a track that moves evenly, and the mark jumps with it. */
export function Replay({
  traces,
  chosen,
  stretch,
  open,
  close,
}: {
  traces: readonly Trace[];
  chosen: number | null;
  stretch: Stretch | null;
  open: boolean;
  close: () => void;
}) {
  return (
    <Dialog
      open={open}
      onOpenChange={(now) => !now && close()}
      title="Delivery in slow motion"
      description="The track moves evenly, as the scene would. Each frame that is delivered leaves a tick and moves the mark to where the scene was then; until the next one comes the mark stays behind."
      wide
    >
      <Player traces={traces} chosen={chosen} stretch={stretch} />
    </Dialog>
  );
}

function Player({
  traces,
  chosen,
  stretch,
}: {
  traces: readonly Trace[];
  chosen: number | null;
  stretch: Stretch | null;
}) {
  const first = traces.find((one) => one.key === chosen) ?? traces[0];
  const [left, setLeft] = useState(String(first?.key ?? ""));
  const [right, setRight] = useState(
    String(
      (traces.find((one) => one.lane !== first?.lane) ?? traces.find((one) => one !== first))?.key ?? "",
    ),
  );
  const [speed, setSpeed] = useState<number>(1 / 10);
  const [playing, setPlaying] = useState(true);
  const [recording, setRecording] = useState(false);
  const [error, setError] = useState<Error | null>(null);
  const [frame, width] = useWidth<HTMLDivElement>(860);
  const canvas = useRef<HTMLCanvasElement>(null);
  const begin = stretch?.from ?? 0;
  const last = Math.max(...traces.map((one) => one.endS + one.offsetS));
  const end = Math.min(stretch?.to ?? begin + USUAL_S, begin + LONGEST_S, last);
  const shown = [left, right].flatMap((key) => traces.filter((one) => String(one.key) === key));
  const frames = useTraceFrames(shown, { from: begin, to: end });
  const clock = useRef(begin);
  const ready = shown.length > 0 && frames.every((one) => one?.exact);
  const options = traces.map((one) => ({ value: String(one.key), label: one.label }));
  // biome-ignore lint/correctness/useExhaustiveDependencies: another stretch or pass begins anew
  useEffect(() => {
    clock.current = begin;
  }, [begin, left, right]);
  useEffect(() => {
    if (!ready) return;
    let last: number | null = null;
    let asked = 0;
    const draw = (now: number) => {
      if (playing && last !== null) clock.current += ((now - last) / 1000) * speed;
      last = now;
      if (clock.current > end) clock.current = begin;
      const context = canvas.current?.getContext("2d");
      if (context) drawTracks(context, shown, frames as Frames[], clock.current, width, speed);
      asked = requestAnimationFrame(draw);
    };
    asked = requestAnimationFrame(draw);
    return () => cancelAnimationFrame(asked);
  });
  const save = async () => {
    setError(null);
    setRecording(true);
    try {
      clock.current = begin;
      setPlaying(true);
      const blob = await record(canvas.current, ((end - begin) / speed) * 1000);
      const link = document.createElement("a");
      link.href = URL.createObjectURL(blob);
      link.download = "delivery.webm";
      link.click();
      URL.revokeObjectURL(link.href);
    } catch (reason) {
      setError(reason instanceof Error ? reason : new Error(String(reason)));
    } finally {
      setRecording(false);
    }
  };
  const takes = (end - begin) / speed;
  return (
    <div ref={frame} className="grid gap-3">
      <div className="flex flex-wrap items-center gap-3">
        <Select label="Upper track" value={left} onChange={setLeft} options={options} className="w-52!" />
        <Select label="Lower track" value={right} onChange={setRight} options={options} className="w-52!" />
        <Choice
          label="Speed"
          value={String(speed)}
          onChange={(next) => setSpeed(Number(next))}
          options={SPEEDS.map((one) => ({ value: String(one), label: speedWords(one) }))}
        />
      </div>
      <canvas
        ref={canvas}
        width={width}
        height={TRACK * Math.max(1, shown.length)}
        className="sheet block"
        role="img"
        aria-label={`Delivery of ${shown.map((one) => one.label).join(" and ")} at ${speedWords(speed)}`}
      />
      {!ready && <p className="text-mute">Fetching the frames …</p>}
      <div className="flex flex-wrap items-center gap-3">
        <Button kind="main" onClick={() => setPlaying((now) => !now)} disabled={recording}>
          {playing ? "Hold" : "Play"}
        </Button>
        <Button
          onClick={() => {
            clock.current = begin;
          }}
          disabled={recording}
        >
          From the start
        </Button>
        <Button onClick={save} disabled={!ready || recording || typeof MediaRecorder === "undefined"}>
          {recording ? "Recording …" : `Save as WebM (${fixed(takes, 0)} s)`}
        </Button>
        <span className="text-[0.88rem] text-mute">
          {fixed(begin, 2)} to {fixed(end, 2)} s of the passes
          {stretch === null && "; zoom the trace to choose another stretch"}
        </span>
      </div>
      <ErrorNotice error={error} />
    </div>
  );
}

/** What a canvas shows, recorded for a while. */
function record(canvas: HTMLCanvasElement | null, forMs: number): Promise<Blob> {
  return new Promise((resolve, reject) => {
    if (!canvas) return reject(new Error("There is nothing to record."));
    const recorder = new MediaRecorder(canvas.captureStream(60), { mimeType: "video/webm" });
    const parts: Blob[] = [];
    recorder.ondataavailable = (event) => parts.push(event.data);
    recorder.onerror = () => reject(new Error("This browser could not record the picture."));
    recorder.onstop = () => resolve(new Blob(parts, { type: "video/webm" }));
    recorder.start(250);
    setTimeout(() => recorder.stop(), forMs);
  });
}

/** Both tracks at a moment. */
function drawTracks(
  context: CanvasRenderingContext2D,
  traces: readonly Trace[],
  frames: readonly Frames[],
  at: number,
  width: number,
  speed: number,
) {
  const colours = getComputedStyle(document.documentElement);
  const colour = (name: string) => colours.getPropertyValue(name).trim();
  context.fillStyle = colour("--raised");
  context.fillRect(0, 0, width, TRACK * traces.length);
  traces.forEach((trace, i) => {
    const own = frames[i];
    if (!own) return;
    const own_at = at - trace.offsetS;
    const top = TRACK * i;
    const middle = width * 0.62;
    const scale = width / SPAN_S;
    // The scene moves to the left; where it is now is the middle.
    const x = (s: number) => middle + (s - own_at) * scale;
    context.fillStyle = colour(`--lane-${trace.lane % 6}`);
    context.font = `600 14px 'Archivo Variable', sans-serif`;
    context.fillText(trace.label, 10, top + 22);
    context.fillStyle = colour("--mute");
    context.font = `13px 'Spline Sans Mono Variable', monospace`;
    const standing = standingAt(own, own_at);
    const length = own.high[standing.index];
    context.fillText(
      `${fixed(own_at, 3)} s   ${length === undefined ? "" : `${ms(length)} ms`}   ${speedWords(speed)}`,
      width - 270,
      top + 22,
    );
    context.strokeStyle = colour("--rule");
    context.lineWidth = 1;
    context.beginPath();
    context.moveTo(0, top + TRACK - 0.5);
    context.lineTo(width, top + TRACK - 0.5);
    context.moveTo(0, top + 104);
    context.lineTo(width, top + 104);
    context.stroke();
    context.strokeStyle = colour("--ink");
    context.lineWidth = 1.5;
    context.beginPath();
    for (const tick of delivered(own, own_at - SPAN_S, own_at)) {
      context.moveTo(x(tick), top + 104);
      context.lineTo(x(tick), top + 118);
    }
    context.stroke();
    // Where the mark stands is where the scene was when the frame was delivered; the outline is where it is now.
    context.strokeStyle = colour("--mute");
    context.setLineDash([3, 3]);
    context.strokeRect(middle - 16, top + 48, 32, 48);
    context.setLineDash([]);
    if (standing.index >= 0) {
      context.fillStyle = colour(`--lane-${trace.lane % 6}`);
      context.fillRect(Math.max(0, x(standing.sinceS)) - 16, top + 48, 32, 48);
    }
  });
}
