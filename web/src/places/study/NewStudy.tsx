import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { useNavigate } from "react-router";
import { client, data, Problem, type Schemas } from "../../api/client";
import { useConditions, useScenes, useSetups } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Field, Labelled } from "../../controls/Field";
import { useKeysOf } from "../../controls/Keys";
import { LaneMark } from "../../controls/LaneMark";
import { ErrorNotice } from "../../controls/Notice";
import { Select } from "../../controls/Select";
import { emptySetup, type SetupDraft, SetupEditor, setupOf } from "../SetupEditor";
import { differences } from "../SetupSheet";
import { DEFAULT_METHOD, MethodFields, methodOf } from "./MethodDialog";

interface LaneDraft {
  name: string;
  /** "new" for a setup described here, else the id of one on the bench. */
  choice: string;
  setup: SetupDraft;
}

interface TestDraft {
  key: number;
  game: string;
  scene: string;
  condition: string;
}

const KEYS = [
  { key: "Ctrl Enter", does: "create the study" },
  { key: "Enter", does: "in the last test: one more test" },
];

/** A study from nothing, on one page, by keyboard: question, two lanes, tests, method. */
export default function NewStudy() {
  const go = useNavigate();
  const queries = useQueryClient();
  const { data: setups = [] } = useSetups();
  const { data: scenes = [] } = useScenes();
  const { data: conditions = [] } = useConditions();
  const [question, setQuestion] = useState("");
  const [factor, setFactor] = useState("");
  const [lanes, setLanes] = useState<[LaneDraft, LaneDraft]>([newLane(), newLane()]);
  const [baseline, setBaseline] = useState("0");
  const [tests, setTests] = useState<TestDraft[]>([{ key: 1, game: "", scene: "", condition: "" }]);
  const [passes, setPasses] = useState("3");
  const [method, setMethod] = useState(DEFAULT_METHOD);

  const create = useMutation({
    mutationFn: (body: Schemas["StudyIn"]) => data(client.POST("/api/studies", { body })),
    onSuccess: (study) => {
      for (const key of ["studies", "setups", "scenes", "conditions", "parts"])
        queries.invalidateQueries({ queryKey: [key] });
      go(`/studies/${study.id}/intake`);
    },
  });
  useKeysOf("New study", KEYS);

  const setLane = (index: number, part: Partial<LaneDraft>) =>
    setLanes(
      (now) => now.map((lane, i) => (i === index ? { ...lane, ...part } : lane)) as [LaneDraft, LaneDraft],
    );
  const setTest = (key: number, part: Partial<TestDraft>) =>
    setTests((now) => now.map((test) => (test.key === key ? { ...test, ...part } : test)));
  const addTest = () =>
    setTests((now) => {
      const last = now.at(-1);
      return [...now, { key: (last?.key ?? 0) + 1, game: "", scene: "", condition: last?.condition ?? "" }];
    });
  const setupIn = (lane: LaneDraft) =>
    lane.choice === "new" ? setupOf(lane.setup) : setups.find((setup) => String(setup.id) === lane.choice);
  const [left, right] = [setupIn(lanes[0]), setupIn(lanes[1])];
  const differ = left && right ? differences(left, right) : [];

  const submit = (event?: FormEvent) => {
    event?.preventDefault();
    create.mutate({
      question,
      factor,
      baseline: Number(baseline),
      passes_per_test: Number(passes),
      method: methodOf(method),
      lanes: lanes.map((lane) => ({
        name: lane.name,
        ...(lane.choice === "new" ? { setup: setupOf(lane.setup) } : { setup_id: Number(lane.choice) }),
      })),
      tests: tests
        .filter((test) => test.game || test.scene)
        .map(({ game, scene, condition }) => ({ game, scene, condition })),
    });
  };
  useHotkeys("ctrl+enter, meta+enter", () => submit(), { enableOnFormTags: true });
  const problem = create.error instanceof Problem ? create.error : null;
  const faultOf = (field: string) => (problem?.field === field ? problem.message : undefined);

  return (
    <form onSubmit={submit} className="grid max-w-[72rem] gap-8">
      <div>
        <h1 className="text-[2rem] leading-tight font-bold">New study: A against B</h1>
        <p className="text-soft">
          Two setups that differ in one thing, the same scenes on both. Everything can be typed; what is new
          is made.
        </p>
      </div>

      <section className="grid gap-4 md:grid-cols-[1fr_20rem]">
        <Field
          label="Question"
          autoFocus
          required
          maxLength={200}
          placeholder="Does X change how games run, by how much?"
          value={question}
          error={faultOf("question")}
          onChange={(e) => setQuestion(e.target.value)}
        />
        <Field
          label="Factor: the one thing that differs"
          required
          maxLength={120}
          placeholder="Fan profile"
          value={factor}
          error={faultOf("factor")}
          onChange={(e) => setFactor(e.target.value)}
        />
      </section>

      <section>
        <h2 className="mb-2 text-xl font-bold">Lanes</h2>
        <div className="grid gap-6 lg:grid-cols-2">
          {lanes.map((lane, index) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: there are two lanes and they do not move
            <fieldset key={index} className="sheet p-4">
              <legend className="flex items-center gap-1.5 px-1 font-bold">
                <LaneMark lane={index} /> Lane {index ? "B" : "A"}
              </legend>
              <div className="grid gap-3 sm:grid-cols-2">
                <Field
                  label="Name in charts"
                  required
                  maxLength={80}
                  placeholder={index ? "quiet profile" : "standard profile"}
                  value={lane.name}
                  error={faultOf(`lanes.${index}.name`)}
                  onChange={(e) => setLane(index, { name: e.target.value })}
                />
                <Labelled label="Setup">
                  <Select
                    label={`Setup of lane ${index ? "B" : "A"}`}
                    value={lane.choice}
                    onChange={(choice) => setLane(index, { choice })}
                    options={[
                      { value: "new", label: "describe a new one" },
                      ...setups.map((setup) => ({
                        value: String(setup.id),
                        label: `${setup.name}, version ${setup.version}`,
                      })),
                    ]}
                  />
                </Labelled>
              </div>
              {lane.choice === "new" && (
                <>
                  {index === 1 && left && (
                    <Button
                      className="mt-3"
                      onClick={() =>
                        setLane(1, { setup: { ...draftFrom(left), name: lane.setup.name || lane.name } })
                      }
                    >
                      Copy lane A, then change one thing
                    </Button>
                  )}
                  <SetupEditor
                    draft={lane.setup}
                    change={(setup) => setLane(index, { setup })}
                    defaultName={lane.name}
                  />
                </>
              )}
            </fieldset>
          ))}
        </div>
        <div className="mt-3 flex flex-wrap items-end gap-6">
          <Labelled label="Baseline" className="w-60">
            <Select
              label="Baseline"
              value={baseline}
              onChange={setBaseline}
              options={lanes.map((lane, index) => ({
                value: String(index),
                label: lane.name || `Lane ${index ? "B" : "A"}`,
              }))}
            />
          </Labelled>
          <p className="pb-1.5 text-soft" aria-live="polite">
            {left && right
              ? differ.length
                ? `They differ in: ${differ.map((d) => `${d.name} (${d.a} / ${d.b})`).join("; ")}.`
                : "They differ in nothing yet."
              : ""}
          </p>
        </div>
      </section>

      <section>
        <h2 className="mb-1 text-xl font-bold">Tests</h2>
        <div className="grid gap-2">
          <div className="label grid grid-cols-[1fr_1fr_1fr_5rem] gap-2" aria-hidden="true">
            <span>Game</span>
            <span>Scene</span>
            <span>Condition</span>
          </div>
          {tests.map((test, index) => (
            <TestRow
              key={test.key}
              test={test}
              number={index + 1}
              last={index === tests.length - 1}
              focus={index > 0 && index === tests.length - 1}
              games={[...new Set(scenes.map((scene) => scene.game))]}
              scenes={scenes
                .filter((scene) => scene.game.toLowerCase() === test.game.toLowerCase())
                .map((scene) => scene.name)}
              conditions={conditions.map((condition) => condition.name)}
              change={(part) => setTest(test.key, part)}
              add={addTest}
              remove={
                tests.length > 1 ? () => setTests((now) => now.filter((one) => one.key !== test.key)) : null
              }
            />
          ))}
        </div>
        <div className="mt-3 flex flex-wrap items-end gap-4">
          <Button onClick={addTest}>One more test</Button>
          <Button
            onClick={() => {
              const known = new Set(tests.map((test) => `${test.game}/${test.scene}`.toLowerCase()));
              const condition = tests.at(-1)?.condition ?? "";
              const fresh = scenes.filter((scene) => !known.has(`${scene.game}/${scene.name}`.toLowerCase()));
              setTests((now) => [
                ...now.filter((test) => test.game),
                ...fresh.map((scene, i) => ({
                  key: 1000 + now.length + i,
                  game: scene.game,
                  scene: scene.name,
                  condition,
                })),
              ]);
            }}
            disabled={!scenes.length}
          >
            All {scenes.length || ""} known scenes
          </Button>
          <Field
            label="Passes a test"
            inputMode="numeric"
            required
            value={passes}
            onChange={(e) => setPasses(e.target.value)}
            className="w-32"
            error={faultOf("passes_per_test")}
          />
        </div>
      </section>

      <section>
        <h2 className="mb-2 text-xl font-bold">Method</h2>
        <MethodFields draft={method} change={setMethod} />
      </section>

      <ErrorNotice error={create.error} />
      <div className="flex justify-end gap-2 border-rule border-t pt-4">
        <Button onClick={() => go("/")}>Leave</Button>
        <Button kind="main" type="submit" shortcut="Ctrl ↵" disabled={create.isPending}>
          Create the study
        </Button>
      </div>
    </form>
  );
}

