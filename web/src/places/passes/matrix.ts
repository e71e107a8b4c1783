/** The matrix of passes: what each mark says, in which order tests stand, which of them a few typed words mean. */

import type { Schemas } from "../../api/client";
import { words } from "../../api/words";

export type Pass = Schemas["PassOut"];
export type Doubts = Schemas["DoubtsOut"];
export type PassDoubt = Schemas["PassDoubtOut"];
type Test = Schemas["TestOut"];
type Lane = Schemas["LaneOut"];

/** What a mark says of its pass; every one has a shape of its own. */
export type Mark = "planned" | "waits" | "doubted" | "accepted" | "odd" | "rejected" | "did_not_run";

export interface Marked {
  one: Pass;
  mark: Mark;
  /** What is still doubted about it, by the checks' ids: sure ones before unsure ones. */
  checks: string[];
  /** How many of those a check is sure of. */
  firm: number;
}

export interface Cell {
  lane: Lane;
  marks: Marked[];
}

export interface Row {
  test: Test;
  cells: Cell[];
  /** How much doubt there is: sure doubts first, unsure ones count a tenth. */
  doubt: number;
  waits: number;
}

export type Order = "plan" | "doubt" | "waiting";

/** Doubts that stand, by pass: those nobody has settled, and those whose repeat is still awaited. */
export function standing(doubts: Doubts): Map<number, PassDoubt[]> {
  const found = new Map<number, PassDoubt[]>();
  for (const one of doubts.passes) {
    if (one.settled?.done) continue;
    const own = found.get(one.pass_id);
    if (own) own.push(one);
    else found.set(one.pass_id, [one]);
  }
  for (const own of found.values()) own.sort((a, b) => Number(a.weak) - Number(b.weak));
  return found;
}

/** What the mark of a pass is: a sure doubt shows on whatever is recorded or accepted. */
export function markOf(one: Pass, firm: number, odd: boolean): Mark {
  if (one.state === "planned" || one.state === "rejected" || one.state === "did_not_run") return one.state;
  if (firm > 0) return "doubted";
  if (one.state === "recorded") return "waits";
  return odd ? "odd" : "accepted";
}

/** All rows, in the order of the plan. Wide doubts mark every pass that they are about. */
export function rowsOf(
  tests: readonly Test[],
  lanes: readonly Lane[],
  passes: readonly Pass[],
  doubts: Doubts | undefined,
): Row[] {
  const own = doubts ? standing(doubts) : new Map<number, PassDoubt[]>();
  const odd = new Set(doubts?.odd);
  const wide = new Map<number, string[]>();
  for (const one of doubts?.wide ?? []) {
    if (one.settled?.done || one.weak || !one.marks) continue;
    for (const pass of one.pass_ids) wide.set(pass, [...(wide.get(pass) ?? []), one.check]);
  }
  const places = new Map<string, Marked[]>();
  for (const one of passes) {
    const found = own.get(one.id) ?? [];
    const more = wide.get(one.id) ?? [];
    const firm = found.filter((doubt) => !doubt.weak).length + more.length;
    const stands = one.state === "recorded" || one.state === "accepted";
    const marked = {
      one,
      mark: markOf(one, firm, odd.has(one.id)),
      checks: stands ? [...new Set([...found.map((doubt) => doubt.check), ...more])] : [],
      firm: stands ? firm : 0,
    };
    const key = `${one.test_id} ${one.lane_id}`;
    const cell = places.get(key);
    if (cell) cell.push(marked);
    else places.set(key, [marked]);
  }
  return tests.map((test) => {
    const cells = lanes.map((lane) => ({ lane, marks: places.get(`${test.id} ${lane.id}`) ?? [] }));
    const marks = cells.flatMap((cell) => cell.marks);
    return {
      test,
      cells,
      doubt: marks.reduce((sum, one) => sum + one.firm + 0.1 * Math.max(0, one.checks.length - one.firm), 0),
      waits: marks.filter((one) => one.one.state === "recorded").length,
    };
  });
}

