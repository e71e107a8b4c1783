import { useState } from "react";
import { useAddress } from "../../controls/useAddress";

/** The rate that a reader wants: which lanes hold it is asked anew, and the address keeps it. */
export function Targets({ own }: { own: readonly number[] }) {
  const [, set] = useAddress();
  const [text, setText] = useState(own.join(", "));
  const ask = () => set({ targets: text.replaceAll(" ", "").replaceAll(";", ",") });
  return (
    <form
      className="flex items-center gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        ask();
      }}
    >
      <span className="label">What do I need for</span>
      <input
        className="field w-28"
        aria-label="What do I need for, in fps"
        value={text}
        onChange={(event) => setText(event.target.value)}
        onBlur={ask}
        inputMode="decimal"
      />
      <span className="text-soft">fps</span>
    </form>
  );
}