function newLane(): LaneDraft {
  return { name: "", choice: "new", setup: emptySetup() };
}

function draftFrom(setup: Pick<Schemas["SetupOut"], "parts" | "settings">): SetupDraft {
  const base = emptySetup();
  return {
    ...base,
    parts: setup.parts.map((part, i) => ({ key: i, kind: part.kind, name: part.name })),
    settings: setup.settings.map((setting, i) => ({ key: i, name: setting.name, value: setting.value })),
  };
}

function TestRow({
  test,
  number,
  last,
  focus,
  games,
  scenes,
  conditions,
  change,
  add,
  remove,
}: {
  test: TestDraft;
  number: number;
  last: boolean;
  focus: boolean;
  games: string[];
  scenes: string[];
  conditions: string[];
  change: (part: Partial<TestDraft>) => void;
  add: () => void;
  remove: (() => void) | null;
}) {
  const onKeyDown = (event: React.KeyboardEvent) => {
    if (event.key === "Enter" && !event.ctrlKey && !event.metaKey && last) {
      event.preventDefault();
      add();
    }
  };
  return (
    <div className="grid grid-cols-[1fr_1fr_1fr_5rem] gap-2">
      <Field
        label={`Game of test ${number}`}
        quietLabel
        required={number === 1}
        autoFocus={focus}
        suggestions={games}
        placeholder="game"
        value={test.game}
        onChange={(e) => change({ game: e.target.value })}
        onKeyDown={onKeyDown}
      />
      <Field
        label={`Scene of test ${number}`}
        quietLabel
        required={Boolean(test.game)}
        suggestions={scenes}
        placeholder="scene"
        value={test.scene}
        onChange={(e) => change({ scene: e.target.value })}
        onKeyDown={onKeyDown}
      />
      <Field
        label={`Condition of test ${number}`}
        quietLabel
        required={Boolean(test.game)}
        suggestions={conditions}
        placeholder="1440 high"
        value={test.condition}
        onChange={(e) => change({ condition: e.target.value })}
        onKeyDown={onKeyDown}
      />
      {remove ? (
        <Button kind="quiet" onClick={remove} aria-label={`Remove test ${number}`}>
          Remove
        </Button>
      ) : (
        <span />
      )}
    </div>
  );
}
