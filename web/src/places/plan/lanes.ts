/** From what a kind of study asks to its lanes. Pure: the form above it only holds what was typed. */
import type { Schemas } from "../../api/client";
import { draftOf, nextKey, type SetupDraft, setupOf, wholeParts } from "../bench/SetupEditor";
import { type Priced, priced } from "./pasting";

type Setup = Schemas["SetupOut"];

/** What lanes may be made of. */
export interface Shelf {
  setups: Setup[];
  rigs: Schemas["RigOut"][];
  kinds: Schemas["KindOut"][];
  parts: Schemas["PartOut"][];
}

/** A setup as it is asked for: one of the bench by id, or one described here. */
export interface SetupAsked {
  choice: string;
  setup: SetupDraft;
}

/** A lane of a pair as it is typed. */
export interface LaneDraft extends SetupAsked {
  name: string;
  /** What it has of the factor. */
  level?: string;
  /** Whether the second is described by itself, not as the first with another level. */
  own?: boolean;
}

/** Stands for no base setup: each lane is one of its own. */
export const NO_BASE = "none";

/** What is varied, and over which levels. */
export interface FactorDraft {
  name: string;
  levels: string[];
}

/** A lane ready to be sent, with its whole setup for the check. */
export interface LaneReady {
  lane: Schemas["LaneIn"];
  draft: SetupDraft;
}

/** The setup that is asked for, as a draft, and the one of the bench that it is. */
function asked(
  { choice, setup }: SetupAsked,
  setups: Setup[],
): { known: Setup | undefined; draft: SetupDraft } {
  const known = setups.find((one) => String(one.id) === choice);
  return { known, draft: known ? draftOf(known) : setup };
}

/** What is sent of a setup: the one of the bench where it is that one, else what is described, under a name. */
function sent(
  known: Setup | undefined,
  base: SetupDraft,
  draft: SetupDraft,
  tail: string,
  shelf: Shelf,
): { lane: Pick<Schemas["LaneIn"], "setup_id" | "setup">; draft: SetupDraft } {
  const plain = (one: SetupDraft) => JSON.stringify(setupOf({ ...one, name: "" }));
  if (known && plain(draft) === plain(base)) return { lane: { setup_id: known.id }, draft };
  const named = { ...draft, name: nameOf(known, base, draft, tail, shelf) };
  return { lane: { setup: setupOf(named) }, draft: named };
}

const TELLING = ["machine", "card", "processor"];

/** A setup's name: what was typed, or its machine, and what is special about it. */
function nameOf(
  known: Setup | undefined,
  base: SetupDraft,
  draft: SetupDraft,
  tail: string,
  { rigs }: Shelf,
): string {
  const typed = known ? known.rig || known.name : base.name.trim();
  const parts = setupOf(draft).parts;
  const machine =
    typed ||
    rigs.find((rig) => String(rig.id) === draft.rig)?.name ||
    TELLING.map((kind) => parts.find((part) => part.kind === kind)?.name).find(Boolean) ||
    "";
  const words = machine.toLowerCase().endsWith(tail.toLowerCase()) ? [machine] : [machine, tail];
  return words.filter(Boolean).join(", ").slice(0, 120);
}

/** Whether nothing of a setup was typed yet. */
const isBlank = (draft: SetupDraft): boolean => {
  const { parts, settings } = setupOf(draft);
  return !draft.rig && !parts.length && !settings.length && !draft.name.trim();
};

/** Whether the second lane of a pair is the first with another level of the factor. */
export const followsFirst = (lanes: LaneDraft[], factor: string): boolean => {
  const [first, second] = lanes;
  return Boolean(
    factor.trim() &&
      first?.level?.trim() &&
      second?.level?.trim() &&
      !second.own &&
      second.choice === "new" &&
      isBlank(second.setup),
  );
};

export function readyPair(lanes: LaneDraft[], factor: string, shelf: Shelf): LaneReady[] {
  return lanes.map((lane, index) => {
    const { known, draft: base } = asked(
      index === 1 && followsFirst(lanes, factor) ? (lanes[0] ?? lane) : lane,
      shelf.setups,
    );
    const level = levelOf(factor, lane.level ?? "", shelf.kinds);
    const told = Boolean(factor.trim() && level.name);
    const draft = told ? withLevel(base, factor, level, shelf) : base;
    const name = lane.name.trim() || level.name;
    const ready = sent(
      known,
      base,
      draft,
      told ? toldOf(factor, level.name, shelf.kinds) : base.name.trim() ? "" : name,
      shelf,
    );
    const levels = told ? { [factor.trim()]: level.name } : {};
    return { lane: { name, condition: "", levels, ...ready.lane }, draft: ready.draft };
  });
}

