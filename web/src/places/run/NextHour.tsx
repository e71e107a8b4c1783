import { useState } from "react";
import { useNextHour } from "../../api/next-hour";
import { NextBlock } from "../../controls/NextBlock";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { NumberField } from "../../controls/NumberField";
import { readNumber } from "../../format";
import { type AskedOf, Submit } from "./RunForms";

/** What would settle most in the time that is left, to be taken with one key. */
export function NextHour({ study, act, close }: AskedOf) {
  const [text, setText] = useState("");
  const wanted = readNumber(text);
  const hours = wanted !== null && wanted >= 0.1 && wanted <= 400 ? wanted : null;
  const { data: found, error } = useNextHour(study, hours);
  return (
    <form
      className="grid gap-4"
      onSubmit={(event) => {
        event.preventDefault();
        if (!found || found.tests.length === 0) return;
        act({
          kind: "block",
          lanes: found.lane_ids,
          passes: found.tests.map(({ test_id, passes }) => ({ test_id, passes })),
        });
        close();
      }}
    >
      <NumberField
        label="Within hours (else until the deadline, or the end of today)"
        className="w-72"
        value={text}
        onChange={setText}
        min={0.1}
        max={400}
        autoFocus
      />
      <ErrorNotice error={error} />
      {!found && !error && <Loading what="what would settle most" />}
      {found && <NextBlock found={found} />}
      <Submit done="Run these next" close={close} pending={!found || found.tests.length === 0} />
    </form>
  );
}
