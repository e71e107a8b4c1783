import { ToggleGroup } from "radix-ui";

interface Props<T extends string> {
  value: T;
  onChange: (value: T) => void;
  options: { value: T; label: string }[];
  label: string;
}

/** A few choices side by side, one of them taken. */
export function Choice<T extends string>({ value, onChange, options, label }: Props<T>) {
  return (
    <ToggleGroup.Root
      type="single"
      value={value}
      onValueChange={(next) => next && onChange(next as T)}
      aria-label={label}
      className="inline-flex overflow-hidden rounded-[3px] border border-mute"
    >
      {options.map((option) => (
        <ToggleGroup.Item
          key={option.value}
          value={option.value}
          className="cursor-pointer border-r border-mute bg-raised px-2.5 py-1 text-[0.88rem] font-semibold last:border-r-0 data-[state=on]:bg-ink data-[state=on]:text-paper"
        >
          {option.label}
        </ToggleGroup.Item>
      ))}
    </ToggleGroup.Root>
  );
}
