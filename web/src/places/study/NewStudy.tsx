import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useMemo, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Link, useNavigate, useSearchParams } from "react-router";
import { client, data, Problem, type Schemas } from "../../api/client";
import { usePartKinds, useRigs, useSetups, useSketch } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Field, Labelled } from "../../controls/Field";
import { useKeysOf } from "../../controls/Keys";
import { ErrorNotice } from "../../controls/Notice";
import { NumberField } from "../../controls/NumberField";
import { Select } from "../../controls/Select";
import { useLater } from "../../controls/useLater";
import { useTitle } from "../../controls/useTitle";
import { readNumber } from "../../format";
import { draftOf, emptySetup, type SetupDraft, setupOf } from "../bench/SetupEditor";
import { KindLanes, PairLanes } from "../plan/LaneForms";
import {
  type FactorDraft,
  KINDS,
  type LaneDraft,
  type LaneReady,
  type PlannedKind,
  readyConditions,
  readyLevels,
  readyPair,
  sketchOf,
} from "../plan/lanes";
import * as M from "../plan/matrix";
import { SketchPanel } from "../plan/SketchPanel";
import { TestMatrix } from "../plan/TestMatrix";
import { DEFAULT_METHOD, MethodFields, methodOf } from "./MethodDialog";

const KEYS = [{ key: "Ctrl Enter", does: "create the study" }];
const CHOICE_KEYS = KINDS.map((one, index) => ({ key: String(index + 1), does: one.title }));
const PLACEHOLDER: Record<PlannedKind, [question: string, factor: string]> = {
  a_b: ["Does X change how games run, by how much?", "Fan profile"],
  ladder: ["Which card does a dorm room need?", "Graphics card"],
  sweep: ["How low can the power limit go?", "Power limit"],
  grid: ["Does the link matter more to a quick processor?", "Processor"],
  scaling: ["What does each preset cost?", "Preset"],
};

const SKETCH_RESTS_MS = 250;

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

function KindChoice() {
  const go = useNavigate();
  useHotkeys("1,2,3,4,5", (event) => {
    const one = KINDS[Number(event.key) - 1];
    if (one) go(`/studies/new?kind=${one.kind}`);
  });
  useKeysOf("New study", CHOICE_KEYS);
  return (
    <>
      <h1 className="text-[2rem] leading-tight font-bold">New study</h1>
      <p className="mb-5 text-soft">What are its lanes to each other?</p>
      <ul className="grid max-w-[56rem]">
        {KINDS.map((one, index) => (
          <li
            key={one.kind}
            className="relative grid grid-cols-[3rem_12rem_1fr_10rem] items-center gap-2 border-rule border-t px-2 py-4 last:border-b hover:bg-raised"
          >
            <span className="key justify-self-start text-[1rem]!" aria-hidden="true">
              {index + 1}
            </span>
            <Link
              to={`/studies/new?kind=${one.kind}`}
              className="plain text-[1.3rem] font-semibold after:absolute after:inset-0"
            >
              {one.title}
            </Link>
            <span className="text-soft">{one.asks}</span>
            <KindPicture kind={one.kind} />
          </li>
        ))}
      </ul>
    </>
  );
}

/** How the lanes of a kind lie to each other, drawn from discs. */
function KindPicture({ kind }: { kind: PlannedKind }) {
  const places: Record<PlannedKind, [number, number][]> = {
    a_b: [
      [40, 20],
      [80, 20],
    ],
    ladder: [
      [20, 34],
      [40, 28],
      [60, 20],
      [80, 14],
      [100, 6],
    ],
    sweep: [
      [20, 34],
      [40, 18],
      [60, 11],
      [80, 8],
      [100, 7],
    ],
    grid: [
      [40, 12],
      [80, 12],
      [40, 30],
      [80, 30],
    ],
    scaling: [
      [20, 8],
      [47, 8],
      [74, 8],
      [101, 8],
    ],
  };
  const line = places[kind].map(([x, y], i) => `${i ? "L" : "M"}${x} ${y}`).join("");
  return (
    <svg width="120" height="42" viewBox="0 0 120 42" aria-hidden="true" className="justify-self-end">
      {kind === "scaling" && (
        <path d="M20 8H101M20 8V36M47 8V30M74 8V24M101 8V16" stroke="var(--mute)" fill="none" />
      )}
      {(kind === "ladder" || kind === "sweep") && <path d={line} stroke="var(--mute)" fill="none" />}
      {places[kind].map(([x, y], index) => (
        <circle key={x + y * 200} cx={x} cy={y} r="4.5" fill={index ? "var(--ink)" : "var(--accent)"} />
      ))}
    </svg>
  );
}

