import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useDeciding } from "../../api/doubts";
import { useMay } from "../../api/queries";
import { Button } from "../../controls/Button";
import { ErrorNotice } from "../../controls/Notice";
import { count, moment } from "../../format";
import type { Study } from "../../model/study";
import { likelyReason } from "./Deciding";
import { CheckLink } from "./DoubtList";
import { causesOf, type Wide } from "./matrix";
import { ReasonDialog, WordsDialog } from "./Settling";

/** Doubts about a lane, a test or a session: those of one cause stand together, and are settled for all their passes. */
export function WideDoubts({
  study,
  doubts,
  show,
}: {
  study: Study;
  /** Those that the filter means. */
  doubts: readonly Wide[];
  /** Pick the passes that a doubt is about. */
  show: (passes: number[]) => void;
}) {
  const [all, setAll] = useState(false);
  const open = doubts.filter((one) => !one.settled?.done);
  const settled = doubts.length - open.length;
  if (!doubts.length) return null;
  return (
    <section aria-label="Doubts about several passes" className="mb-4 grid gap-1.5">
      {causesOf(all ? doubts : open).map((cause) => (
        <Cause key={cause[0]?.key} study={study} doubts={cause} show={show} />
      ))}
      {settled > 0 && (
        <p>
          <Button kind="quiet" onClick={() => setAll((now) => !now)}>
            {all
              ? "Hide what is settled"
              : `${count(settled, "doubt about several passes is settled", "doubts about several passes are settled")}`}
          </Button>
        </p>
      )}
    </section>
  );
}

/** How many sentences of a cause stand there before one asks for the rest. */
const SHOWN = 3;

function Cause({
  study,
  doubts,
  show,
}: {
  study: Study;
  /** At least one; all of one check, and all open or the same one settled. */
  doubts: readonly Wide[];
  show: (passes: number[]) => void;
}) {
  const [whole, setWhole] = useState(false);
  const may = useMay("tester") && study.state === "open";
  const { settleWide } = useDeciding(study.id);
  const [dialog, setDialog] = useState<"accepted" | "assumed" | "rejected" | null>(null);
  const settle = (how: Schemas["SettleWideIn"]["how"], why: Partial<Schemas["SettleWideIn"]> = {}) => {
    settleWide.mutate({ keys: doubts.map((one) => one.key), how, reason: "", reason_code: "", ...why });
    setDialog(null);
  };
  const [doubt] = doubts;
  if (!doubt) return null;
  const open = !doubt.settled?.done;
  const passes = [...new Set(doubts.flatMap((one) => one.pass_ids))];
  const shown = whole ? doubts : doubts.slice(0, SHOWN);
  return (
    <div
      className={`border-l-4 px-3 py-1.5 ${open && !doubt.weak ? "border-accent bg-mark/40" : "border-rule text-soft"}`}
    >
      {doubts.length === 1 ? (
        <p>
          <CheckLink study={study.id} check={doubt.check} />
          {doubt.words}
        </p>
      ) : (
        <>
          <p>
            <CheckLink study={study.id} check={doubt.check} />
            {doubts.length} doubts of one kind
          </p>
          <ul className="ml-4 list-disc">
            {shown.map((one) => (
              <li key={one.key}>{one.words}</li>
            ))}
          </ul>
          {doubts.length > SHOWN && (
            <Button kind="quiet" onClick={() => setWhole((now) => !now)}>
              {whole ? "Show fewer" : `Show all ${doubts.length}`}
            </Button>
          )}
        </>
      )}
      {doubt.settled && (
        <p className="text-[0.88rem]">
          <strong>{doubt.settled.words}</strong>
          {doubt.settled.reason && `: ${doubt.settled.reason}`}{" "}
          <span className="text-mute">
            ({doubt.settled.by}, {moment(doubt.settled.at)})
          </span>
        </p>
      )}
      <p className="mt-1 flex flex-wrap gap-2">
        <Button kind="quiet" onClick={() => show(passes)}>
          Pick{" "}
          {passes.length === 1
            ? "its pass"
            : `${doubts.length === 1 ? "its" : "their"} ${passes.length} passes`}
        </Button>
        {may && open && (
          <>
            <Button onClick={() => setDialog("accepted")}>
              {doubts.length === 1 ? "It" : "They"} may stand
            </Button>
            {doubt.check === "wrong_length" && (
              <Button onClick={() => setDialog("assumed")}>
                {doubts.length === 1 ? "It takes" : "They take"} that long
              </Button>
            )}
            <Button onClick={() => settle("repeat")}>Run all again</Button>
            <Button kind="grave" onClick={() => setDialog("rejected")}>
              Reject all
            </Button>
          </>
        )}
      </p>
      <ErrorNotice error={settleWide.error} />
      <WordsDialog
        title={
          dialog === "assumed"
            ? `Passes of ${doubts.length === 1 ? "this test" : `these ${doubts.length} tests`} take that long`
            : `${doubts.length === 1 ? "It" : "They"} may stand`
        }
        says={
          dialog === "assumed"
            ? "Passes of it are held against that length from now on, in this study. Put the scene's card right as well, for all others."
            : "Its passes may be accepted. The reason stands in the record of each, and the findings tell of it."
        }
        does={dialog === "assumed" ? "From now on" : "Let it stand"}
        asks={dialog === "assumed" ? "How it is known" : "Why it may stand"}
        example={dialog === "assumed" ? "the route was walked to the new gate" : "all lanes ran in it alike"}
        open={dialog === "accepted" || dialog === "assumed"}
        close={() => setDialog(null)}
        done={(reason) => settle(dialog === "assumed" ? "assumed" : "accepted", { reason })}
      />
      <ReasonDialog
        study={study.id}
        passes={passes}
        kind="rejected"
        likely={likelyReason(doubts)}
        open={dialog === "rejected"}
        close={() => setDialog(null)}
        decide={(_, why) => settle("rejected", why)}
      />
    </div>
  );
}
