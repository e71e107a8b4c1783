import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useNumbers } from "../../api/reports";
import { Dialog } from "../../controls/Dialog";
import { Field } from "../../controls/Field";
import { NothingMatches } from "../../controls/Filter";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { useLater } from "../../controls/useLater";

/** While a hand types, nothing is asked. */
const REST_MS = 150;

/** Finds a number of the report's studies by words; the arrows go through them, Enter takes one. */
export function NumberDialog({
  report,
  take,
  close,
}: {
  report: number;
  take: (number: Schemas["QuoteOut"]) => void;
  close: () => void;
}) {
  const [words, setWords] = useState("");
  const { data: found, error } = useNumbers(report, useLater(words, REST_MS));
  const [at, setAt] = useState(0);
  const own = found?.[Math.min(at, found.length - 1)];
  const id = (one: number) => `number-${one}`;
  return (
    <Dialog open wide onOpenChange={(open) => !open && close()} title="Which number?">
      <Field
        label="Words of what it is of"
        hint="A lane, a test, “1% low”, the digits. Arrows choose, Enter takes."
        autoFocus
        role="combobox"
        aria-expanded="true"
        aria-controls="numbers"
        aria-activedescendant={own ? id(found?.indexOf(own) ?? 0) : undefined}
        value={words}
        onChange={(event) => {
          setWords(event.target.value);
          setAt(0);
        }}
        onKeyDown={(event) => {
          const step = event.key === "ArrowDown" ? 1 : event.key === "ArrowUp" ? -1 : 0;
          if (step && found?.length) {
            event.preventDefault();
            setAt((now) => (now + step + found.length) % found.length);
          }
          if (event.key === "Enter" && own) {
            event.preventDefault();
            take(own);
          }
        }}
      />
      <ErrorNotice error={error} />
      {!found && <Loading what="the numbers" />}
      {found?.length === 0 && <NothingMatches text={words} what="number" />}
      <div id="numbers" role="listbox" aria-label="Numbers" className="mt-3 max-h-[46vh] overflow-auto">
        {found?.map((one, index) => (
          // biome-ignore lint/a11y/useKeyWithClickEvents: the field above has the keys
          <div
            key={`${one.study_id} ${one.key}`}
            id={id(index)}
            role="option"
            tabIndex={-1}
            aria-selected={one === own}
            ref={one === own ? (row) => row?.scrollIntoView({ block: "nearest" }) : undefined}
            className={`grid cursor-pointer grid-cols-[7rem_1fr] gap-3 border-rule border-t px-2 py-1.5 ${one === own ? "bg-mark" : ""}`}
            onClick={() => take(one)}
          >
            <span className="figure font-semibold">{one.text}</span>
            <span>
              {one.of}
              {one.interval && <span className="text-soft"> ({one.interval})</span>}
            </span>
          </div>
        ))}
      </div>
    </Dialog>
  );
}
