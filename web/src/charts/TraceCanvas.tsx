import { memo, useLayoutEffect, useRef } from "react";
import { useScheme } from "../scheme";
import { type Frames, polyline } from "./traces";

interface Props {
  frames: Frames | undefined;
  lane: number;
  dashed: boolean;
  /** The stretch of its own clock that is shown. */
  from: number;
  to: number;
  /** The values at the lower and the upper edge. */
  bottom: number;
  top: number;
  width: number;
  height: number;
  standing: "out" | "back" | "alike";
}

/** One trace on a canvas of its own. That it stands out is only how the canvas is shown. */
export const TraceCanvas = memo(function TraceCanvas({
  frames,
  lane,
  dashed,
  from,
  to,
  bottom,
  top,
  width,
  height,
  standing,
}: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const scheme = useScheme();
  // biome-ignore lint/correctness/useExhaustiveDependencies: colours follow the scheme
  useLayoutEffect(() => {
    const place = canvas.current;
    const context = place?.getContext("2d");
    if (!place || !context) return;
    const ratio = window.devicePixelRatio || 1;
    place.width = Math.round(width * ratio);
    place.height = Math.round(height * ratio);
    context.scale(ratio, ratio);
    if (!frames) return;
    const colours = getComputedStyle(document.documentElement);
    context.strokeStyle = colours.getPropertyValue(`--lane-${lane % 6}`).trim();
    context.lineWidth = 1.4;
    context.lineJoin = "round";
    if (dashed) context.setLineDash([3, 3]);
    const scale = height / (top - bottom || 1);
    context.beginPath();
    polyline(frames, from, to, width, (value) => height - (value - bottom) * scale).forEach(
      ([left, down], i) => {
        if (i) context.lineTo(left, down);
        else context.moveTo(left, down);
      },
    );
    context.stroke();
  }, [frames, from, to, bottom, top, width, height, lane, dashed, scheme]);
  return (
    <canvas
      ref={canvas}
      className="pointer-events-none absolute inset-0"
      style={{
        width,
        height,
        opacity: standing === "back" ? 0.3 : 0.92,
        zIndex: standing === "out" ? 1 : 0,
      }}
    />
  );
});
