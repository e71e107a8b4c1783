import { type FormEvent, useEffect, useState } from "react";
import type { Schemas } from "../../api/client";
import { useWhatIf } from "../../api/doubts";
import { useMay } from "../../api/queries";
import { useWhatChanges } from "../../api/reports";
import { words } from "../../api/words";
import { Dialog } from "../../controls/Dialog";
import { Field, Labelled } from "../../controls/Field";
import { FormEnd } from "../../controls/FormEnd";
import { Select } from "../../controls/Select";
import { WouldSay } from "../reports/WouldSay";

type Why = Pick<Schemas["PassChange"], "reason" | "reason_code">;

/** What would become of the findings, before it is confirmed. */
export function WhatIf({
  study,
  passes,
  state,
  open,
}: {
  study: number;
  passes: readonly number[];
  state: "accepted" | "rejected";
  open: boolean;
}) {
  const { data: found, error } = useWhatIf(study, passes, state, open);
  const uncounted = state === "rejected" && found?.counted === 0;
  const { data: accepted } = useWhatIf(study, passes, "accepted", open && uncounted);
  const tester = useMay("tester");
  const { data: reports = [] } = useWhatChanges(study, passes, state, tester && open);
  if (error) return <p className="text-mute">How the findings would move is not known: {error.message}</p>;
  if (!found) return <p className="text-mute">Working out how the findings would move …</p>;
  return (
    <>
      <section
        aria-label="How the findings would move"
        className="border-l-4 border-rule bg-raised px-3 py-2"
      >
        <h3 className="label mb-1">How the findings would move</h3>
        {uncounted ? (
          <>
            <p>
              {passes.length === 1 ? "It does" : "They do"} not count yet, so the findings stay as they are.
            </p>
            {accepted && (
              <p className="mt-1 text-soft">
                Were {passes.length === 1 ? "it" : "they"} accepted: {accepted.average.words}
              </p>
            )}
          </>
        ) : (
          <>
            <p>{found.average.words}</p>
            <p>{found.low_1.words}</p>
          </>
        )}
        {found.rejections.words && state === "rejected" && (
          <p className="mt-1 text-soft">With it: {found.rejections.words}</p>
        )}
      </section>
      <WouldSay reports={reports} />
    </>
  );
}

/** A reason for what does not count: what it was, and more words where they are needed. */
export function ReasonDialog({
  study,
  passes,
  kind,
  likely,
  open,
  close,
  decide,
}: {
  study: number;
  passes: readonly number[];
  kind: "rejected" | "did_not_run";
  /** What is likeliest the matter: the reason that stands there first. */
  likely: string;
  open: boolean;
  close: () => void;
  decide: (state: "rejected" | "did_not_run", why: Why) => void;
}) {
  const [code, setCode] = useState("other");
  const [reason, setReason] = useState("");
  useEffect(() => {
    if (open) {
      setCode(likely);
      setReason("");
    }
  }, [open, likely]);
  const codes = kind === "rejected" ? words().rejected_for : words().did_not_run_for;
  const enough = code !== "other" || reason.trim() !== "";
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (enough) decide(kind, { reason_code: code as Why["reason_code"], reason: reason.trim() });
  };
  const these = passes.length === 1 ? "this pass" : `these ${passes.length} passes`;
  return (
    <Dialog
      open={open}
      onOpenChange={(now) => !now && close()}
      title={
        kind === "rejected" ? `Reject ${these}` : `${these[0]?.toUpperCase()}${these.slice(1)} did not run`
      }
      description={
        kind === "rejected"
          ? "It stays in the record and is listed with every finding. A pass that is merely lower than one likes is no reason."
          : "The reason is listed with every finding."
      }
    >
      <form onSubmit={submit} className="grid gap-4">
        {kind === "rejected" && <WhatIf study={study} passes={passes} state="rejected" open={open} />}
        <Labelled label="It was">
          <Select
            label="It was"
            value={code}
            onChange={setCode}
            options={codes.map((one) => ({ value: one.name, label: one.words }))}
          />
        </Labelled>
        <Field
          label="Reason"
          required={code === "other"}
          maxLength={300}
          autoFocus
          value={reason}
          onChange={(e) => setReason(e.target.value)}
          placeholder={
            code !== "other"
              ? "more words, if you like"
              : kind === "rejected"
                ? "an update ran in the background"
                : "crashed while loading, twice"
          }
        />
        <FormEnd leave={close} disabled={!enough} does={kind === "rejected" ? "Reject" : "Note it"} />
      </form>
    </Dialog>
  );
}

/** Words that a settled doubt needs, and what else it takes. */
export function WordsDialog({
  title,
  says,
  does,
  asks,
  example,
  needed = true,
  cap = false,
  open,
  close,
  done,
  children,
}: {
  title: string;
  says: string;
  does: string;
  asks: string;
  example: string;
  needed?: boolean;
  /** Whether a cap is to be named. */
  cap?: boolean;
  open: boolean;
  close: () => void;
  done: (reason: string, cap: string) => void;
  children?: React.ReactNode;
}) {
  const [reason, setReason] = useState("");
  const [name, setName] = useState("engine cap");
  useEffect(() => {
    if (open) {
      setReason("");
      setName("engine cap");
    }
  }, [open]);
  const enough = (!needed || reason.trim() !== "") && (!cap || name.trim() !== "");
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (enough) done(reason.trim(), name.trim());
  };
  return (
    <Dialog open={open} onOpenChange={(now) => !now && close()} title={title} description={says}>
      <form onSubmit={submit} className="grid gap-4">
        {children}
        {cap && (
          <Field
            label="The cap is"
            required
            maxLength={60}
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
        )}
        <Field
          label={asks}
          required={needed}
          maxLength={300}
          autoFocus
          value={reason}
          onChange={(e) => setReason(e.target.value)}
          placeholder={example}
        />
        <FormEnd leave={close} disabled={!enough} does={does} />
      </form>
    </Dialog>
  );
}
