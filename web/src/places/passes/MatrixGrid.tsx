import { memo, useEffect, useMemo, useRef } from "react";
import { Link } from "react-router";
import { LaneMark } from "../../controls/LaneMark";
import { fps } from "../../format";
import type { Study } from "../../model/study";
import { MARK, MARK_LOOK, pathsOf } from "./marks";
import { type At, type Cell, cellWords, checkWords, type Row } from "./matrix";

/** Rows far out of sight are not laid out: four thousand marks stay fluid. */
const ROW_STYLE = { contentVisibility: "auto", containIntrinsicSize: "auto 2.6rem" } as const;
/** With more lanes than these a mark stands alone, and the names of lanes stand upright. */
export const WIDE_LANES = 4;

interface Props {
  study: Study;
  rows: readonly Row[];
  at: At;
  /** Passes that were picked. */
  picked: ReadonlySet<number>;
  /** Passes that the filter means; the others step back. */
  meant: ReadonlySet<number> | null;
  go: (to: At, pick: boolean) => void;
  open: (to: At) => void;
}

/** Tests by lanes, a mark a pass. It is one stop of the tab key; arrows move within. */
export function MatrixGrid({ study, rows, at, picked, meant, go, open }: Props) {
  const table = useRef<HTMLTableElement>(null);
  const wide = study.lanes_full.length <= WIDE_LANES;
  const id = cellId(rows[at.row], at.lane);
  // biome-ignore lint/correctness/useExhaustiveDependencies: where one stands is kept in sight
  useEffect(() => {
    if (id && table.current?.contains(document.activeElement))
      document.getElementById(id)?.scrollIntoView({ block: "nearest", inline: "nearest" });
  }, [id, at.pass]);
  return (
    <div className="relative max-h-[calc(100vh-15rem)] min-h-[16rem] overflow-auto" data-matrix>
      <table
        ref={table}
        // biome-ignore lint/a11y/noNoninteractiveElementToInteractiveRole: one stop of the tab key, arrows within
        role="grid"
        tabIndex={0}
        aria-label="Passes: tests by lanes"
        aria-activedescendant={id}
        aria-rowcount={rows.length}
        className={`border-collapse ${wide ? "w-full" : ""}`}
      >
        <thead className="sticky top-0 z-2 bg-paper">
          <tr>
            <th className="label min-w-[13rem] pb-1 align-bottom">Test</th>
            {study.lanes_full.map((lane) => (
              <th
                key={lane.id}
                scope="col"
                className={`pb-1 align-bottom font-semibold ${wide ? "pl-4" : "px-1.5"}`}
              >
                {wide ? (
                  <span className="inline-flex items-center gap-1.5">
                    <LaneMark lane={lane.position} />
                    {lane.name}
                  </span>
                ) : (
                  <span className="inline-flex max-h-[9rem] items-center gap-1.5 text-[0.84rem] whitespace-nowrap [writing-mode:vertical-rl] rotate-180">
                    <span className="max-h-[7.6rem] overflow-hidden text-ellipsis" title={lane.name}>
                      {lane.name}
                    </span>
                    <LaneMark lane={lane.position} />
                  </span>
                )}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row, i) => (
            <MatrixRow
              key={row.test.id}
              study={study.id}
              row={row}
              index={i}
              wide={wide}
              active={at.row === i ? at : null}
              picked={pickedIn(row, picked)}
              meant={meant}
              go={go}
              open={open}
            />
          ))}
        </tbody>
      </table>
    </div>
  );
}

export const cellId = (row: Row | undefined, lane: number) =>
  row?.cells[lane] ? `cell-${row.test.id}-${row.cells[lane].lane.id}` : undefined;

/** The picked passes of a row as text, so that a row that holds none of them is not drawn again. */
const pickedIn = (row: Row, picked: ReadonlySet<number>): string =>
  picked.size
    ? row.cells
        .flatMap((cell) => cell.marks)
        .filter(({ one }) => picked.has(one.id))
        .map(({ one }) => one.id)
        .join(" ")
    : "";

