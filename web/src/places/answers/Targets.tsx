import { useState } from "react";
import { useAddress } from "../../controls/useAddress";
import { readNumber } from "../../format";

const MOST = 8;
const FASTEST = 10_000;

/** The rates that a reader wants: which lanes hold them is asked anew, and the address keeps them. */
export function Targets({ own }: { own: readonly number[] }) {
  const [, set] = useAddress();
  const [text, setText] = useState(own.join(", "));
  const parts = text.split(/;|,\s+/).filter((part) => part.trim());
  const rates = parts.map(readNumber);
  const wrong = rates.some((rate) => rate === null || !(rate > 0 && rate <= FASTEST)) || rates.length > MOST;
  const ask = () => {
    if (!wrong) set({ targets: rates.join(",") });
  };
  return (
    <form
      className="flex flex-wrap items-center gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        ask();
      }}
    >
      <span className="label">What do I need for</span>
      <input
        className="field w-28"
        aria-label="What do I need for, in fps"
        aria-invalid={wrong}
        aria-describedby={wrong ? "rates-wanted" : undefined}
        value={text}
        onChange={(event) => setText(event.target.value)}
        onBlur={ask}
        inputMode="decimal"
      />
      <span className="text-soft">fps</span>
      {wrong && (
        <span id="rates-wanted" className="text-accent">
          Write up to {MOST} rates with a comma and a space between them, as 60, 90.
        </span>
      )}
    </form>
  );
}
