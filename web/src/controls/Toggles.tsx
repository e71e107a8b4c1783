interface Props<T extends string> {
  label: string;
  options: readonly { value: T; label: string; title?: string }[];
  on: ReadonlySet<T>;
  toggle: (value: T) => void;
}

/** Things that are each shown or not. */
export function Toggles<T extends string>({ label, options, on, toggle }: Props<T>) {
  return (
    // biome-ignore lint/a11y/useSemanticElements: a fieldset would draw a frame of its own
    <span role="group" aria-label={label} className="inline-flex flex-wrap gap-1">
      {options.map((one) => (
        <button
          key={one.value}
          type="button"
          title={one.title}
          aria-pressed={on.has(one.value)}
          onClick={() => toggle(one.value)}
          className={`cursor-pointer rounded-[3px] border px-2 py-0.5 text-[0.86rem] ${on.has(one.value) ? "border-ink bg-band font-semibold" : "border-rule bg-raised text-soft hover:border-mute"}`}
        >
          {one.label}
        </button>
      ))}
    </span>
  );
}
