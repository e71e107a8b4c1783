import { type ClipboardEvent, type KeyboardEvent, useEffect, useRef } from "react";
import { Button } from "../../controls/Button";
import { Field } from "../../controls/Field";
import { linesOf } from "./pasting";

/** A list that grows as it is typed: Enter makes the next. */
export function Levels({
  label,
  values,
  change,
  suggestions,
  placeholder,
  hint,
}: {
  label: string;
  values: string[];
  change: (values: string[]) => void;
  suggestions: string[];
  placeholder: string;
  hint?: string;
}) {
  const box = useRef<HTMLDivElement>(null);
  const before = useRef(values.length);
  useEffect(() => {
    if (values.length > before.current) [...(box.current?.querySelectorAll("input") ?? [])].at(-1)?.focus();
    before.current = values.length;
  }, [values.length]);
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.key !== "Enter" || event.ctrlKey || event.metaKey) return;
    event.preventDefault();
    const inputs = [...(box.current?.querySelectorAll("input") ?? [])];
    const next = inputs[inputs.indexOf(event.target as HTMLInputElement) + 1];
    if (next) next.focus();
    else change([...values, ""]);
  };
  // A list that stands somewhere already: its lines fill the fields from here on.
  const onPaste = (index: number) => (event: ClipboardEvent) => {
    const lines = linesOf(event.clipboardData.getData("text"));
    if (!lines) return;
    event.preventDefault();
    const known = new Set(values.slice(0, index).map((one) => one.trim().toLowerCase()));
    const fresh = lines.filter((line) => !known.has(line.toLowerCase()));
    change([
      ...values.slice(0, index),
      ...new Set(fresh),
      ...values.slice(index + 1).filter((one) => one.trim()),
    ]);
  };
  return (
    <div ref={box} className="grid gap-1.5">
      {hint && <p className="text-[0.88rem] text-soft">{hint}</p>}
      {values.map((value, index) => (
        <Field
          // biome-ignore lint/suspicious/noArrayIndexKey: rows are only added and removed at the end
          key={index}
          label={`${label} ${index + 1}`}
          quietLabel
          required={index < 2}
          placeholder={placeholder}
          suggestions={suggestions}
          value={value}
          onChange={(e) => change(values.map((one, i) => (i === index ? e.target.value : one)))}
          onKeyDown={onKeyDown}
          onPaste={onPaste(index)}
        />
      ))}
      <div className="flex gap-2">
        <Button kind="quiet" onClick={() => change([...values, ""])}>
          One more
        </Button>
        {values.length > 2 && (
          <Button kind="quiet" onClick={() => change(values.slice(0, -1))}>
            Take the last out
          </Button>
        )}
        {suggestions.length > 1 && (
          <Button kind="quiet" onClick={() => change(suggestions)}>
            All known ({suggestions.length})
          </Button>
        )}
      </div>
    </div>
  );
}