/** Rows by plan, by doubt or by what waits; those alike keep the order of the plan. */
export function ordered(rows: readonly Row[], order: Order): Row[] {
  const by = (row: Row) => (order === "doubt" ? row.doubt : order === "waiting" ? row.waits : 0);
  return [...rows].sort((a, b) => by(b) - by(a) || a.test.position - b.test.position);
}

const MARK_WORDS: Record<Mark, string> = {
  planned: "missing, to run",
  waits: "to decide",
  doubted: "doubted",
  accepted: "accepted",
  odd: "odd but real",
  rejected: "rejected",
  did_not_run: "did not run",
};
export const markWords = (mark: Mark): string => MARK_WORDS[mark];

/** A check as people call it. */
export const checkWords = (check: string): string => words().called[check] ?? check.replace(/_/g, " ");

/** All that one may type to find a pass: its lane, its mark, its role, what is doubted about it. */
export function wordsOf(lane: string, { one, mark, checks }: Marked): string {
  const role = one.role === "counted" ? "" : one.role.replace("_", "-");
  return `${lane} ${markWords(mark)} ${role} ${checks.map(checkWords).join(" ")}`.toLowerCase();
}

export type Wide = Doubts["wide"][number];

/** Doubts about several passes that nobody has settled, and of which their check is sure. */
export const openWide = (wide: readonly Wide[]): Wide[] =>
  wide.filter((one) => !one.settled?.done && !one.weak);

/** Doubts about several passes that the typed words mean: each word is the doubt's own or of one of its passes. */
export function wideMeant(wide: readonly Wide[], rows: readonly Row[], text: string): Wide[] {
  const asked = text.toLowerCase().split(/\s+/).filter(Boolean);
  if (!asked.length) return [...wide];
  const told = new Map<number, string>();
  for (const row of rows)
    for (const cell of row.cells)
      for (const one of cell.marks)
        told.set(
          one.one.id,
          `${row.test.game} ${row.test.scene} ${row.test.condition} ${wordsOf(cell.lane.name, one)}`.toLowerCase(),
        );
  return wide.filter((one) => {
    const own = `${checkWords(one.check)} ${one.words}`.toLowerCase();
    const left = asked.filter((word) => !own.includes(word));
    return !left.length || one.pass_ids.some((id) => left.every((word) => told.get(id)?.includes(word)));
  });
}

/** Doubts about several passes by their cause: those of one check stand together, open ones apart from settled. */
export function causesOf(wide: readonly Wide[]): Wide[][] {
  const found = new Map<string, Wide[]>();
  for (const one of wide) {
    const key = `${one.check} ${one.weak} ${one.settled?.done ? one.key : one.settled?.how}`;
    found.set(key, [...(found.get(key) ?? []), one]);
  }
  return [...found.values()];
}

export interface Shown {
  rows: Row[];
  /** Passes that the words mean; null where they name tests alone, or nothing was typed. */
  meant: Set<number> | null;
}

/** Rows that hold what was typed: each word is of the test, or together with the others of one of its passes. */
export function matching(rows: readonly Row[], text: string): Shown {
  const asked = text.toLowerCase().split(/\s+/).filter(Boolean);
  if (!asked.length) return { rows: [...rows], meant: null };
  const meant = new Set<number>();
  let passes = false;
  const found = rows.filter((row) => {
    const test = `${row.test.game} ${row.test.scene} ${row.test.condition}`.toLowerCase();
    const left = asked.filter((word) => !test.includes(word));
    if (!left.length) return true;
    let any = false;
    for (const cell of row.cells) {
      const lane = cell.lane.name;
      for (const one of cell.marks) {
        const own = wordsOf(lane, one);
        if (left.every((word) => own.includes(word))) {
          meant.add(one.one.id);
          any = true;
        }
      }
    }
    passes ||= any;
    return any;
  });
  return { rows: found, meant: passes ? meant : null };
}

/** A place in the matrix: a row, a lane, and which pass of that cell. */
export interface At {
  row: number;
  lane: number;
  pass: number;
}

