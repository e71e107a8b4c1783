import { useState } from "react";
import { useStudies } from "../../api/queries";
import { FilterField } from "../../controls/Filter";
import { Select } from "../../controls/Select";
import { useLater } from "../../controls/useLater";

const NONE = "none";
const RESTS_MS = 250;

/** Another study, found by its words among those on the desk and those put away. */
export function StudyPick({
  label,
  none,
  not,
  kind,
  chosen,
  named,
  choose,
}: {
  label: string;
  /** What choosing none is called. */
  none: string;
  /** The study that is looked at. */
  not: number;
  kind?: string;
  chosen: string;
  /** What the chosen one asks, where it is known already. */
  named?: string | undefined;
  choose: (id: string) => void;
}) {
  const [typed, setTyped] = useState("");
  const words = useLater(typed.trim(), RESTS_MS);
  const { data: desk } = useStudies(words);
  const { data: archive } = useStudies(words, true);
  const found = [...(desk?.pages.flat() ?? []), ...(archive?.pages.flat() ?? [])].filter(
    (one) => one.id !== not && one.counts.accepted > 0 && (!kind || one.kind === kind),
  );
  const options = found.map((one) => ({ value: String(one.id), label: one.question }));
  if (!options.length && !typed && !chosen) return null;
  const listed = options.some((one) => one.value === chosen);
  return (
    <span className="inline-flex flex-wrap items-center gap-2">
      <FilterField label={`${label}, by its words`} text={typed} setText={setTyped} className="w-40" />
      <Select
        label={label}
        className="w-80! max-w-full"
        value={chosen || NONE}
        onChange={(id) => choose(id === NONE ? "" : id)}
        options={[
          { value: NONE, label: none },
          ...(chosen && !listed ? [{ value: chosen, label: named ?? "the study in the address" }] : []),
          ...options,
        ]}
      />
    </span>
  );
}
