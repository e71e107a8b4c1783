import { ChevronDown } from "lucide-react";
import { Select as Primitive } from "radix-ui";

export interface Option {
  value: string;
  label: string;
}

interface Props {
  value: string;
  onChange: (value: string) => void;
  options: Option[];
  label: string;
  placeholder?: string;
  id?: string;
  className?: string;
  /** Marks a choice that is still to be made. */
  wanted?: boolean;
}

export function Select({ value, onChange, options, label, placeholder, id, className = "", wanted }: Props) {
  return (
    <Primitive.Root value={value} onValueChange={onChange}>
      <Primitive.Trigger
        id={id}
        aria-label={label}
        className={`field inline-flex cursor-pointer items-center justify-between gap-2 text-left ${wanted ? "border-accent! bg-mark/40!" : ""} ${className}`}
      >
        <span className="truncate">
          <Primitive.Value placeholder={placeholder ?? "choose"} />
        </span>
        <ChevronDown size={14} aria-hidden="true" className="shrink-0" />
      </Primitive.Trigger>
      <Primitive.Portal>
        <Primitive.Content
          position="popper"
          sideOffset={3}
          className="z-60 max-h-[min(24rem,var(--radix-select-content-available-height))] min-w-(--radix-select-trigger-width) overflow-auto rounded border border-ink bg-raised shadow-lg"
        >
          <Primitive.Viewport>
            {options.map((option) => (
              <Primitive.Item
                key={option.value}
                value={option.value}
                className="cursor-pointer px-3 py-1.5 outline-none data-[highlighted]:bg-mark data-[state=checked]:font-bold"
              >
                <Primitive.ItemText>{option.label}</Primitive.ItemText>
              </Primitive.Item>
            ))}
          </Primitive.Viewport>
        </Primitive.Content>
      </Primitive.Portal>
    </Primitive.Root>
  );
}
