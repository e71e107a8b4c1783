import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { client, data, type Schemas } from "../../api/client";
import type { Looking } from "../../api/queries";
import { Dialog } from "../../controls/Dialog";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { useOnPaper } from "../../controls/paper";
import { fps } from "../../format";
import type { Study } from "../../model/study";
import { namesOf } from "./shown";

/** Which number is asked about: of the suite, of a test, or the level of a lane. */
export interface Asked {
  figure: "average" | "low_1" | "low_01";
  test?: number;
  lane?: number;
  /** Lanes over lanes, by ids with commas between them; by `per` pairs. */
  plus?: string;
  minus?: string;
  per?: number;
  at_once?: number;
}

/** Opens the derivation of a number; nothing is asked before. `of` says in words which number it is. */
export function Why({
  study,
  looking,
  asked,
  of,
}: {
  study: Study;
  looking: Looking;
  asked: Asked;
  of: string;
}) {
  const [open, setOpen] = useState(false);
  if (useOnPaper()) return null;
  return (
    <>
      <button
        type="button"
        aria-label={`Why ${of}?`}
        className="no-print cursor-pointer text-[0.78rem] text-mute underline decoration-dotted underline-offset-2"
        onClick={() => setOpen(true)}
      >
        why?
      </button>
      {open && (
        <Dialog open wide onOpenChange={setOpen} title={of}>
          <Derivation study={study} looking={looking} asked={asked} />
        </Dialog>
      )}
    </>
  );
}

function Derivation({ study, looking, asked }: { study: Study; looking: Looking; asked: Asked }) {
  const { data: found, error } = useQuery({
    queryKey: ["study", study.id, "why", looking, asked],
    queryFn: () =>
      data(
        client.GET("/api/studies/{study_id}/why", {
          params: { path: { study_id: study.id }, query: { ...looking, ...asked } },
        }),
      ),
  });
  if (error) return <ErrorNotice error={error} />;
  if (!found) return <Loading what="the derivation" />;
  const names = namesOf(study);
  return (
    <>
      <p className="text-[1.15rem]">
        {found.of}: <strong className="figure">{found.value}</strong>
      </p>
      {found.lines.length > 0 && (
        <dl className="mt-3 grid gap-x-4 gap-y-1.5 sm:grid-cols-[13rem_1fr]">
          {found.lines.map((line) => (
            <div key={line.what + line.filled} className="contents">
              <dt className="border-rule border-t pt-1 font-semibold">{line.what}</dt>
              <dd className="border-rule border-t pt-1">
                {line.formula && <span className="block text-[0.86rem] text-mute">{line.formula}</span>}
                <span className="figure text-[0.93rem]">{line.filled}</span>
                {line.note && <span className="block text-[0.86rem] text-soft">{line.note}</span>}
              </dd>
            </div>
          ))}
        </dl>
      )}
      {found.left_out.length > 0 && (
        <>
          <h3 className="mt-4 font-bold">Left out</h3>
          <ul className="text-soft">
            {found.left_out.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </ul>
        </>
      )}
      {found.cells.length > 0 && <Cells study={study} cells={found.cells} names={names} />}
    </>
  );
}

/** The passes that a number stands on, each a way to its capture. */
function Cells({
  study,
  cells,
  names,
}: {
  study: Study;
  cells: Schemas["AnswerCellShown"][];
  names: ReturnType<typeof namesOf>;
}) {
  return (
    <>
      <h3 className="mt-4 font-bold">Passes</h3>
      <ul>
        {cells.map((cell) => (
          <li key={`${cell.lane} ${cell.test}`} className="py-0.5">
            <span className="font-semibold">
              {names.tests.get(cell.test)}, {names.lane(cell.lane)}:
            </span>{" "}
            {cell.passes.map((one, at) => (
              <span key={one.id}>
                {at > 0 && ", "}
                <Link to={`/studies/${study.id}/passes/${cell.test}?pass=${one.id}`} className="figure">
                  {one.value == null ? "no value" : fps(one.value)}
                </Link>
                {!one.counts && <span className="text-mute"> (not counted: {one.reason})</span>}
              </span>
            ))}
          </li>
        ))}
      </ul>
    </>
  );
}