/** Lanes of a ladder, a sweep or a grid: the base setup with each level, or pair of levels, put in. */
export function readyLevels(
  base: SetupDraft,
  known: Setup | undefined,
  factors: FactorDraft[],
  shelf: Shelf,
): LaneReady[] {
  const used = factors.map((factor) => ({
    name: factor.name,
    levels: factor.levels.map((text) => levelOf(factor.name, text, shelf.kinds)).filter((one) => one.name),
  }));
  const combinations = used.reduce<Priced[][]>(
    (found, factor) => found.flatMap((one) => factor.levels.map((level) => [...one, level])),
    [[]],
  );
  if (!used.length || used.some((factor) => !factor.name.trim() || !factor.levels.length)) return [];
  return combinations.map((levels) => {
    const draft = levels.reduce(
      (now, level, index) => withLevel(now, used[index]?.name ?? "", level, shelf),
      base,
    );
    const tail = levels
      .map((level, index) => toldOf(used[index]?.name ?? "", level.name, shelf.kinds))
      .join(", ");
    const ready = sent(known, base, draft, tail, shelf);
    return {
      lane: {
        name: levels.map((level) => level.name).join(", "),
        condition: "",
        levels: Object.fromEntries(
          levels.map((level, index) => [used[index]?.name.trim() ?? "", level.name]),
        ),
        ...ready.lane,
      },
      draft: ready.draft,
    };
  });
}

/** One more lane of a study: the setup that is asked for, else the baseline's with the levels put in. */
export function readyMore(
  name: string,
  levels: Record<string, string>,
  setup: SetupAsked,
  baseline: Setup | undefined,
  shelf: Shelf,
): LaneReady | null {
  const told = Object.entries(levels).filter(([, words]) => words.trim());
  const { known, draft } = asked(setup, shelf.setups);
  const tail = told.map(([factor, words]) => toldOf(factor, words.trim(), shelf.kinds)).join(", ");
  const lane = { name, condition: "", levels: Object.fromEntries(told) };
  if (known) return { lane: { ...lane, setup_id: known.id }, draft };
  if (!isBlank(draft)) {
    const ready = sent(undefined, draft, draft, draft.name.trim() ? "" : tail, shelf);
    return { lane: { ...lane, ...ready.lane }, draft: ready.draft };
  }
  if (!baseline) return null;
  const base = draftOf(baseline);
  const changed = told.reduce(
    (now, [factor, words]) => withLevel(now, factor, levelOf(factor, words, shelf.kinds), shelf),
    base,
  );
  const ready = sent(baseline, base, changed, tail, shelf);
  return { lane: { ...lane, ...ready.lane }, draft: ready.draft };
}

/** A setup of its own beside the levels: a rival in a sweep, a laptop in a ladder. */
export interface OtherLane {
  key: number;
  /** One of the bench by id; empty where it is described here. */
  setup: string;
  name: string;
  levels: string[];
  /** What it is, where the bench has none of its name; a bare name is a whole machine, with its price behind it. */
  described?: SetupDraft;
}

export const emptyOther = (key: number, factors: number): OtherLane => ({
  key,
  setup: "",
  name: "",
  levels: Array.from({ length: factors }, () => ""),
});

export function readyOthers(others: OtherLane[], factors: FactorDraft[], shelf: Shelf): LaneReady[] {
  return others.flatMap((other) => {
    const known = shelf.setups.find((setup) => String(setup.id) === other.setup);
    const { described } = other;
    if (!known && !described?.name.trim()) return [];
    const told = priced(described?.name ?? "");
    const rows = described?.parts.filter((part) => part.name.trim()) ?? [];
    const parts = rows.length ? rows : described?.rig ? [] : [{ key: 0, kind: "machine", ...told }];
    const draft = known ? draftOf(known) : { rig: "", settings: [], ...described, name: told.name, parts };
    const levels = factors.flatMap((factor, index) => {
      const level = other.levels[index]?.trim();
      return level ? [[factor.name.trim(), level]] : [];
    });
    const name = other.name.trim() || known?.name || told.name;
    const which = known ? { setup_id: known.id } : { setup: setupOf(draft) };
    return { lane: { name, condition: "", levels: Object.fromEntries(levels), ...which }, draft };
  });
}

