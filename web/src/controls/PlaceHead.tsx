import type { ReactNode } from "react";
import { FilterField } from "./Filter";

interface Props {
  title: string;
  says: string;
  /** What is filtered by typing, as its label. */
  filters: string;
  filter: string;
  setFilter: (text: string) => void;
  children?: ReactNode;
  level?: "place" | "part";
}

/** The head of a place with a list: what it is, its filter, its actions. */
export function PlaceHead({ title, says, filters, filter, setFilter, children, level = "place" }: Props) {
  return (
    <div className="mb-5 flex flex-wrap items-end justify-between gap-4">
      <div>
        <h1 className={level === "place" ? "text-[2rem] leading-tight font-bold" : "text-2xl font-bold"}>
          {title}
        </h1>
        <p className="text-soft">{says}</p>
      </div>
      <div className="flex flex-wrap items-end gap-3">
        <FilterField label={filters} text={filter} setText={setFilter} />
        {children}
      </div>
    </div>
  );
}
