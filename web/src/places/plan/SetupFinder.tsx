import type { ClipboardEvent } from "react";
import { useSetups } from "../../api/queries";
import { Field } from "../../controls/Field";
import { emptySetup } from "../bench/SetupEditor";
import type { SetupAsked } from "./lanes";

/** A setup by its name: one of the bench is found by typing, any other name is of one that is described here. */
export function SetupFinder({
  label,
  value,
  change,
  onPaste,
  error,
  quietLabel = false,
  autoFocus = false,
}: {
  label: string;
  value: SetupAsked;
  change: (asked: SetupAsked) => void;
  onPaste?: (event: ClipboardEvent) => void;
  error?: string | undefined;
  quietLabel?: boolean;
  autoFocus?: boolean;
}) {
  const { data: setups = [] } = useSetups();
  const known = setups.find((setup) => String(setup.id) === value.choice);
  const typed = value.setup.name.trim();
  const find = (text: string) => {
    const found = setups.find((setup) => setup.name.toLowerCase() === text.trim().toLowerCase());
    const from = known ? emptySetup() : value.setup;
    change({ choice: found ? String(found.id) : "new", setup: { ...from, name: text } });
  };
  return (
    <Field
      label={label}
      quietLabel={quietLabel}
      autoFocus={autoFocus}
      maxLength={120}
      placeholder="type to find one, or name a new one"
      suggestions={setups.map((setup) => setup.name)}
      value={known ? known.name : value.setup.name}
      error={error}
      hint={
        known
          ? `On the bench, version ${known.version}.`
          : typed
            ? "The bench has none of that name: describe it here."
            : "Left empty, it is named after its machine and what is special about it."
      }
      onChange={(event) => find(event.target.value)}
      {...(onPaste ? { onPaste } : {})}
    />
  );
}
