import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useMemo, useRef } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { useNavigate, useSearchParams } from "react-router";
import { client, data, Problem, type Schemas } from "../../api/client";
import { usePartKinds, useRigs, useSetups, useSketch } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Field, Labelled } from "../../controls/Field";
import { useKeysOf } from "../../controls/Keys";
import { ErrorNotice } from "../../controls/Notice";
import { NumberField } from "../../controls/NumberField";
import { Select } from "../../controls/Select";
import { Term } from "../../controls/Term";
import { useDraft } from "../../controls/useDraft";
import { useLater } from "../../controls/useLater";
import { useTitle } from "../../controls/useTitle";
import { readNumber } from "../../format";
import { draftOf, emptySetup, type SetupDraft, setupOf } from "../bench/SetupEditor";
import { KindLanes, NO_BASE, PairLanes } from "../plan/LaneForms";
import {
  type FactorDraft,
  KINDS,
  type LaneDraft,
  type LaneReady,
  type OtherLane,
  type PlannedKind,
  readyCards,
  readyConditions,
  readyLevels,
  readyOthers,
  readyPair,
  sketchOf,
} from "../plan/lanes";
import * as M from "../plan/matrix";
import { SketchPanel } from "../plan/SketchPanel";
import { TestMatrix } from "../plan/TestMatrix";
import { KindChoice } from "./KindChoice";
import { DEFAULT_METHOD, type MethodDraft, MethodFields, methodOf } from "./MethodDialog";