const MatrixRow = memo(function MatrixRow({
  study,
  row,
  index,
  wide,
  active,
  picked,
  meant,
  go,
  open,
}: {
  study: number;
  row: Row;
  index: number;
  wide: boolean;
  active: At | null;
  picked: string;
  meant: ReadonlySet<number> | null;
  go: Props["go"];
  open: Props["open"];
}) {
  const chosen = useMemo(() => new Set(picked.split(" ").filter(Boolean).map(Number)), [picked]);
  return (
    <tr className={`border-rule border-t ${active ? "bg-raised" : "bg-paper"}`} style={ROW_STYLE}>
      <th scope="row" className="sticky left-0 z-1 max-w-[16rem] bg-inherit py-1.5 pr-3 leading-tight">
        <Link
          // The grid is one stop of the tab key; Enter opens from within.
          tabIndex={-1}
          to={`/studies/${study}/passes/${row.test.id}`}
          className="plain font-semibold hover:underline"
        >
          {row.test.game}
        </Link>
        <span className="block truncate text-[0.82rem] text-mute">
          {row.test.scene}, {row.test.condition}
        </span>
      </th>
      {row.cells.map((cell, lane) => (
        <MatrixCell
          key={cell.lane.id}
          row={row}
          cell={cell}
          wide={wide}
          active={active?.lane === lane ? active.pass : -1}
          chosen={chosen}
          meant={meant}
          go={(pass, pick) => go({ row: index, lane, pass }, pick)}
          open={(pass) => open({ row: index, lane, pass })}
        />
      ))}
    </tr>
  );
});

function MatrixCell({
  row,
  cell,
  wide,
  active,
  chosen,
  meant,
  go,
  open,
}: {
  row: Row;
  cell: Cell;
  wide: boolean;
  active: number;
  chosen: ReadonlySet<number>;
  meant: ReadonlySet<number> | null;
  go: (pass: number, pick: boolean) => void;
  open: (pass: number) => void;
}) {
  const step = wide ? MARK.wide : MARK.dense;
  const count = cell.marks.length;
  const faint = meant !== null && !cell.marks.some(({ one }) => meant.has(one.id));
  const passAt = (event: React.MouseEvent<HTMLElement>) => {
    const left = event.currentTarget.querySelector("svg")?.getBoundingClientRect().left ?? 0;
    return Math.max(0, Math.min(count - 1, Math.floor((event.clientX - left) / step)));
  };
  const first = cell.marks.findIndex((one) => one.firm > 0);
  const checks = wide ? [...new Set(cell.marks.flatMap((one) => (one.firm ? one.checks : [])))] : [];
  return (
    // biome-ignore lint/a11y/useFocusableInteractive: the grid itself has the focus and says which cell is active
    // biome-ignore lint/a11y/useKeyWithClickEvents: keys are the grid's
    <td
      // biome-ignore lint/a11y/noNoninteractiveElementToInteractiveRole: a cell of that grid
      role="gridcell"
      id={cellId(row, row.cells.indexOf(cell))}
      aria-selected={active >= 0}
      className={`cursor-pointer py-1 ${wide ? "pl-4" : "px-1"}`}
      onClick={(event) => count && go(passAt(event), event.shiftKey)}
      onDoubleClick={(event) => count && open(passAt(event))}
    >
      <span className="sr-only">{cellWords(row, cell)}</span>
      <svg
        width={Math.max(1, count) * step}
        height={wide ? 38 : MARK.height}
        aria-hidden="true"
        className="block overflow-visible"
        opacity={faint ? 0.25 : 1}
      >
        {cell.marks.map(({ one }, i) =>
          chosen.has(one.id) ? (
            <rect key={one.id} x={step * i} y={0} width={step} height={wide ? 38 : 24} fill="var(--mark)" />
          ) : null,
        )}
        {active >= 0 && count > 0 && (
          <rect
            data-active
            x={step * active + 1}
            y={0.5}
            width={step - 2}
            height={wide ? 37 : 23}
            fill="none"
            stroke="var(--focus)"
            strokeWidth={2.5}
            rx={2}
          />
        )}
        {pathsOf(cell.marks, step).map(([mark, path]) => (
          <path
            key={mark}
            d={path}
            fill={MARK_LOOK[mark].fill}
            stroke={MARK_LOOK[mark].stroke}
            strokeWidth={MARK_LOOK[mark].width}
            strokeDasharray={MARK_LOOK[mark].dash}
          />
        ))}
        {wide &&
          cell.marks.map(({ one, mark }, i) => (
            <text
              key={one.id}
              x={step * (i + 0.5)}
              y={35}
              fontSize={11.5}
              textAnchor="middle"
              className="figure"
              fill={mark === "rejected" || mark === "did_not_run" ? "var(--mute)" : "var(--soft)"}
            >
              {one.figures?.average_fps != null
                ? fps(one.figures.average_fps)
                : one.reported?.average_fps != null
                  ? fps(one.reported.average_fps)
                  : ""}
            </text>
          ))}
      </svg>
      {checks.length > 0 && (
        <span
          aria-hidden="true"
          className="block text-[0.78rem] leading-tight text-accent"
          style={{ paddingLeft: step * first + 8 }}
        >
          {checks.map(checkWords).join(", ")}
        </span>
      )}
    </td>
  );
}
