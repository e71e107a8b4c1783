/** The parts of a new study's form, from its question down to its method. Each shows what is typed and hands on changes. */
import { Button } from "../../controls/Button";
import { Field, Labelled } from "../../controls/Field";
import { NumberField } from "../../controls/NumberField";
import { Select } from "../../controls/Select";
import { Term } from "../../controls/Term";
import type { PlannedKind } from "../plan/kinds";
import { KindLanes, PairLanes } from "../plan/LaneForms";
import type { FactorDraft, LaneReady } from "../plan/lanes";
import * as M from "../plan/matrix";
import { TestMatrix } from "../plan/TestMatrix";
import { baselineOf, MOST_PASSES, passesOf, type StudyDraft } from "./draft";

export interface PartProps {
  kind: PlannedKind;
  draft: StudyDraft;
  set: (part: Partial<StudyDraft>) => void;
  /** What the server found wrong in a field. */
  faultOf: (field: string) => string | undefined;
}

const EXAMPLE: Record<PlannedKind, [question: string, factor: string]> = {
  a_b: ["Does X change how games run, by how much?", "Fan profile"],
  ladder: ["Which card does a dorm room need?", "Graphics card"],
  sweep: ["How low can the power limit go?", "Power limit"],
  grid: ["Does the link matter more to a quick processor?", "Processor"],
  scaling: ["What does each preset cost?", "Preset"],
  budget: ["Which preset holds a headset at 90?", "Graphics card"],
  several: ["Is a second card worth it?", "Graphics card"],
  proxy_check: ["Do the built-in benchmarks tell the truth?", "Graphics card"],
};

/** What the tests of a kind have to be, where that is not plain. */
const HINT: Partial<Record<PlannedKind, string>> = {
  budget:
    "The budget is one refresh at the target rate of the method below. Run each scene under several presets: the findings say which one holds.",
  proxy_check:
    "Each game needs its built-in benchmark and a scene of play under the same condition: add both.",
};

const withFactor = (factors: FactorDraft[], index: number, part: Partial<FactorDraft>): FactorDraft[] =>
  factors.map((one, i) => (i === index ? { ...one, ...part } : one));

/** What is asked, and words for who begins. */
export function FormHead({
  title,
  asks,
  cameBack,
  beginAnew,
}: {
  title: string;
  asks: string;
  /** Whether what stands here was typed before. */
  cameBack: boolean;
  beginAnew: () => void;
}) {
  return (
    <div className="mb-5">
      <h1 className="text-[2rem] leading-tight font-bold">New study: {title}</h1>
      <p className="text-soft">
        {asks} Everything can be typed; what is new is made. The <Term word="lane">lanes</Term> are what is
        compared, the <Term word="factor">factor</Term> is what they differ in, and each runs every{" "}
        <Term word="test">test</Term>.
      </p>
      {cameBack && (
        <p role="status" className="mt-2 border-ink border-l-4 bg-raised px-4 py-2">
          What you had typed is here again.{" "}
          <Button kind="quiet" onClick={beginAnew}>
            Begin anew
          </Button>
        </p>
      )}
    </div>
  );
}

export function QuestionPart({
  kind,
  draft,
  set,
  faultOf,
  suggestions,
}: PartProps & { suggestions: string[] }) {
  const scaling = kind === "scaling";
  return (
    <section className="grid gap-4 md:grid-cols-[1fr_18rem]">
      <Field
        label="Question"
        autoFocus
        required
        maxLength={200}
        placeholder={EXAMPLE[kind][0]}
        value={draft.question}
        error={faultOf("question")}
        onChange={(e) => set({ question: e.target.value })}
      />
      <Field
        label={kind === "a_b" ? "Factor: the one thing that differs" : "Factor"}
        required
        maxLength={120}
        hint={scaling ? undefined : "A kind of part, or a setting by its name."}
        suggestions={scaling ? ["Resolution", "Preset", "Upscaling"] : suggestions}
        placeholder={EXAMPLE[kind][1]}
        value={draft.factors[0]?.name ?? ""}
        error={faultOf("factor")}
        onChange={(e) => set({ factors: withFactor(draft.factors, 0, { name: e.target.value }) })}
      />
    </section>
  );
}

export function LanesPart({
  kind,
  draft,
  set,
  faultOf,
  suggestions,
  lanes,
}: PartProps & { suggestions: string[]; lanes: LaneReady[] }) {
  return (
    <section>
      <h2 className="mb-2 text-xl font-bold">Lanes</h2>
      {kind === "a_b" ? (
        <PairLanes
          lanes={draft.pair}
          change={(pair) => set({ pair })}
          factor={draft.factors[0]?.name ?? ""}
          fault={faultOf}
        />
      ) : (
        <KindLanes
          kind={kind}
          base={draft.base}
          changeBase={(base) => set({ base })}
          factors={draft.factors}
          changeFactor={(index, part) => set({ factors: withFactor(draft.factors, index, part) })}
          conditions={draft.conditions}
          changeConditions={(conditions) => set({ conditions })}
          others={draft.others}
          changeOthers={(others) => set({ others })}
          suggestions={suggestions}
          lanes={lanes}
          fault={faultOf}
        />
      )}
      <Labelled label="Baseline" className="mt-3 w-72">
        <Select
          label="Baseline"
          value={String(baselineOf(draft, lanes))}
          onChange={(baseline) => set({ baseline })}
          options={(lanes.length ? lanes : [null]).map((one, index) => ({
            value: String(index),
            label: one?.lane.name || `Lane ${String.fromCharCode(65 + index)}`,
          }))}
        />
      </Labelled>
    </section>
  );
}

export function TestsPart({ kind, draft, set, faultOf }: PartProps) {
  const fault = faultOf("passes_wanted");
  return (
    <section>
      <h2 className="mb-2 text-xl font-bold">Tests</h2>
      {HINT[kind] && <p className="mb-2 text-soft">{HINT[kind]}</p>}
      <TestMatrix
        matrix={M.fromPlain(draft.matrix)}
        change={(next) => set({ matrix: M.plain(next) })}
        usual={passesOf(draft)}
        {...(kind === "scaling" ? { oneCondition: "as the lane says" } : {})}
      />
      <NumberField
        label="Passes a test"
        whole
        required
        value={draft.passes}
        onChange={(passes) => set({ passes })}
        min={1}
        max={MOST_PASSES}
        className="mt-3 w-32"
        {...(fault ? { hint: fault } : {})}
      />
    </section>
  );
}
