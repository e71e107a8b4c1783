/** Tests as a matrix: scenes down, conditions across. Pure functions; what is drawn and typed is in TestMatrix. */
import type { Schemas } from "../../api/client";

export interface SceneRow {
  game: string;
  scene: string;
}

export interface Cell {
  priority: number;
  /** Passes wanted in each lane; null takes the study's number. */
  passes_wanted: number | null;
}

export interface Matrix {
  rows: SceneRow[];
  columns: string[];
  cells: ReadonlyMap<string, Cell>;
}

/** A matrix as plain data, to be kept. */
export interface PlainMatrix {
  rows: SceneRow[];
  columns: string[];
  cells: [string, Cell][];
}

export const plain = (matrix: Matrix): PlainMatrix => ({ ...matrix, cells: [...matrix.cells] });
export const fromPlain = (kept: PlainMatrix): Matrix => ({ ...kept, cells: new Map(kept.cells) });

/** Scenes out of pasted lines: game and scene parted by a tab, a semicolon or a comma. `scene` is that of bare games. */
export function pasted(
  text: string,
  known: { game: string; name: string }[],
  scene = "",
): { rows: SceneRow[]; unclear: string[] } {
  const rows: SceneRow[] = [];
  const unclear: string[] = [];
  for (const line of text.split(/\r?\n/)) {
    const [game = "", own = ""] = line.split(/[\t;,]/).map((part) => part.trim());
    if (!game) continue;
    const its = known.filter((one) => one.game.toLowerCase() === game.toLowerCase());
    const name = own || (its.length === 1 ? (its[0]?.name ?? "") : "") || scene.trim();
    if (name) rows.push({ game: its[0]?.game ?? game, scene: name });
    else unclear.push(game);
  }
  return { rows, unclear };
}

export const EMPTY: Matrix = { rows: [], columns: [], cells: new Map() };
const FRESH: Cell = { priority: 2, passes_wanted: null };
const MOST_PASSES = 50;

export function keyOf(row: SceneRow, column: string): string {
  return [row.game, row.scene, column].join("\u0000").toLowerCase();
}

export function cellAt(matrix: Matrix, row: number, column: number): Cell | undefined {
  const scene = matrix.rows[row];
  const condition = matrix.columns[column];
  return scene && condition !== undefined ? matrix.cells.get(keyOf(scene, condition)) : undefined;
}

/** Where a change applies: rows and columns by number. */
export type Place = [row: number, column: number];

export const one = (row: number, column: number): Place[] => [[row, column]];
export const wholeRow = (matrix: Matrix, row: number): Place[] =>
  matrix.columns.map((_, column) => [row, column]);
export const wholeColumn = (matrix: Matrix, column: number): Place[] =>
  matrix.rows.map((_, row) => [row, column]);
export const everywhere = (matrix: Matrix): Place[] => matrix.rows.flatMap((_, row) => wholeRow(matrix, row));

/** Fill the places; where all are filled already, clear them. */
export function toggle(matrix: Matrix, places: Place[]): Matrix {
  const full = places.every(([row, column]) => cellAt(matrix, row, column));
  const cells = new Map(matrix.cells);
  for (const [row, column] of places) {
    const scene = matrix.rows[row];
    const condition = matrix.columns[column];
    if (!scene || condition === undefined) continue;
    const key = keyOf(scene, condition);
    if (full) cells.delete(key);
    else if (!cells.has(key)) cells.set(key, FRESH);
  }
  return { ...matrix, cells };
}

/** Change the cells at places that are filled. */
export function edit(matrix: Matrix, places: Place[], change: (cell: Cell) => Cell): Matrix {
  const cells = new Map(matrix.cells);
  for (const [row, column] of places) {
    const scene = matrix.rows[row];
    const condition = matrix.columns[column];
    if (!scene || condition === undefined) continue;
    const cell = cells.get(keyOf(scene, condition));
    if (cell) cells.set(keyOf(scene, condition), change(cell));
  }
  return { ...matrix, cells };
}

/** One pass more or fewer, never under one. */
export function morePasses(by: number, usual: number): (cell: Cell) => Cell {
  return (cell) => ({
    ...cell,
    passes_wanted: Math.min(MOST_PASSES, Math.max(1, (cell.passes_wanted ?? usual) + by)),
  });
}

/** Another scene at the end, run under every condition there is; one that is there already changes nothing. */
export function addScene(matrix: Matrix, scene: SceneRow): Matrix {
  const there = matrix.rows.some(
    (row) =>
      row.game.toLowerCase() === scene.game.toLowerCase() &&
      row.scene.toLowerCase() === scene.scene.toLowerCase(),
  );
  if (!scene.game || !scene.scene || there) return matrix;
  const next = { ...matrix, rows: [...matrix.rows, scene] };
  return toggle(next, wholeRow(next, matrix.rows.length));
}

/** Another condition at the end, for every scene there is. */
export function addCondition(matrix: Matrix, condition: string): Matrix {
  const there = matrix.columns.some((column) => column.toLowerCase() === condition.toLowerCase());
  if (!condition || there) return matrix;
  const next = { ...matrix, columns: [...matrix.columns, condition] };
  return toggle(next, wholeColumn(next, matrix.columns.length));
}

/** The tests of a matrix, row by row, as the API takes them. */
export function testsOf(matrix: Matrix): Schemas["TestIn"][] {
  return matrix.rows.flatMap((row) =>
    matrix.columns.flatMap((condition) => {
      const cell = matrix.cells.get(keyOf(row, condition));
      return cell ? [{ ...row, condition, ...cell }] : [];
    }),
  );
}

/** The matrix that a study's tests make, in their order. */
export function matrixOf(
  tests: { game: string; scene: string; condition: string; priority: number; passes_wanted: number }[],
): Matrix {
  const rows: SceneRow[] = [];
  const columns: string[] = [];
  const cells = new Map<string, Cell>();
  for (const { game, scene, condition, priority, passes_wanted } of tests) {
    if (!rows.some((row) => row.game === game && row.scene === scene)) rows.push({ game, scene });
    if (!columns.includes(condition)) columns.push(condition);
    cells.set(keyOf({ game, scene }, condition), { priority, passes_wanted });
  }
  return { rows, columns, cells };
}
