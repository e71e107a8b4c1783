import { Check } from "lucide-react";
import { Checkbox } from "radix-ui";
import { type ReactNode, useId } from "react";

interface Props {
  label: ReactNode;
  checked: boolean;
  onChange: (checked: boolean) => void;
  quietLabel?: boolean;
}

/** A box to tick. */
export function Tick({ label, checked, onChange, quietLabel = false }: Props) {
  const id = useId();
  return (
    <span className="inline-flex items-center gap-2">
      <Checkbox.Root
        id={id}
        checked={checked}
        onCheckedChange={(now) => onChange(now === true)}
        className="grid size-[1.15rem] shrink-0 cursor-pointer place-items-center rounded-[3px] border border-mute bg-raised data-[state=checked]:border-ink data-[state=checked]:bg-ink data-[state=checked]:text-paper"
      >
        <Checkbox.Indicator>
          <Check size={13} strokeWidth={3} aria-hidden="true" />
        </Checkbox.Indicator>
      </Checkbox.Root>
      <label htmlFor={id} className={quietLabel ? "sr-only" : "cursor-pointer"}>
        {label}
      </label>
    </span>
  );
}
