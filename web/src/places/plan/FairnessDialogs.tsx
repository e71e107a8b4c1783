import { type FormEvent, useState } from "react";
import { client, data, type Schemas } from "../../api/client";
import { useAcceptDifference, useStudyChange } from "../../api/queries";
import { Dialog } from "../../controls/Dialog";
import { Field } from "../../controls/Field";
import { FormEnd, useSeen } from "../../controls/FormEnd";
import type { Study } from "../../model/study";

type Objection = Schemas["ObjectionOut"];

/** Why a difference may stand. */
export function AcceptDialog({ study, one, close }: { study: Study; one: Objection; close: () => void }) {
  const [reason, setReason] = useState("");
  const save = useAcceptDifference(study.id);
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    await save.mutateAsync({ key: one.key, about: one.about, reason });
    close();
  };
  return (
    <Dialog
      open
      onOpenChange={(now) => !now && close()}
      title={`Accept: ${one.label}`}
      description={`${one.about}. ${one.reason}.`}
    >
      <form onSubmit={(event) => submit(event).catch(() => undefined)} className="grid gap-3">
        <Field
          label="Why it may stand"
          autoFocus
          required
          maxLength={400}
          hint="This prints with every finding of the study."
          value={reason}
          onChange={(e) => setReason(e.target.value)}
        />
        <FormEnd error={save.error} leave={close} disabled={save.isPending} does="Accept it" />
      </form>
    </Dialog>
  );
}

/** The question in other words, or another factor. */
export function AskDialog({ study, close }: { study: Study; close: () => void }) {
  const [draft, setDraft] = useState({
    question: study.question,
    factor: study.factor,
    second_factor: study.second_factor,
  });
  const seen = useSeen(study.seen.question);
  const save = useStudyChange(study.id, (asked: typeof draft) =>
    data(
      client.PUT("/api/studies/{study_id}/question", {
        params: { path: { study_id: study.id } },
        body: { ...asked, seen: seen.current },
      }),
    ),
  );
  const submit = async (event: FormEvent) => {
    event.preventDefault();
    await save.mutateAsync(draft);
    close();
  };
  return (
    <Dialog
      open
      onOpenChange={(now) => !now && close()}
      title="What does the study ask?"
      description="The factor is a kind of part, or the name of a setting. Another factor has to be called ready again."
    >
      <form onSubmit={(event) => submit(event).catch(() => undefined)} className="grid gap-3">
        <Field
          label="Question"
          autoFocus
          required
          maxLength={200}
          value={draft.question}
          onChange={(e) => setDraft({ ...draft, question: e.target.value })}
        />
        <Field
          label="Factor"
          required
          maxLength={120}
          value={draft.factor}
          onChange={(e) => setDraft({ ...draft, factor: e.target.value })}
        />
        {study.kind === "grid" && (
          <Field
            label="Second factor"
            required
            maxLength={120}
            value={draft.second_factor}
            onChange={(e) => setDraft({ ...draft, second_factor: e.target.value })}
          />
        )}
        <FormEnd seen={seen} error={save.error} leave={close} disabled={save.isPending} does="Keep" />
      </form>
    </Dialog>
  );
}
