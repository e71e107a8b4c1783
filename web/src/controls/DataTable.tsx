import type { ReactNode } from "react";

export interface TableOf {
  /** What it holds, for those who do not see it. */
  caption: string;
  heads: ReactNode[];
  rows: { key: string; cells: ReactNode[]; strong?: boolean }[];
}

/** Rows of numbers under their heads; the first cell of a row is what it is about. */
export function DataTable({ caption, heads, rows, narrow = false }: TableOf & { narrow?: boolean }) {
  return (
    <table className={`border-collapse ${narrow ? "" : "w-full"}`}>
      <caption className="sr-only">{caption}</caption>
      <thead>
        <tr className="label">
          {heads.map((head, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: columns do not move
            <th key={i} scope="col" className={`pb-1 align-bottom ${i ? "pl-4" : ""}`}>
              {head}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map(({ key, cells, strong }) => (
          <tr
            key={key}
            className={`border-rule border-t align-top ${strong ? "bg-raised font-semibold" : ""}`}
          >
            {cells.map((cell, i) =>
              i ? (
                // biome-ignore lint/suspicious/noArrayIndexKey: columns do not move
                <td key={i} className="py-1.5 pl-4">
                  {cell}
                </td>
              ) : (
                // biome-ignore lint/suspicious/noArrayIndexKey: columns do not move
                <th key={i} scope="row" className="py-1.5 pr-3 text-left">
                  {cell}
                </th>
              ),
            )}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
