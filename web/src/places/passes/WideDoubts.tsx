import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useDeciding } from "../../api/doubts";
import { useMay } from "../../api/queries";
import { Button } from "../../controls/Button";
import { ErrorNotice } from "../../controls/Notice";
import { count, moment } from "../../format";
import type { Study } from "../../model/study";
import { CheckLink } from "./DoubtList";
import type { Doubts } from "./matrix";
import { ReasonDialog, WordsDialog } from "./Settling";

type Wide = Doubts["wide"][number];

/** Doubts about a lane, a test or a session: each stands once, and is settled for all its passes at once. */
export function WideDoubts({
  study,
  doubts,
  show,
}: {
  study: Study;
  doubts: Doubts;
  /** Pick the passes that a doubt is about. */
  show: (passes: number[]) => void;
}) {
  const [all, setAll] = useState(false);
  const open = doubts.wide.filter((one) => !one.settled?.done);
  const settled = doubts.wide.length - open.length;
  if (!doubts.wide.length) return null;
  return (
    <section aria-label="Doubts about several passes" className="mb-4 grid gap-1.5">
      {(all ? doubts.wide : open).map((one) => (
        <WideDoubt key={one.key} study={study} doubt={one} show={show} />
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

function WideDoubt({ study, doubt, show }: { study: Study; doubt: Wide; show: (passes: number[]) => void }) {
  const may = useMay("tester") && study.state === "open";
  const { settleWide } = useDeciding(study.id);
  const [dialog, setDialog] = useState<"accepted" | "assumed" | "rejected" | null>(null);
  const settle = (how: Schemas["SettleWideIn"]["how"], why: Partial<Schemas["SettleWideIn"]> = {}) => {
    settleWide.mutate({ key: doubt.key, how, reason: "", reason_code: "", ...why });
    setDialog(null);
  };
  const open = !doubt.settled?.done;
  return (
    <div
      className={`border-l-4 px-3 py-1.5 ${open && !doubt.weak ? "border-accent bg-mark/40" : "border-rule text-soft"}`}
    >
      <p>
        <CheckLink study={study.id} check={doubt.check} />
        {doubt.words}
      </p>
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
        <Button kind="quiet" onClick={() => show(doubt.pass_ids)}>
          Pick {doubt.pass_ids.length === 1 ? "its pass" : `its ${doubt.pass_ids.length} passes`}
        </Button>
        {may && open && (
          <>
            <Button onClick={() => setDialog("accepted")}>It may stand</Button>
            {doubt.check === "wrong_length" && (
              <Button onClick={() => setDialog("assumed")}>It takes that long</Button>
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
        title={dialog === "assumed" ? "Passes of this test take that long" : "It may stand"}
        says={
          dialog === "assumed"
            ? "Passes of this test are held against that length from now on. Put the scene's card right as well, for its next version."
            : "Its passes may be accepted. The reason stands in the record of each, and the findings tell of it."
        }
        does={dialog === "assumed" ? "From now on" : "It may stand"}
        asks={dialog === "assumed" ? "How it is known" : "Why it may stand"}
        example={dialog === "assumed" ? "the route was walked to the new gate" : "all lanes ran in it alike"}
        open={dialog === "accepted" || dialog === "assumed"}
        close={() => setDialog(null)}
        done={(reason) => settle(dialog === "assumed" ? "assumed" : "accepted", { reason })}
      />
      <ReasonDialog
        study={study.id}
        passes={doubt.pass_ids}
        kind="rejected"
        open={dialog === "rejected"}
        close={() => setDialog(null)}
        decide={(_, why) => settle("rejected", why)}
      />
    </div>
  );
}