function StudyForm({ kind, title, asks }: { kind: PlannedKind; title: string; asks: string }) {
  const go = useNavigate();
  const queries = useQueryClient();
  const { data: setups = [] } = useSetups();
  const { data: rigs = [] } = useRigs();
  const { data: kinds = [] } = usePartKinds();
  const [question, setQuestion] = useState("");
  const [pair, setPair] = useState<LaneDraft[]>([newLane(), newLane()]);
  const [base, setBase] = useState<{ choice: string; setup: SetupDraft }>({
    choice: "new",
    setup: emptySetup(),
  });
  const [factors, setFactors] = useState<FactorDraft[]>(
    (kind === "grid" ? ["", ""] : [kind === "ladder" ? "Graphics card" : ""]).map((name) => ({
      name,
      levels: ["", ""],
    })),
  );
  const [conditions, setConditions] = useState(["", ""]);
  const [baseline, setBaseline] = useState("0");
  const [matrix, setMatrix] = useState<M.Matrix>({ ...M.EMPTY, columns: kind === "scaling" ? [""] : [] });
  const [passes, setPasses] = useState("3");
  const [method, setMethod] = useState(DEFAULT_METHOD);
  useKeysOf("New study", KEYS);

  const lanes: LaneReady[] = useMemo(() => {
    if (kind === "a_b") return readyPair(pair, setups);
    const known = setups.find((setup) => String(setup.id) === base.choice);
    const draft = known ? draftOf(known) : base.setup;
    if (kind === "scaling") return readyConditions(draft, known, conditions);
    return readyLevels(draft, known, factors, kinds);
  }, [kind, pair, base, factors, conditions, setups, kinds]);
  const told =
    kind === "scaling" ? { ...matrix, columns: [conditions.find((one) => one.trim()) ?? ""] } : matrix;
  const tests = M.testsOf(kind === "scaling" ? recolumned(matrix, told.columns[0] ?? "") : matrix);
  const asked = factors.map((factor) => factor.name).filter(Boolean);
  const number = Math.max(1, Math.round(readNumber(passes) ?? 1) || 1);
  const chosen = Number(baseline) < lanes.length ? Number(baseline) : 0;
  // What is typed is asked about when the hand pauses; an answer that is no longer wanted is broken off.
  const typed = useLater(
    sketchOf(lanes, rigs, {
      factors: asked,
      baseline: chosen,
      passes_wanted: Math.min(number, 50),
      tests: tests.map(({ game, scene, condition }) => ({ game, scene, condition })),
    }),
    SKETCH_RESTS_MS,
  );
  const { data: sketch } = useSketch(typed, lanes.length > 0);

  const create = useMutation({
    mutationFn: (body: Schemas["StudyIn"]) => data(client.POST("/api/studies", { body })),
    onSuccess: (study) => {
      for (const key of ["studies", "setups", "scenes", "games", "conditions", "parts"])
        queries.invalidateQueries({ queryKey: [key] });
      go(`/studies/${study.id}/plan`);
    },
  });
  const submit = (event?: FormEvent) => {
    event?.preventDefault();
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
  useHotkeys("ctrl+enter, meta+enter", () => submit(), { enableOnFormTags: true });
  useTitle(title, "New study");
  const problem = create.error instanceof Problem ? create.error : null;
  const faultOf = (field: string) => (problem?.field === field ? problem.message : undefined);
  const suggestions = [
    ...kinds.map((one) => one.label),
    ...new Set(setups.flatMap((setup) => setup.settings.map((setting) => setting.name))),
  ];
  const setFactor = (index: number, part: Partial<FactorDraft>) =>
    setFactors((now) => now.map((one, i) => (i === index ? { ...one, ...part } : one)));

  return (
    <form onSubmit={submit}>
      <div className="mb-5">
        <h1 className="text-[2rem] leading-tight font-bold">New study: {title}</h1>
        <p className="text-soft">{asks} Everything can be typed; what is new is made.</p>
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
              onChange={(e) => setQuestion(e.target.value)}
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
              <PairLanes lanes={pair} change={setPair} fault={faultOf} />
            ) : (
              <KindLanes
                kind={kind}
                base={base}
                changeBase={setBase}
                factors={factors}
                changeFactor={setFactor}
                conditions={conditions}
                changeConditions={setConditions}
                suggestions={suggestions}
                lanes={lanes}
                fault={faultOf}
              />
            )}
            <Labelled label="Baseline" className="mt-3 w-72">
              <Select
                label="Baseline"
                value={String(chosen)}
                onChange={setBaseline}
                options={(lanes.length ? lanes : [null]).map((one, index) => ({
                  value: String(index),
                  label: one?.lane.name || `Lane ${String.fromCharCode(65 + index)}`,
                }))}
              />
            </Labelled>
          </section>
          <section>
            <h2 className="mb-2 text-xl font-bold">Tests</h2>
            <TestMatrix
              matrix={matrix}
              change={setMatrix}
              usual={number}
              {...(kind === "scaling" ? { oneCondition: "as the lane says" } : {})}
            />
            <NumberField
              label="Passes a test"
              whole
              required
              value={passes}
              onChange={setPasses}
              className="mt-3 w-32"
              {...(faultOf("passes_wanted") ? { hint: faultOf("passes_wanted") ?? "" } : {})}
            />
          </section>
          <section>
            <h2 className="mb-2 text-xl font-bold">Method</h2>
            <MethodFields draft={method} change={setMethod} />
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
