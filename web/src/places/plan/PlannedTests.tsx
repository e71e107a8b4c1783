import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, data, type Schemas } from "../../api/client";
import { useSavePlan, useStudyChange } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Labelled } from "../../controls/Field";
import { overtakenBy } from "../../controls/FormEnd";
import { ErrorNotice } from "../../controls/Notice";
import { NumberField } from "../../controls/NumberField";
import { Select } from "../../controls/Select";
import { Term } from "../../controls/Term";
import { count, figure, percent, readNumber } from "../../format";
import type { Study } from "../../model/study";
import { planIn } from "./changes";
import { edit, everywhere, keyOf, type Matrix, matrixOf, testsOf } from "./matrix";
import { TestMatrix } from "./TestMatrix";

type PlanOut = Schemas["PlanOut"];
type Need = Schemas["NeedOut"];

const FIGURES: [string, string][] = [
  ["average_fps", "average"],
  ["low_1", "1% low"],
  ["low_0.1", "0.1% low"],
];

/** Whose noise a test is planned with, where it is not its scene's own alone. */
const SOURCE_WORDS: Record<string, string> = {
  guess: "a guess",
  drawn: "drawn to others",
  all_scenes: "as all scenes",
};

/** What is run: the tests as a matrix, and for each scene how many passes the question needs. */
export function PlannedTests({ study, plan, lead }: { study: Study; plan: PlanOut; lead: boolean }) {
  const [draft, setDraft] = useState<Matrix | null>(null);
  const [margin, setMargin] = useState<string | null>(null);
  const kept = matrixOf(study.tests_full);
  const matrix = draft ?? kept;
  const queries = useQueryClient();
  const seenTests = () => queries.getQueryData<Study>(["study", study.id])?.seen.tests ?? study.seen.tests;
  const saveTests = useStudyChange(study.id, (next: Matrix) =>
    data(
      client.PUT("/api/studies/{study_id}/tests", {
        params: { path: { study_id: study.id } },
        body: { tests: testsOf(next), seen: seenTests() },
      }),
    ),
  );
  const savePlan = useSavePlan(study.id);
  const change = (next: Matrix) => {
    // A row that was only added, or a study emptied on the way, waits until there is something to keep.
    setDraft(next);
    if (!testsOf(next).length) return;
    const settled = () => setDraft((now) => (now === next ? null : now));
    // Once refused, what is kept is shown again, with the reason above it; of an overtaken page what is typed stays.
    saveTests.mutateAsync(next).then(settled, (error) => overtakenBy(error) || settled());
  };
  const needs = new Map(plan.needs.map((need) => [need.test_id, need]));
  /** The need of the scene's test that can tell least. */
  const needAt = (row: number): Need | undefined => {
    const scene = matrix.rows[row];
    const tells = (need: Need) => need.resolvable[plan.leading] ?? Number.POSITIVE_INFINITY;
    return study.tests_full
      .filter((one) => one.game === scene?.game && one.scene === scene.scene)
      .flatMap((test) => needs.get(test.id) ?? [])
      .reduce<Need | undefined>(
        (worst, need) => (worst && tells(worst) >= tells(need) ? worst : need),
        undefined,
      );
  };
  const propose = () => {
    const proposed = new Map(
      study.tests_full.map((test) => [
        keyOf(test, test.condition),
        needs.get(test.id)?.proposed ?? test.passes_wanted,
      ]),
    );
    let next = matrix;
    for (const place of everywhere(matrix)) {
      const scene = matrix.rows[place[0]];
      const passes = scene && proposed.get(keyOf(scene, matrix.columns[place[1]] ?? ""));
      if (passes) next = edit(next, [place], (cell) => ({ ...cell, passes_wanted: passes }));
    }
    change(next);
  };
  const keepMargin = () => {
    const value = (readNumber(margin ?? "") ?? Number.NaN) / 100;
    setMargin(null);
    if (value > 0 && value < 1 && value !== plan.margin) savePlan.mutate({ ...planIn(plan), margin: value });
  };
  const short = plan.needs.filter((need) => !need.enough).length;
  const guesses = plan.needs.filter((need) => need.source === "guess").length;
  const leading = plan.leading === "low_1" ? "1% low" : "average fps";
  return (
    <section className="mb-10">
      <h2 className="mb-2 text-xl font-bold">Tests and passes</h2>
      <div className="mb-3 flex flex-wrap items-end gap-x-5 gap-y-2">
        <NumberField
          label="Smallest margin that matters, %"
          className="w-56"
          disabled={!lead}
          value={margin ?? figure(plan.margin * 100)}
          onChange={setMargin}
          onBlur={keepMargin}
          onKeyDown={(e) => e.key === "Enter" && keepMargin()}
        />
        <Labelled label="While a verdict is open" className="w-72">
          <Select
            label="Adding passes"
            value={String(plan.most_passes ?? 0)}
            onChange={(most) => savePlan.mutate({ ...planIn(plan), most_passes: Number(most) || null })}
            options={[
              { value: "0", label: "keep to the planned number" },
              ...[5, 6, 8, 10, 12].map((most) => ({
                value: String(most),
                label: `add passes, up to ${most}`,
              })),
            ]}
          />
        </Labelled>
        <p className="max-w-xl pb-1 text-[0.93rem] text-soft" aria-live="polite">
          {short
            ? `Each taken alone, ${count(short, "test")} cannot show ${figure(plan.margin * 100)}% in ${leading} with the passes planned.`
            : `Every test can show ${figure(plan.margin * 100)}% in ${leading} even taken alone.`}{" "}
          {guesses > 0 &&
            `${count(guesses, "test plans", "tests plan")} with a guess, as long as the scene was not run twice.`}{" "}
          {plan.rule &&
            `Looking up to ${plan.rule.looks} times, every interval is at ${percent(1 - plan.rule.level)}%, so that false claims keep to 5%.`}
        </p>
        {lead && short > 0 && <Button onClick={propose}>Take the proposed passes</Button>}
      </div>
      <ErrorNotice error={saveTests.error ?? savePlan.error}>
        {draft && overtakenBy(saveTests.error) && (
          <>
            <Button
              onClick={() => {
                setDraft(null);
                saveTests.reset();
              }}
            >
              Keep theirs
            </Button>
            <Button kind="main" onClick={() => change(draft)}>
              Save mine over it
            </Button>
          </>
        )}
      </ErrorNotice>
      <TestMatrix
        matrix={matrix}
        change={change}
        usual={study.passes_wanted}
        readOnly={!lead}
        {...(study.kind === "scaling" ? { oneCondition: "as the lane says" } : {})}
        asideHead={
          <>
            <th className="w-[10.5rem] pb-1 pl-4">
              <Term word="scatter from pass to pass">Scatter</Term>
            </th>
            <th className="w-[5.5rem] pb-1">
              <Term word="passes needed">Needs</Term>
            </th>
            <th className="w-[16rem] pb-1">
              <Term word="what a plan can show">Alone it can show</Term>
            </th>
          </>
        }
        aside={(row) => <NeedCells need={needAt(row)} />}
      />
    </section>
  );
}