/** Lanes of a study of several cards: the base setup with its card as often as each lane says. */
export function readyCards(
  base: SetupDraft,
  known: Setup | undefined,
  shelf: Shelf,
  factor: string,
  counts: string[],
): LaneReady[] {
  // On a rig the card is the rig's, unless the setup swaps it.
  const card = wholeParts(base, shelf.rigs).find((part) => part.kind === "card" && part.name.trim());
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
      const ready = sent(
        known,
        base,
        { ...base, parts: [...others, ...cards] },
        `${name} ${card.name}`,
        shelf,
      );
      return {
        lane: { name, condition: "", levels: { [factor.trim()]: name }, ...ready.lane },
        draft: ready.draft,
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
  shelf: Shelf,
): LaneReady[] {
  const ready = sent(known, base, base, "", shelf);
  return conditions
    .map((condition) => condition.trim())
    .filter(Boolean)
    .map((condition) => ({
      lane: { name: condition, condition, levels: {}, ...ready.lane },
      draft: ready.draft,
    }));
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

/** A level as it was typed; that of a part may have its price behind it. */
function levelOf(factor: string, text: string, kinds: Schemas["KindOut"][]): Priced {
  return partKind(factor, kinds) ? priced(text) : { name: text.trim(), price: null, currency: "" };
}

function withLevel(draft: SetupDraft, factor: string, level: Priced, shelf: Shelf): SetupDraft {
  const kind = partKind(factor, shelf.kinds);
  if (kind) {
    const others = draft.parts.filter((part) => part.kind !== kind);
    const swapped = { ...draft, parts: [...others, { key: nextKey(draft.parts), kind, ...level }] };
    return kind === "card" ? withDriverOf(level.name, swapped, shelf) : swapped;
  }
  const name = factor.trim();
  const there = draft.settings.some((one) => one.name.toLowerCase() === name.toLowerCase());
  const settings = there
    ? draft.settings.map((one) =>
        one.name.toLowerCase() === name.toLowerCase() ? { ...one, value: level.name } : one,
      )
    : [
        ...draft.settings.filter((one) => one.name),
        { key: nextKey(draft.settings), name, value: level.name },
      ];
  return { ...draft, settings };
}

/**
 * A setup with a driver of its card's maker: where the one it has is another maker's, the newest of that maker that is on
 * the bench; none where the bench has none, so that it is asked for.
 */
function withDriverOf(card: string, draft: SetupDraft, { parts, rigs }: Shelf): SetupDraft {
  const known = (kind: string, name: string) =>
    parts.find((part) => part.kind === kind && part.name.toLowerCase() === name.toLowerCase());
  const maker = known("card", card)?.maker.toLowerCase();
  const drivers = wholeParts(draft, rigs).filter((part) => part.kind === "driver");
  const strange = drivers.filter((part) => {
    const own = known("driver", part.name)?.maker.toLowerCase();
    return own && own !== maker;
  });
  if (!maker || !strange.length) return draft;
  const dated = (part: Schemas["PartOut"]) => String(part.facts.date ?? "");
  const [newest] = parts
    .filter((part) => part.kind === "driver" && part.maker.toLowerCase() === maker)
    .sort((a, b) => dated(b).localeCompare(dated(a)) || b.id - a.id);
  const kept = [
    ...drivers.filter((part) => !strange.includes(part)).map((part) => part.name),
    ...(newest ? [newest.name] : []),
  ];
  const rest = draft.parts.filter((part) => part.kind !== "driver");
  const first = nextKey(draft.parts);
  return {
    ...draft,
    parts: [...rest, ...kept.map((name, at) => ({ key: first + at, kind: "driver", name }))],
  };
}

/** A level as it stands in a setup's name: a part by its own name, a setting with the setting's. */
function toldOf(factor: string, level: string, kinds: Schemas["KindOut"][]): string {
  return partKind(factor, kinds) ? level : `${factor.trim().toLowerCase()} ${level}`;
}
