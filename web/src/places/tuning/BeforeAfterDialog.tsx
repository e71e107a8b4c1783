import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { useStudies } from "../../api/queries";
import { type Log, logActs } from "../../api/tuning";
import { Dialog } from "../../controls/Dialog";
import { Field, Labelled } from "../../controls/Field";
import { FormEnd } from "../../controls/FormEnd";
import { Select } from "../../controls/Select";

/** Two steps as the lanes of a study, over the tests of another. */
export function BeforeAfterDialog({ log, close }: { log: Log; close: () => void }) {
  const go = useNavigate();
  const queries = useQueryClient();
  const { data: pages } = useStudies("");
  const studies = pages?.pages.flat() ?? [];
  const proven = log.steps.filter((one) => one.state === "proven" && !one.beyond_a_failure);
  const [before, setBefore] = useState(String(log.steps[0]?.id ?? ""));
  const [after, setAfter] = useState(String((proven.at(-1) ?? log.steps.at(-1))?.id ?? ""));
  const [suite, setSuite] = useState("");
  const [question, setQuestion] = useState(log.title);
  const make = useMutation({
    mutationFn: () =>
      logActs.study(log.id, {
        before: Number(before),
        after: Number(after),
        tests_of: Number(suite),
        question,
      }),
    onSuccess: async ({ study_id }) => {
      await queries.invalidateQueries({ queryKey: ["studies"] });
      go(`/studies/${study_id}/plan`);
    },
  });
  const steps = log.steps.map((one) => ({
    value: String(one.id),
    label: `step ${one.number}: ${one.words}${one.state === "unstable" ? ", failed" : ""}`,
  }));
  return (
    <Dialog
      open
      onOpenChange={(now) => !now && close()}
      title="Before and after, over a suite"
      description="Two steps become setups and the lanes of a new study."
    >
      <form
        className="grid gap-4"
        onSubmit={(event) => {
          event.preventDefault();
          make.mutate();
        }}
      >
        <Field
          label="Question of the study"
          required
          autoFocus
          maxLength={160}
          value={question}
          onChange={(event) => setQuestion(event.target.value)}
        />
        <Labelled label="Before, the baseline">
          <Select label="Before, the baseline" value={before} onChange={setBefore} options={steps} />
        </Labelled>
        <Labelled label="After">
          <Select label="After" value={after} onChange={setAfter} options={steps} />
        </Labelled>
        <Labelled label="With the tests of">
          <Select
            label="With the tests of"
            value={suite}
            onChange={setSuite}
            options={studies.map((one) => ({ value: String(one.id), label: one.question }))}
          />
        </Labelled>
        <FormEnd
          error={make.error}
          leave={close}
          disabled={make.isPending || !suite || before === after}
          does="Make the study"
        />
      </form>
    </Dialog>
  );
}
