/**
 * The grammar of marks. Lanes take colour and shape in order from one set that colour-blind readers tell apart; in a
 * margin, the average is a filled disc and the 1% low an open lozenge, whatever the lane.
 */

/** Colours and shapes; together they tell 36 lanes apart. */
const COLOURS = 6;
const SHAPES = 6;

export const LIGHT = {
  paper: "#f5f1e8",
  ink: "#1b1f24",
  soft: "#45433d",
  mute: "#66635a",
  rule: "#d9d2c1",
  grid: "#e6e0d1",
  band: "#e9e2cf",
  mark: "#f3cda9",
  lanes: ["#1d5f74", "#b3401f", "#6d3f8c", "#846200", "#4c6b22", "#a8305f"],
} as const;

export const DARK = {
  paper: "#14171a",
  ink: "#f1ede2",
  soft: "#cfcabd",
  mute: "#a39f93",
  rule: "#363b40",
  grid: "#262b2f",
  band: "#24292d",
  mark: "#6b3a20",
  lanes: ["#6fc0d6", "#f08a64", "#c79be0", "#e0bd55", "#a3c76d", "#ee8fb5"],
} as const;

/** What charts are drawn in: on screen the scheme's variables, in a picture its colours themselves. */
export interface Theme {
  paper: string;
  ink: string;
  soft: string;
  mute: string;
  rule: string;
  grid: string;
  band: string;
  lane: (lane: number) => string;
  sans: string;
  mono: string;
}

const FACES = {
  sans: "'Archivo Variable','Archivo',sans-serif",
  mono: "'Spline Sans Mono Variable','Spline Sans Mono',monospace",
};

/** Follows the scheme on screen. */
export const SCREEN: Theme = {
  ...FACES,
  paper: "var(--paper)",
  ink: "var(--ink)",
  soft: "var(--soft)",
  mute: "var(--mute)",
  rule: "var(--rule)",
  grid: "var(--grid)",
  band: "var(--band)",
  lane: laneColour,
};

const inColours = (colours: typeof LIGHT | typeof DARK): Theme => ({
  ...FACES,
  ...colours,
  lane: (lane) => colours.lanes[lane % COLOURS] ?? colours.ink,
});

/** The lane's colour in the scheme on screen. */
export function laneColour(lane: number): string {
  return `var(--lane-${lane % COLOURS})`;
}

/** Which shape a lane has: the first six as their colours; each further six take them one on. */
export function laneForm(lane: number): number {
  return (lane + Math.floor(lane / COLOURS)) % SHAPES;
}

/** The lane's shape around (0, 0), of about radius `r`, as an SVG path. */
export function laneShape(lane: number, r: number): string {
  const s = r * 0.9;
  switch (laneForm(lane)) {
    case 0:
      return disc(r);
    case 1:
      return `M${-s} ${-s}H${s}V${s}H${-s}Z`;
    case 2:
      return `M0 ${-r * 1.1}L${r * 1.1} ${r * 0.8}H${-r * 1.1}Z`;
    case 3:
      return lozenge(r * 1.15);
    case 4:
      return `M0 ${r * 1.1}L${r * 1.1} ${-r * 0.8}H${-r * 1.1}Z`;
    default:
      return `M${-r} ${-r / 3}H${-r / 3}V${-r}H${r / 3}V${-r / 3}H${r}V${r / 3}H${r / 3}V${r}H${-r / 3}V${r / 3}H${-r}Z`;
  }
}

export function disc(r: number): string {
  return `M${-r} 0A${r} ${r} 0 1 1 ${r} 0A${r} ${r} 0 1 1 ${-r} 0Z`;
}

export function lozenge(r: number): string {
  return `M0 ${-r}L${r} 0L0 ${r}L${-r} 0Z`;
}

/** An interval as a bracket lying on its track: [-----]. */
export function bracket(from: number, to: number, y: number, reach = 4): string {
  return `M${from + 3} ${y - reach}H${from}V${y + reach}H${from + 3}M${to - 3} ${y - reach}H${to}V${y + reach}H${to - 3}M${from} ${y}H${to}`;
}

/** The finish line between two heights: chequers two wide. */
export function finishLine(x: number, from: number, to: number, cell = 4): string {
  const parts: string[] = [];
  const rows = Math.ceil((to - from) / cell);
  for (let row = 0; row < rows; row++) {
    const left = row % 2 ? x : x - cell;
    const height = Math.min(cell, to - from - row * cell);
    parts.push(`M${left} ${from + row * cell}h${cell}v${height}h${-cell}z`);
  }
  return parts.join("");
}

/** Themes of exported pictures. */
export const LIGHT_PICTURE: Theme = inColours(LIGHT);
export const DARK_PICTURE: Theme = inColours(DARK);