export type Way = "left" | "right" | "up" | "down" | "lane_left" | "lane_right" | "first" | "last";

/** Where an arrow leads: pass by pass along a row, test by test along a lane. It stays where there is nothing more. */
export function moved(rows: readonly Row[], at: At, way: Way): At {
  const row = rows[at.row];
  if (!row) return at;
  const clampPass = (to: At): At => {
    const marks = rows[to.row]?.cells[to.lane]?.marks.length ?? 0;
    return { ...to, pass: Math.max(0, Math.min(to.pass, marks - 1)) };
  };
  const lane = (by: number): At => {
    for (let next = at.lane + by; next >= 0 && next < row.cells.length; next += by) {
      const marks = row.cells[next]?.marks.length ?? 0;
      if (marks) return { ...at, lane: next, pass: by > 0 ? 0 : marks - 1 };
    }
    return at;
  };
  const marks = row.cells[at.lane]?.marks.length ?? 0;
  if (way === "right") return at.pass + 1 < marks ? { ...at, pass: at.pass + 1 } : lane(1);
  if (way === "left") return at.pass > 0 ? { ...at, pass: at.pass - 1 } : lane(-1);
  if (way === "lane_right" || way === "lane_left") {
    const to = lane(way === "lane_right" ? 1 : -1);
    return to === at ? at : clampPass({ ...to, pass: at.pass });
  }
  if (way === "first") return clampPass({ ...at, row: 0 });
  if (way === "last") return clampPass({ ...at, row: rows.length - 1 });
  return clampPass({
    ...at,
    row: Math.max(0, Math.min(rows.length - 1, at.row + (way === "down" ? 1 : -1))),
  });
}

/** The pass at a place. */
export const passAt = (rows: readonly Row[], at: At): Marked | undefined =>
  rows[at.row]?.cells[at.lane]?.marks[at.pass];

/** Where a pass stands; null where it is not shown. */
export function placeOf(rows: readonly Row[], pass: number): At | null {
  for (const [row, one] of rows.entries())
    for (const [lane, cell] of one.cells.entries()) {
      const at = cell.marks.findIndex((marked) => marked.one.id === pass);
      if (at >= 0) return { row, lane, pass: at };
    }
  return null;
}

/** The next pass that is doubted, from a place on and round; null where none is. */
export function nextDoubt(rows: readonly Row[], at: At, by: 1 | -1): At | null {
  const all: At[] = [];
  let here = 0;
  for (const [row, one] of rows.entries())
    for (const [lane, cell] of one.cells.entries())
      for (const [pass, marked] of cell.marks.entries()) {
        const before =
          row < at.row || (row === at.row && (lane < at.lane || (lane === at.lane && pass < at.pass)));
        if (marked.mark !== "doubted") continue;
        if (before) here = all.length + 1;
        all.push({ row, lane, pass });
      }
  if (!all.length) return null;
  const own = all.findIndex((one) => one.row === at.row && one.lane === at.lane && one.pass === at.pass);
  const next = own >= 0 ? own + by : by > 0 ? here : here - 1;
  return all[(next + all.length) % all.length] ?? null;
}

/** How many passes each mark stands for. */
export function counted(rows: readonly Row[]): Record<Mark, number> {
  const found: Record<Mark, number> = {
    planned: 0,
    waits: 0,
    doubted: 0,
    accepted: 0,
    odd: 0,
    rejected: 0,
    did_not_run: 0,
  };
  for (const row of rows) for (const cell of row.cells) for (const { mark } of cell.marks) found[mark] += 1;
  return found;
}

/** A cell in words, for whoever cannot see its marks. */
export function cellWords(row: Row, cell: Cell): string {
  const told = cell.marks.map(
    ({ one, mark, checks }) =>
      `pass ${one.number} ${markWords(mark)}${checks.length ? ` by ${checks.map(checkWords).join(", ")}` : ""}`,
  );
  return `${row.test.game}, ${row.test.scene}, ${cell.lane.name}: ${told.join("; ") || "no pass"}`;
}
