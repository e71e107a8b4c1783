import { type InputHTMLAttributes, type ReactNode, type Ref, useId } from "react";
import type { Word } from "./glossary";
import { Term } from "./Term";

interface Props extends InputHTMLAttributes<HTMLInputElement> {
  label: string;
  hint?: string;
  error?: string | undefined;
  /** Values to choose from while typing; others may be typed. */
  suggestions?: string[];
  /** The label is for screen readers where a heading above says it. */
  quietLabel?: boolean;
  ref?: Ref<HTMLInputElement>;
}

export function Field({
  label,
  hint,
  error,
  suggestions,
  quietLabel = false,
  className = "",
  ...rest
}: Props) {
  const id = useId();
  return (
    <div className={className}>
      <label htmlFor={id} className={quietLabel ? "sr-only" : "label mb-1 block"}>
        {label}
      </label>
      <input
        id={id}
        list={suggestions ? `${id}-list` : undefined}
        aria-invalid={error ? true : undefined}
        aria-describedby={hint || error ? `${id}-note` : undefined}
        autoComplete="off"
        {...rest}
        className={`field ${error ? "border-accent!" : ""}`}
      />
      {suggestions && (
        <datalist id={`${id}-list`}>
          {suggestions.map((value) => (
            <option key={value} value={value} />
          ))}
        </datalist>
      )}
      {(hint || error) && (
        <p
          id={`${id}-note`}
          className={`mt-1 text-[0.85rem] ${error ? "font-semibold text-accent" : "text-mute"}`}
        >
          {error ?? hint}
        </p>
      )}
    </div>
  );
}

/** A label above a control that is no plain input. */
export function Labelled({
  label,
  term,
  children,
  className = "",
}: {
  label: string;
  /** The word of the glossary that the label is. */
  term?: Word;
  children: ReactNode;
  className?: string;
}) {
  return (
    <div className={className}>
      {term ? (
        <span className="label mb-1 block">
          <Term word={term}>{label}</Term>
        </span>
      ) : (
        <span className="label mb-1 block" aria-hidden="true">
          {label}
        </span>
      )}
      {children}
    </div>
  );
}
