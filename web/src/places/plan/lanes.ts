/** From what a kind of study asks to its lanes. Pure: the form above it only holds what was typed. */
import type { Schemas } from "../../api/client";
import { draftOf, nextKey, type SetupDraft, setupOf, wholeParts } from "../bench/SetupEditor";

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
type Setup = Schemas["SetupOut"];

/** A lane as it is typed: a setup from the bench by id, or one described here. */
export interface LaneDraft {
  name: string;
  choice: string;
  setup: SetupDraft;
}

/** Stands for no base setup: each lane is one of its own. */
export const NO_BASE = "none";

/** What is varied, and over which levels. */
export interface FactorDraft {
  name: string;
  levels: string[];
}

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

/** A lane ready to be sent, with its whole setup for the check. */
export interface LaneReady {
  lane: Schemas["LaneIn"];
  draft: SetupDraft;
}

export function readyPair(lanes: LaneDraft[], setups: Setup[]): LaneReady[] {
  return lanes.map((lane) => {
    const known = setups.find((setup) => String(setup.id) === lane.choice);
    const draft = known ? draftOf(known) : lane.setup;
    const which = known ? { setup_id: known.id } : { setup: setupOf(lane.setup) };
    return { lane: { name: lane.name, condition: "", levels: {}, ...which }, draft };
  });
}

/** Lanes of a ladder, a sweep or a grid: the base setup with each level, or pair of levels, put in. */
export function readyLevels(
  base: SetupDraft,
  known: Setup | undefined,
  factors: FactorDraft[],
  kinds: Schemas["KindOut"][],
): LaneReady[] {
  const used = factors.map((factor) => ({
    ...factor,
    levels: factor.levels.map((l) => l.trim()).filter(Boolean),
  }));
  const combinations = used.reduce<string[][]>(
    (found, factor) => found.flatMap((one) => factor.levels.map((level) => [...one, level])),
    [[]],
  );
  if (!used.length || used.some((factor) => !factor.name.trim() || !factor.levels.length)) return [];
  return combinations.map((levels) => {
    const draft = levels.reduce(
      (now, level, index) => withLevel(now, used[index]?.name ?? "", level, kinds),
      base,
    );
    const tail = levels.map((level, index) => told(used[index]?.name ?? "", level, kinds)).join(", ");
    const named = { ...draft, name: `${known?.rig || base.name.trim()}, ${tail}` };
    const same =
      known &&
      JSON.stringify(setupOf({ ...named, name: "" })) === JSON.stringify(setupOf({ ...base, name: "" }));
    return {
      lane: {
        name: levels.join(", "),
        condition: "",
        levels: Object.fromEntries(levels.map((level, index) => [used[index]?.name.trim() ?? "", level])),
        ...(same ? { setup_id: known.id } : { setup: setupOf(named) }),
      },
      draft: named,
    };
  });
}

/** A setup of its own beside the levels: a rival in a sweep, a laptop in a ladder. */
export interface OtherLane {
  key: number;
  setup: string;
  name: string;
  levels: string[];
}

export function readyOthers(others: OtherLane[], factors: FactorDraft[], setups: Setup[]): LaneReady[] {
  return others.flatMap((other) => {
    const known = setups.find((setup) => String(setup.id) === other.setup);
    if (!known) return [];
    const levels = factors.flatMap((factor, index) => {
      const level = other.levels[index]?.trim();
      return level ? [[factor.name.trim(), level]] : [];
    });
    const name = other.name.trim() || known.name;
    return {
      lane: { name, condition: "", levels: Object.fromEntries(levels), setup_id: known.id },
      draft: draftOf(known),
    };
  });
}

/** Lanes of a study of several cards: the base setup with its card as often as each lane says. */
export function readyCards(
  base: SetupDraft,
  known: Setup | undefined,
  rigs: Schemas["RigOut"][],
  factor: string,
  counts: string[],
): LaneReady[] {
  // On a rig the card is the rig's, unless the setup swaps it.
  const card = wholeParts(base, rigs).find((part) => part.kind === "card" && part.name.trim());
  if (!card) return [];
  return counts
    .map((text) => text.trim())
    .filter((text) => /^[1-9]/.test(text))
    .map((text) => {
      const many = Math.min(Number.parseInt(text, 10), MOST_CARDS);
      const others = base.parts.filter((part) => part.kind !== "card");
      const first = nextKey(base.parts);
      const cards = Array.from({ length: many }, (_, i) => ({
        key: first + i,
        kind: "card",
        name: card.name,
      }));
      const name = `${many} ${many === 1 ? "card" : "cards"}`;
      const named = {
        ...base,
        parts: [...others, ...cards],
        name: `${known?.rig || base.name.trim()}, ${name} ${card.name}`,
      };
      return {
        lane: { name, condition: "", levels: { [factor.trim()]: name }, setup: setupOf(named) },
        draft: named,
      };
    });
}

/** No board holds more. */
const MOST_CARDS = 8;

/** Lanes of a scaling study: one setup under each condition. */
export function readyConditions(
  base: SetupDraft,
  known: Setup | undefined,
  conditions: string[],
): LaneReady[] {
  const which = known ? { setup_id: known.id } : { setup: setupOf(base) };
  return conditions
    .map((condition) => condition.trim())
    .filter(Boolean)
    .map((condition) => ({ lane: { name: condition, condition, levels: {}, ...which }, draft: base }));
}

/** What is sent to see what a study on paper comes to. */
export function sketchOf(
  lanes: LaneReady[],
  rigs: Schemas["RigOut"][],
  more: Omit<Schemas["SketchIn"], "lanes">,
): Schemas["SketchIn"] {
  return {
    ...more,
    lanes: lanes.map(({ lane, draft }) => ({
      name: lane.name,
      condition: lane.condition,
      parts: wholeParts(draft, rigs),
      settings: setupOf(draft).settings,
    })),
  };
}

/** The kind of part that a factor names, if it names one. */
export function partKind(factor: string, kinds: Schemas["KindOut"][]): string | null {
  const wanted = factor.trim().toLowerCase();
  return kinds.find((one) => one.label.toLowerCase() === wanted || one.kind === wanted)?.kind ?? null;
}

function withLevel(
  draft: SetupDraft,
  factor: string,
  level: string,
  kinds: Schemas["KindOut"][],
): SetupDraft {
  const kind = partKind(factor, kinds);
  if (kind) {
    const others = draft.parts.filter((part) => part.kind !== kind);
    return { ...draft, parts: [...others, { key: nextKey(draft.parts), kind, name: level }] };
  }
  const name = factor.trim();
  const there = draft.settings.some((one) => one.name.toLowerCase() === name.toLowerCase());
  const settings = there
    ? draft.settings.map((one) =>
        one.name.toLowerCase() === name.toLowerCase() ? { ...one, value: level } : one,
      )
    : [...draft.settings.filter((one) => one.name), { key: nextKey(draft.settings), name, value: level }];
  return { ...draft, settings };
}

/** A level as it stands in a setup's name: a part by its own name, a setting with the setting's. */
function told(factor: string, level: string, kinds: Schemas["KindOut"][]): string {
  return partKind(factor, kinds) ? level : `${factor.trim().toLowerCase()} ${level}`;
}
