import { useMemo, useState } from "react";
import { Field } from "./Field";

export interface Filtered<T> {
  shown: T[];
  text: string;
  setText: (text: string) => void;
}

/** Those of some things whose words hold everything that was typed, in any order. */
export function useFilter<T>(items: readonly T[], wordsOf: (one: T) => string): Filtered<T> {
  const [text, setText] = useState("");
  // biome-ignore lint/correctness/useExhaustiveDependencies: what a thing's words are does not change while it is shown
  const shown = useMemo(() => {
    const asked = text.toLowerCase().split(/\s+/).filter(Boolean);
    if (!asked.length) return [...items];
    return items.filter((one) => {
      const own = wordsOf(one).toLowerCase();
      return asked.every((word) => own.includes(word));
    });
  }, [items, text]);
  return { shown, text, setText };
}

/** The field that filters a list by typing. */
export function FilterField({
  label,
  text,
  setText,
  className = "w-56",
}: {
  label: string;
  text: string;
  setText: (text: string) => void;
  className?: string;
}) {
  return (
    <Field
      label={label}
      quietLabel
      placeholder="Filter by typing"
      value={text}
      onChange={(e) => setText(e.target.value)}
      className={className}
    />
  );
}

/** What a list says that was filtered to nothing. */
export function NothingMatches({ text, what }: { text: string; what: string }) {
  return (
    <p role="status" className="py-6 text-mute">
      No {what} matches “{text}”.
    </p>
  );
}
