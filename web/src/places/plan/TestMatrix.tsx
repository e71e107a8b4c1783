import { type KeyboardEvent, type ReactNode, useRef, useState } from "react";
import { useConditions, useScenes } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Dialog } from "../../controls/Dialog";
import { Field } from "../../controls/Field";
import * as M from "./matrix";

const PRIORITY = ["", "first", "", "if time allows"];

interface Props {
  matrix: M.Matrix;
  change: (matrix: M.Matrix) => void;
  /** Passes of a cell that names no number of its own. */
  usual: number;
  readOnly?: boolean;
  /** Further columns to the right of each scene, with their headings. */
  asideHead?: ReactNode;
  aside?: (row: number) => ReactNode;
  /** A single fixed column, where lanes and not tests say what the games are told. */
  oneCondition?: string;
}

/** Scenes by conditions, to be filled by cell, row or column; each cell shows its passes a lane and its priority. */
export function TestMatrix({
  matrix,
  change,
  usual,
  readOnly = false,
  asideHead,
  aside,
  oneCondition,
}: Props) {
  const [at, setAt] = useState<M.Place>([0, 0]);
  const table = useRef<HTMLTableElement>(null);
  const [row, column] = [
    Math.min(at[0], Math.max(0, matrix.rows.length - 1)),
    Math.min(at[1], Math.max(0, matrix.columns.length - 1)),
  ];
  const move = (toRow: number, toColumn: number) => {
    const next: M.Place = [
      Math.min(Math.max(toRow, 0), matrix.rows.length - 1),
      Math.min(Math.max(toColumn, 0), matrix.columns.length - 1),
    ];
    setAt(next);
    table.current?.querySelector<HTMLElement>(`[data-cell="${next.join("-")}"]`)?.focus();
  };
  const actions: Record<string, () => M.Matrix> = {
    " ": () => M.toggle(matrix, M.one(row, column)),
    Enter: () => M.toggle(matrix, M.one(row, column)),
    r: () => M.toggle(matrix, M.wholeRow(matrix, row)),
    c: () => M.toggle(matrix, M.wholeColumn(matrix, column)),
    a: () => M.toggle(matrix, M.everywhere(matrix)),
    "+": () => M.edit(matrix, M.one(row, column), M.morePasses(1, usual)),
    "=": () => M.edit(matrix, M.one(row, column), M.morePasses(1, usual)),
    "-": () => M.edit(matrix, M.one(row, column), M.morePasses(-1, usual)),
    "1": () => M.edit(matrix, M.wholeRow(matrix, row), (cell) => ({ ...cell, priority: 1 })),
    "2": () => M.edit(matrix, M.wholeRow(matrix, row), (cell) => ({ ...cell, priority: 2 })),
    "3": () => M.edit(matrix, M.wholeRow(matrix, row), (cell) => ({ ...cell, priority: 3 })),
  };
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const steps: Record<string, M.Place> = {
      ArrowUp: [row - 1, column],
      ArrowDown: [row + 1, column],
      ArrowLeft: [row, column - 1],
      ArrowRight: [row, column + 1],
      Home: [row, 0],
      End: [row, matrix.columns.length - 1],
    };
    const step = steps[event.key];
    const action = readOnly ? undefined : actions[event.key];
    if (step) move(...step);
    else if (action) change(action());
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <div>
      {(matrix.rows.length > 0 || matrix.columns.some(Boolean)) && (
        <table
          ref={table}
          // biome-ignore lint/a11y/noNoninteractiveElementToInteractiveRole: its cells are chosen by keys
          role="grid"
          aria-label="Tests"
          onKeyDown={onKeyDown}
          className={`border-collapse ${aside ? "w-full" : ""}`}
        >
          <thead>
            <tr className="label">
              <th className="pb-1">Scene</th>
              {matrix.columns.map((condition) => (
                <th key={condition} className="w-[6.5rem] pb-1 text-center!">
                  {oneCondition ?? condition}
                </th>
              ))}
              {asideHead}
            </tr>
          </thead>
          <tbody>
            {matrix.rows.map((scene, r) => (
              <tr key={`${scene.game}/${scene.scene}`} className="border-rule border-t">
                <th scope="row" className="min-w-[20rem] py-1 pr-3">
                  <span className="font-semibold">{scene.game}</span>{" "}
                  <span className="text-mute">{scene.scene}</span>
                </th>
                {matrix.columns.map((condition, c) => (
                  <CellView
                    key={condition}
                    place={[r, c]}
                    cell={M.cellAt(matrix, r, c)}
                    name={`${scene.game}, ${scene.scene}, ${condition}`}
                    usual={usual}
                    focusable={r === row && c === column}
                    press={() => {
                      setAt([r, c]);
                      if (!readOnly) change(M.toggle(matrix, M.one(r, c)));
                    }}
                  />
                ))}
                {aside?.(r)}
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {!readOnly && (
        <>
          {matrix.rows.length > 0 && matrix.columns.length === 0 && (
            <p className="mt-2 font-semibold">Now name the condition they are run under.</p>
          )}
          {matrix.rows.length > 0 && matrix.columns.length > 0 && (
            <p className="mt-2 text-[0.86rem] text-soft">
              <Keys keys={["Space"]} /> cell <Keys keys={["r"]} /> row <Keys keys={["c"]} /> column{" "}
              <Keys keys={["a"]} /> all <Keys keys={["+", "−"]} /> passes <Keys keys={["1", "2", "3"]} /> a
              row’s priority: 1 always run, 3 left out first when time runs short
            </p>
          )}
          <Adding matrix={matrix} change={change} fixed={oneCondition !== undefined} />
        </>
      )}
    </div>
  );
}

function Keys({ keys }: { keys: string[] }) {
  return (
    <>
      {keys.map((key) => (
        <kbd key={key} className="key ml-1">
          {key}
        </kbd>
      ))}
    </>
  );
}

function CellView({
  place,
  cell,
  name,
  usual,
  focusable,
  press,
}: {
  place: M.Place;
  cell: M.Cell | undefined;
  name: string;
  usual: number;
  focusable: boolean;
  press: () => void;
}) {
  const passes = cell?.passes_wanted ?? usual;
  const words = cell
    ? `${name}: ${passes} passes a lane${PRIORITY[cell.priority] ? `, ${PRIORITY[cell.priority]}` : ""}`
    : `${name}: not run`;
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: the grid around it answers the keys
    <td
      // biome-ignore lint/a11y/noNoninteractiveElementToInteractiveRole: a cell that is chosen
      role="gridcell"
      aria-label={words}
      aria-selected={Boolean(cell)}
      tabIndex={focusable ? 0 : -1}
      data-cell={place.join("-")}
      onClick={press}
      className="cursor-pointer p-0.5 text-center"
    >
      <span
        className={`mx-auto flex h-7 w-[5rem] items-center justify-center gap-1.5 rounded-[3px] border ${cell ? "border-mute bg-raised font-semibold" : "border-transparent text-mute"} ${cell?.priority === 3 ? "border-dashed" : ""}`}
      >
        {cell ? (
          <>
            <span className="figure">{passes}</span>
            <Urgency priority={cell.priority} />
          </>
        ) : (
          "·"
        )}
      </span>
    </td>
  );
}

/** How long a test stays in the plan: three strokes never leave, one goes first. */
function Urgency({ priority }: { priority: number }) {
  return (
    <svg width="14" height="10" viewBox="0 0 14 10" aria-hidden="true">
      {[0, 1, 2].map((i) => (
        <path
          key={i}
          d={`M${1.5 + i * 4} 9.5V${i < 4 - priority ? 0.5 : 7.5}`}
          stroke={i < 4 - priority ? "var(--ink)" : "var(--mute)"}
          strokeWidth="2"
        />
      ))}
    </svg>
  );
}

/** A list of games that stands somewhere already. */
function Pasting({ matrix, change }: { matrix: M.Matrix; change: (matrix: M.Matrix) => void }) {
  const { data: scenes = [] } = useScenes();
  const [open, setOpen] = useState(false);
  const [text, setText] = useState("");
  const [scene, setScene] = useState("");
  const bare = M.pasted(text, scenes).unclear.length;
  const found = M.pasted(text, scenes, scene);
  return (
    <>
      <Button onClick={() => setOpen(true)}>Paste a list</Button>
      <Dialog
        open={open}
        onOpenChange={setOpen}
        title="Paste a list of games"
        description="One a line. Where a game has a scene of its own, it stands behind a comma, a semicolon or a tab."
      >
        <div className="grid gap-3">
          <label className="block">
            <span className="label mb-1 block">Games and scenes</span>
            <textarea
              className="field min-h-40"
              placeholder={"Moss Republic\nNinth Ferry\nGlass Caravan, dune crossing"}
              value={text}
              onChange={(event) => setText(event.target.value)}
            />
          </label>
          {bare > 0 && (
            <Field
              label="One scene for all of them: name it"
              maxLength={120}
              placeholder="built-in benchmark"
              hint={`For ${bare === 1 ? "the game that names none" : `the ${bare} games that name none`}. Its card is written later.`}
              value={scene}
              onChange={(event) => setScene(event.target.value)}
            />
          )}
          <p aria-live="polite" className="text-soft">
            {found.rows.length} of {found.rows.length + found.unclear.length} lines are understood.
            {found.unclear.length > 0 && (
              <span className="block font-semibold text-accent">
                Without a scene: {found.unclear.join(", ")}
              </span>
            )}
          </p>
          <div className="flex justify-end gap-2">
            <Button onClick={() => setOpen(false)}>Cancel</Button>
            <Button
              kind="main"
              disabled={!found.rows.length}
              onClick={() => {
                change(found.rows.reduce(M.addScene, matrix));
                setText("");
                setOpen(false);
              }}
            >
              Add them
            </Button>
          </div>
        </div>
      </Dialog>
    </>
  );
}

function Adding({
  matrix,
  change,
  fixed,
}: {
  matrix: M.Matrix;
  change: (matrix: M.Matrix) => void;
  fixed: boolean;
}) {
  const { data: scenes = [] } = useScenes();
  const { data: conditions = [] } = useConditions();
  const [game, setGame] = useState("");
  const [scene, setScene] = useState("");
  const [condition, setCondition] = useState("");
  const gameField = useRef<HTMLDivElement>(null);
  const known = scenes.filter((one) => one.game.toLowerCase() === game.trim().toLowerCase());
  const addScene = () => {
    const name = scene.trim() || (known.length === 1 ? (known[0]?.name ?? "") : "");
    if (!game.trim() || !name) return;
    change(M.addScene(matrix, { game: known[0]?.game ?? game.trim(), scene: name }));
    setGame("");
    setScene("");
    gameField.current?.querySelector("input")?.focus();
  };
  const addCondition = () => {
    change(M.addCondition(matrix, condition.trim()));
    setCondition("");
  };
  const onEnter = (does: () => void) => (event: KeyboardEvent) => {
    if (event.key !== "Enter" || event.ctrlKey || event.metaKey) return;
    event.preventDefault();
    does();
  };
  const fresh = scenes.filter((one) => M.addScene(matrix, { game: one.game, scene: one.name }) !== matrix);
  return (
    <div className="mt-3 flex flex-wrap items-end gap-x-3 gap-y-2">
      <div ref={gameField}>
        <Field
          label="Game"
          placeholder="game"
          className="w-44"
          suggestions={[...new Set(scenes.map((one) => one.game))]}
          value={game}
          onChange={(e) => setGame(e.target.value)}
          onKeyDown={onEnter(addScene)}
        />
      </div>
      <Field
        label="Scene"
        placeholder={known.length === 1 ? known[0]?.name : "scene"}
        className="w-40"
        suggestions={known.map((one) => one.name)}
        value={scene}
        onChange={(e) => setScene(e.target.value)}
        onKeyDown={onEnter(addScene)}
      />
      <Button onClick={addScene} disabled={!game.trim()}>
        Add the scene
      </Button>
      <Pasting matrix={matrix} change={change} />
      {fresh.length > 0 && (
        <Button
          onClick={() =>
            change(fresh.reduce((now, one) => M.addScene(now, { game: one.game, scene: one.name }), matrix))
          }
        >
          {matrix.rows.length ? "All others known" : "All known scenes"} ({fresh.length})
        </Button>
      )}
      {!fixed && (
        <div className="ml-auto flex items-end gap-2">
          <Field
            label="Condition"
            placeholder="1440 high"
            className="w-40"
            suggestions={conditions.map((one) => one.name)}
            value={condition}
            onChange={(e) => setCondition(e.target.value)}
            onKeyDown={onEnter(addCondition)}
          />
          <Button onClick={addCondition} disabled={!condition.trim()}>
            Add the condition
          </Button>
        </div>
      )}
    </div>
  );
}
