import { useState } from "react";
import { useSearchParams } from "react-router";
import type { Schemas } from "../../api/client";
import { type Looking, useCrossing } from "../../api/queries";
import { LevelChart } from "../../charts/LevelChart";
import { ErrorNotice } from "../../controls/Notice";
import { NumberField } from "../../controls/NumberField";
import { useAddress } from "../../controls/useAddress";
import { figure, readNumber } from "../../format";
import type { Study } from "../../model/study";

/** What a wanted rate parts, where one was asked for. */
export function CrossingLine({ study, looking }: { study: Study; looking: Looking }) {
  const [search] = useSearchParams();
  const target = search.get("target") ?? "";
  const { data: found } = useCrossing(study.id, looking, target, target !== "");
  return found ? <p className="mt-1.5 text-[1.05rem] font-semibold">{found.words}</p> : null;
}

/** The levels of all lanes, with the rate that is wanted as a line, and which tests it parts two lanes in. */
export function LevelsAt({
  study,
  looking,
  findings,
  lanes,
}: {
  study: Study;
  looking: Looking;
  findings: Schemas["FindingsOut"];
  lanes: Schemas["LaneOut"][];
}) {
  const [search, set] = useAddress();
  const target = search.get("target") ?? "";
  const [text, setText] = useState(target);
  const { data: found, error } = useCrossing(study.id, looking, target);
  const rate = text.trim() ? readNumber(text) : null;
  const wrong = text.trim() !== "" && !(rate !== null && rate > 0 && rate <= 10_000);
  return (
    <section aria-label="Levels" className="mt-6">
      <div className="mb-3 flex flex-wrap items-end gap-x-6 gap-y-2">
        <h2 className="text-xl font-bold">Levels</h2>
        <form
          onSubmit={(event) => {
            event.preventDefault();
            if (!wrong) set({ target: rate ? String(rate) : "" });
          }}
        >
          <NumberField
            label="Rate wanted, fps"
            placeholder={found ? figure(found.target) : ""}
            min={0.1}
            max={10_000}
            value={text}
            onChange={setText}
          />
        </form>
      </div>
      <ErrorNotice error={error} />
      {found && <p className="mb-3 max-w-5xl">{found.words}</p>}
      <LevelChart findings={findings} lanes={lanes} {...(found ? { target: found.target } : {})} />
    </section>
  );
}
