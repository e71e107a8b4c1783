import { useLayoutEffect, useRef } from "react";
import type { Frames } from "../model/frames";
import { useScheme } from "../scheme";
import { paintColumns, rgbOf } from "./painting";
import { columnsOf, countWithin, polyline } from "./traces";

export interface Drawn {
  key: number;
  frames: Frames | undefined;
  lane: number;
  dashed: boolean;
  /** What is added to its clock to lay it over the others, s. */
  offsetS: number;
}

interface Props {
  traces: readonly Drawn[];
  /** The trace that stands out; the others recede. With none all are alike. */
  focus: number | null;
  from: number;
  to: number;
  /** The values at the lower and the upper edge. */
  bottom: number;
  top: number;
  width: number;
  height: number;
}

/** Up to so many frames in sight lines are drawn fine; of more, where a browser would take too long, as columns. */
const FEW = 900;

/**
 * Traces over each other on one canvas, the one that stands out last.
 */
export function TracesCanvas({ traces, focus, from, to, bottom, top, width, height }: Props) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const scheme = useScheme();
  // biome-ignore lint/correctness/useExhaustiveDependencies: colours follow the scheme
  useLayoutEffect(() => {
    const place = canvas.current;
    const context = place?.getContext("2d");
    if (!place || !context) return;
    const ratio = window.devicePixelRatio || 1;
    const [across, down] = [Math.round(width * ratio), Math.round(height * ratio)];
    if (place.width !== across || place.height !== down) [place.width, place.height] = [across, down];
    const colours = getComputedStyle(document.documentElement);
    const total = traces.reduce(
      (sum, one) => sum + (one.frames ? countWithin(one.frames, from - one.offsetS, to - one.offsetS) : 0),
      0,
    );
    const sets = [
      ...traces.filter((one) => one.key !== focus),
      ...traces.filter((one) => one.key === focus),
    ].map((one) => {
      const [begin, end] = [from - one.offsetS, to - one.offsetS];
      return {
        ...one,
        begin,
        end,
        colour: colours.getPropertyValue(`--lane-${one.lane % 6}`).trim(),
        alpha: focus === null || one.key === focus ? 0.92 : 0.3,
        columns: one.frames && !one.dashed && total > FEW ? columnsOf(one.frames, begin, end, across) : null,
      };
    });
    context.setTransform(1, 0, 0, 1, 0, 0);
    const picture = context.createImageData(across, down);
    const scale = down / (top - bottom || 1);
    for (const one of sets)
      if (one.columns)
        paintColumns(
          picture.data,
          across,
          down,
          one.columns,
          (value) => down - (value - bottom) * scale,
          rgbOf(one.colour),
          one.alpha,
          1.4 * ratio,
        );
    context.putImageData(picture, 0, 0);
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    for (const one of sets)
      if (one.frames && !one.columns) {
        context.globalAlpha = one.alpha;
        drawLine(
          context,
          one.frames,
          one.dashed,
          one.colour,
          one.begin,
          one.end,
          width,
          (value) => height - ((value - bottom) * height) / (top - bottom || 1),
        );
      }
    context.globalAlpha = 1;
  }, [traces, focus, from, to, bottom, top, width, height, scheme]);
  return (
    <canvas
      ref={canvas}
      data-traces={traces.filter((one) => one.frames).length}
      data-focus={focus ?? ""}
      className="pointer-events-none absolute inset-0"
      style={{ width, height }}
    />
  );
}

/** A line through each frame, or through the shortest and the longest of a column. */
function drawLine(
  context: CanvasRenderingContext2D,
  frames: Frames,
  dashed: boolean,
  colour: string,
  from: number,
  to: number,
  width: number,
  y: (value: number) => number,
) {
  context.strokeStyle = colour;
  context.lineWidth = 1.4;
  context.lineJoin = "round";
  context.setLineDash(dashed ? [3, 3] : []);
  context.beginPath();
  polyline(frames, from, to, width, y).forEach(([left, down], i) => {
    if (i) context.lineTo(left, down);
    else context.moveTo(left, down);
  });
  context.stroke();
  context.setLineDash([]);
}
