/** The kinds of study that are planned here, in the order of their keys. */

/** Kinds of study that are planned here; latency and fit have places of their own. */
export type PlannedKind =
  | "a_b"
  | "ladder"
  | "sweep"
  | "grid"
  | "scaling"
  | "budget"
  | "several"
  | "proxy_check";

export interface KindWords {
  kind: PlannedKind;
  title: string;
  asks: string;
}

/** The kinds in the order of their keys, each with what it is for. */
export const KINDS: KindWords[] = [
  { kind: "a_b", title: "A against B", asks: "Two setups, one switch apart. Does it change anything?" },
  { kind: "ladder", title: "Ladder", asks: "Many cards or processors on one machine. Which is enough?" },
  { kind: "sweep", title: "Sweep", asks: "One setting in steps. Where is the knee?" },
  { kind: "grid", title: "Grid", asks: "Two factors crossed. Does one change what the other does?" },
  {
    kind: "scaling",
    title: "Scaling",
    asks: "One setup, many presets or resolutions. What does a step cost?",
  },
  { kind: "budget", title: "Budget", asks: "A headset or a console-like target. Do frames come in time?" },
  { kind: "several", title: "Several cards", asks: "One card, two cards. What does each further one add?" },
  {
    kind: "proxy_check",
    title: "Proxy check",
    asks: "A built-in benchmark beside play. Does it keep the ratios?",
  },
];