const KEYS = [{ key: "Ctrl Enter", does: "create the study" }];
const PLACEHOLDER: Record<PlannedKind, [question: string, factor: string]> = {
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
const SKETCH_RESTS_MS = 250;
/** Passes of a test in a lane, as the server takes them. */
const MOST_PASSES = 50;

/** A study from nothing: first its kind, then only what that kind needs, with what will be run beside it. */
export default function NewStudy() {
  const [search] = useSearchParams();
  const kind = KINDS.find((one) => one.kind === search.get("kind"));
  return kind ? (
    <StudyForm key={kind.kind} kind={kind.kind} title={kind.title} asks={kind.asks} />
  ) : (
    <KindChoice />
  );
}

function StudyForm({ kind, title, asks }: { kind: PlannedKind; title: string; asks: string }) {
  const go = useNavigate();
  const queries = useQueryClient();
  const { data: setups = [] } = useSetups();
  const { data: rigs = [] } = useRigs();
  const { data: kinds = [] } = usePartKinds();
  const [draft, setDraft, forget, cameBack] = useDraft<Draft>(`new-study.${kind}`, emptyDraft(kind));
  const set = (part: Partial<Draft>) => setDraft((now) => ({ ...now, ...part }));
  const { question, pair, base, factors, conditions, others, baseline, passes, method } = draft;
  const matrix = useMemo(() => M.fromPlain(draft.matrix), [draft.matrix]);
  const form = useRef<HTMLFormElement>(null);
  const sent = useRef(false);
  useKeysOf("New study", KEYS);

  const lanes: LaneReady[] = useMemo(() => {
    if (kind === "a_b") return readyPair(pair, setups);
    const known = setups.find((setup) => String(setup.id) === base.choice);
    const setup = known ? draftOf(known) : base.setup;
    if (kind === "scaling") return readyConditions(setup, known, conditions);
    if (kind === "several")
      return readyCards(
        setup,
        known,
        rigs,
        factors[0]?.name || PLACEHOLDER.several[1],
        factors[0]?.levels ?? [],
      );
    const levels = base.choice === NO_BASE ? [] : readyLevels(setup, known, factors, kinds);
    return [...levels, ...readyOthers(others, factors, setups)];
  }, [kind, pair, base, factors, conditions, others, setups, kinds, rigs]);
  const told =
    kind === "scaling" ? { ...matrix, columns: [conditions.find((one) => one.trim()) ?? ""] } : matrix;
  const tests = M.testsOf(kind === "scaling" ? recolumned(matrix, told.columns[0] ?? "") : matrix);
  const asked = factors.map((factor) => factor.name).filter(Boolean);
  const number = Math.min(MOST_PASSES, Math.max(1, Math.round(readNumber(passes) ?? 1) || 1));
  const chosen = Number(baseline) < lanes.length ? Number(baseline) : 0;
  // What is typed is asked about when the hand pauses; an answer that is no longer wanted is broken off.
  const typed = useLater(
    sketchOf(lanes, rigs, {
      factors: asked,
      baseline: chosen,
      passes_wanted: number,
      tests: tests.map(({ game, scene, condition }) => ({ game, scene, condition })),
    }),
    SKETCH_RESTS_MS,
  );
  const { data: sketch } = useSketch(typed, lanes.length > 0);

  const create = useMutation({
    mutationFn: (body: Schemas["StudyIn"]) => data(client.POST("/api/studies", { body })),
    onError: () => {
      sent.current = false;
    },
    onSuccess: (study) => {
      forget();
      for (const key of ["studies", "setups", "scenes", "games", "conditions", "parts"])
        queries.invalidateQueries({ queryKey: [key] });
      go(`/studies/${study.id}/plan`);
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    // Two presses of a key make one study.
    if (sent.current) return;
    sent.current = true;
    create.mutate({
      kind,
      question,
      factor: factors[0]?.name ?? "",
      second_factor: factors[1]?.name ?? "",
      baseline: chosen,
      passes_wanted: readNumber(passes) ?? 3,
      method: methodOf(method),
      lanes: lanes.map((one) => one.lane),
      tests,
    });
  };
  // As if its button were pressed: what is wrong in a field holds the form back either way.
  useHotkeys("ctrl+enter, meta+enter", () => form.current?.requestSubmit(), {
    enableOnFormTags: true,
    preventDefault: true,
  });
  useTitle(title, "New study");
  const problem = create.error instanceof Problem ? create.error : null;
  const faultOf = (field: string) => (problem?.field === field ? problem.message : undefined);
  const suggestions = [
    ...kinds.map((one) => one.label),
    ...new Set(setups.flatMap((setup) => setup.settings.map((setting) => setting.name))),
  ];
  const setFactor = (index: number, part: Partial<FactorDraft>) =>
    set({ factors: factors.map((one, i) => (i === index ? { ...one, ...part } : one)) });

  return (
    <form ref={form} onSubmit={submit}>
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
            <Button
              kind="quiet"
              onClick={() => {
                forget();
                setDraft(emptyDraft(kind));
                forget();
              }}
            >
              Begin anew
            </Button>
          </p>
        )}
      </div>
      <div className="grid gap-8 lg:grid-cols-[1fr_19rem]">
        <div className="grid content-start gap-7">
          <section className="grid gap-4 md:grid-cols-[1fr_18rem]">
            <Field
              label="Question"
              autoFocus
              required
              maxLength={200}
              placeholder={PLACEHOLDER[kind][0]}
              value={question}
              error={faultOf("question")}
              onChange={(e) => set({ question: e.target.value })}
            />
            <Field
              label={kind === "a_b" ? "Factor: the one thing that differs" : "Factor"}
              required
              maxLength={120}
              hint={kind === "scaling" ? undefined : "A kind of part, or a setting by its name."}
              suggestions={kind === "scaling" ? ["Resolution", "Preset", "Upscaling"] : suggestions}
              placeholder={PLACEHOLDER[kind][1]}
              value={factors[0]?.name ?? ""}
              error={faultOf("factor")}
              onChange={(e) => setFactor(0, { name: e.target.value })}
            />
          </section>
          <section>
            <h2 className="mb-2 text-xl font-bold">Lanes</h2>
            {kind === "a_b" ? (
              <PairLanes lanes={pair} change={(next) => set({ pair: next })} fault={faultOf} />
            ) : (
              <KindLanes
                kind={kind}
                base={base}
                changeBase={(next) => set({ base: next })}
                factors={factors}
                changeFactor={setFactor}
                conditions={conditions}
                changeConditions={(next) => set({ conditions: next })}
                others={others}
                changeOthers={(next) => set({ others: next })}
                suggestions={suggestions}
                lanes={lanes}
                fault={faultOf}
              />
            )}
            <Labelled label="Baseline" className="mt-3 w-72">
              <Select
                label="Baseline"
                value={String(chosen)}
                onChange={(next) => set({ baseline: next })}
                options={(lanes.length ? lanes : [null]).map((one, index) => ({
                  value: String(index),
                  label: one?.lane.name || `Lane ${String.fromCharCode(65 + index)}`,
                }))}
              />
            </Labelled>
          </section>
          <section>
            <h2 className="mb-2 text-xl font-bold">Tests</h2>
            {HINT[kind] && <p className="mb-2 text-soft">{HINT[kind]}</p>}
            <TestMatrix
              matrix={matrix}
              change={(next) => set({ matrix: M.plain(next) })}
              usual={number}
              {...(kind === "scaling" ? { oneCondition: "as the lane says" } : {})}
            />
            <NumberField
              label="Passes a test"
              whole
              required
              value={passes}
              onChange={(next) => set({ passes: next })}
              min={1}
              max={MOST_PASSES}
              className="mt-3 w-32"
              {...(faultOf("passes_wanted") ? { hint: faultOf("passes_wanted") ?? "" } : {})}
            />
          </section>
          <section>
            <h2 className="mb-2 text-xl font-bold">Method</h2>
            <MethodFields draft={method} change={(next) => set({ method: next })} />
          </section>
        </div>
        <div>
          <SketchPanel
            sketch={sketch}
            lanes={lanes.map((one) => one.lane.name)}
            tests={tests.length}
            passes={number}
            described={lanes.some(({ draft }) => draft.rig || setupOf(draft).parts.length > 0)}
          />
        </div>
      </div>
      <div className="mt-6 grid gap-3">
        <ErrorNotice error={create.error} />
        <div className="flex justify-end gap-2 border-rule border-t pt-4">
          <Button onClick={() => go("/studies/new")}>Another kind</Button>
          <Button kind="main" type="submit" shortcut="Ctrl ↵" disabled={create.isPending}>
            Create the study
          </Button>
        </div>
      </div>
    </form>
  );
}

/** What is typed of a study, kept in this browser until it is created. */
interface Draft {
  question: string;
  pair: LaneDraft[];
  base: { choice: string; setup: SetupDraft };
  factors: FactorDraft[];
  conditions: string[];
  others: OtherLane[];
  baseline: string;
  matrix: M.PlainMatrix;
  passes: string;
  method: MethodDraft;
}

/** What is varied where the kind of study says it. */
const FACTOR: Partial<Record<PlannedKind, string>> = {
  ladder: "Graphics card",
  budget: "Graphics card",
  proxy_check: "Graphics card",
  several: "Graphics card",
};

function emptyDraft(kind: PlannedKind): Draft {
  return {
    question: "",
    pair: [newLane(), newLane()],
    base: { choice: "new", setup: emptySetup() },
    factors: (kind === "grid" ? ["", ""] : [FACTOR[kind] ?? ""]).map((name) => ({
      name,
      levels: kind === "several" ? ["1", "2"] : ["", ""],
    })),
    conditions: ["", ""],
    others: [],
    baseline: "0",
    matrix: M.plain({ ...M.EMPTY, columns: kind === "scaling" ? [""] : [] }),
    passes: "3",
    method: DEFAULT_METHOD,
  };
}

function newLane(): LaneDraft {
  return { name: "", choice: "new", setup: emptySetup() };
}

/** The rows of a scaling study under its first condition: the lanes replace it, the tests need a name. */
function recolumned(matrix: M.Matrix, condition: string): M.Matrix {
  const cells = new Map(
    matrix.rows.flatMap((row) => {
      const cell = matrix.cells.get(M.keyOf(row, matrix.columns[0] ?? ""));
      return cell ? [[M.keyOf(row, condition), cell] as const] : [];
    }),
  );
  return { rows: matrix.rows, columns: [condition], cells };
}