function NeedCells({ need }: { need: Need | undefined }) {
  if (!need) return <td colSpan={3} />;
  return (
    <>
      <td className="py-1 pl-4">
        <span className="figure">{figure(need.noise_percent)}%</span>{" "}
        {need.source !== "scene" && (
          <span
            className={`text-[0.82rem] whitespace-nowrap ${need.source === "guess" ? "rounded-[3px] border border-mute border-dashed px-1" : "text-mute"}`}
          >
            {SOURCE_WORDS[need.source]}
          </span>
        )}
      </td>
      <td className="py-1">
        <span className={need.enough ? "" : "font-bold"}>
          {need.needed == null ? "over 1,000" : <span className="figure">{need.needed}</span>}
        </span>
        {!need.enough && need.needed !== need.proposed && (
          <span className="block text-[0.82rem] text-mute">proposed: {need.proposed}</span>
        )}
      </td>
      <td className="py-1 text-[0.9rem] text-soft">
        {FIGURES.map(([name, words], index) => {
          const tells = need.resolvable[name];
          return (
            <span key={name} className="whitespace-nowrap">
              {index > 0 && " · "}
              {words} <span className="figure text-ink">{tells == null ? "–" : `${percent(tells)}%`}</span>
            </span>
          );
        })}
      </td>
    </>
  );
}
