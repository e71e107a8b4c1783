/** Columns of traces written into the pixels of a picture: thousands of calls to a canvas would be most of a pan. */

import type { columnsOf } from "./traces";

type Columns = NonNullable<ReturnType<typeof columnsOf>>;

/** The red, green and blue of a colour written as #rrggbb. */
export function rgbOf(colour: string): [number, number, number] {
  const value = Number.parseInt(colour.replace("#", ""), 16);
  return Number.isNaN(value) ? [0, 0, 0] : [(value >> 16) & 255, (value >> 8) & 255, value & 255];
}

/**
 * Fill columns from their shortest to their longest value, over what is there. `y` gives the row of a value; a column is
 * at least `least` rows high. `pixels` are those of a picture of this width and height, four values each.
 */
export function paintColumns(
  pixels: Uint8ClampedArray,
  width: number,
  height: number,
  columns: Columns,
  y: (value: number) => number,
  [red, green, blue]: readonly [number, number, number],
  alpha: number,
  least: number,
): void {
  const count = Math.min(width, columns.low.length);
  for (let column = 0; column < count; column++) {
    const low = columns.low[column] ?? Number.NaN;
    if (Number.isNaN(low)) continue;
    const down = y(low);
    const up = Math.min(y(columns.high[column] ?? low), down - least);
    const last = Math.min(height - 1, Math.round(down) - 1);
    for (let row = Math.max(0, Math.round(up)); row <= last; row++) {
      const at = 4 * (row * width + column);
      // What is there may be clear: both are mixed by how much of each one sees.
      const under = ((pixels[at + 3] ?? 0) / 255) * (1 - alpha);
      const seen = alpha + under;
      pixels[at] = ((pixels[at] ?? 0) * under + red * alpha) / seen;
      pixels[at + 1] = ((pixels[at + 1] ?? 0) * under + green * alpha) / seen;
      pixels[at + 2] = ((pixels[at + 2] ?? 0) * under + blue * alpha) / seen;
      pixels[at + 3] = 255 * seen;
    }
  }
}
