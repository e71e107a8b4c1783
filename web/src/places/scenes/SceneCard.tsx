import { useState } from "react";
import { Link, useParams } from "react-router";
import type { Schemas } from "../../api/client";
import { useConditions, useGames, useSceneKinds, useSceneNoise, useScenes } from "../../api/queries";
import { Button } from "../../controls/Button";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { Select } from "../../controls/Select";
import { count, figure } from "../../format";
import { Keep, ofTheHouse } from "../reports/Keep";
import { engineWords } from "./words";

const BY_HAND = "by-hand";
/** Lines to write on, on paper. */
const NOTE_LINES = 5;

/** What a game is told under a condition, beyond the condition's name. */
function told(condition: Schemas["ConditionOut"]): string {
  const { resolution, preset, upscaling, ray_tracing, api } = condition;
  const rest = [resolution, preset, upscaling, ray_tracing, api].filter(Boolean);
  return rest.length ? `: ${rest.join(", ")}` : "";
}

/** A scene on a page that a colleague can follow, at the bench or printed. */
export function SceneCard() {
  const { scene: wanted } = useParams();
  const { data: scenes, error } = useScenes();
  const { data: games = [] } = useGames();
  const { data: kinds = [] } = useSceneKinds();
  const { data: noises = [] } = useSceneNoise();
  const { data: conditions = [] } = useConditions();
  const [chosen, setChosen] = useState(BY_HAND);
  const condition = conditions.find((one) => String(one.id) === chosen);
  if (error) return <ErrorNotice error={error} />;
  if (!scenes) return <Loading what="the card" />;
  const scene = scenes.find((one) => String(one.id) === wanted);
  if (!scene) {
    return (
      <p className="py-10">
        There is no such scene. <Link to="/scenes">All scenes</Link>
      </p>
    );
  }
  const game = games.find((one) => one.id === scene.game_id);
  const noise = noises.find((one) => one.scene_id === scene.id);
  const steps: [string, string][] = [
    ["Start", scene.start],
    ["Route", scene.route],
    ["End", scene.end],
  ];
  const runs = scene.warm_up_runs
    ? `${count(scene.warm_up_runs, "run")} after loading, recorded and not counted.`
    : "None: the first run counts.";
  const repeats =
    noise?.percent.average_fps === undefined
      ? "Not learned yet: it was not run often enough."
      : `Average fps within ${figure(noise.percent.average_fps)}%${noise.percent.low_1 === undefined ? "" : `, 1% low within ${figure(noise.percent.low_1)}%`} from pass to pass (${count(noise.passes, "pass", "passes")}).`;
  return (
    <article className="mx-auto max-w-[52rem]">
      <div className="no-print mb-4 flex items-center justify-between">
        <Link to="/scenes">← all scenes</Link>
        <span className="flex flex-wrap items-center gap-3">
          <Keep
            offer={() =>
              ofTheHouse(`${scene.game}, ${scene.name}`, [
                { kind: "scene", label: "This scene, as its card has it", look: { scene: scene.id } },
              ])
            }
          />
          <Button kind="main" onClick={() => window.print()}>
            Print
          </Button>
        </span>
      </div>
      <div className="sheet p-8 print:border-0 print:p-0">
        <p className="label">Scene card · {kinds.find((one) => one.kind === scene.kind)?.label}</p>
        <h1 className="text-[2.4rem] leading-tight font-bold">{scene.game}</h1>
        <p className="text-[1.4rem] text-soft">
          {scene.name}
          {scene.length_s !== null && (
            <>
              , <span className="figure">{scene.length_s}</span> s
            </>
          )}
        </p>
        <ol className="mt-6">
          {steps.map(([name, words], index) => (
            <li
              key={name}
              className="grid grid-cols-[2.5rem_6rem_1fr] items-baseline border-rule border-t py-3"
            >
              <span className="figure text-[1.3rem] text-mute">{index + 1}</span>
              <span className="label">{name}</span>
              <span className="text-[1.2rem]">
                {words || <span className="text-mute">not described yet</span>}
              </span>
            </li>
          ))}
        </ol>
        <dl className="grid grid-cols-[8.5rem_1fr] gap-y-2 border-rule border-t pt-4">
          <dt className="label pt-0.5">Warm-up</dt>
          <dd>
            {runs} {scene.warm_up}
          </dd>
          <dt className="label pt-0.5">Held back by</dt>
          <dd>{scene.leans_on.join(", ") || "not said"}</dd>
          <dt className="label pt-0.5">Repeats</dt>
          <dd>{repeats}</dd>
          {game && (engineWords(game).length > 0 || game.notes) && (
            <>
              <dt className="label pt-0.5">The game</dt>
              <dd>
                {[...engineWords(game)].join(", ")}
                {game.notes && <span className="block">{game.notes}</span>}
              </dd>
            </>
          )}
        </dl>
        <div className="mt-4 border-rule border-t pt-4">
          <div className="no-print mb-2 max-w-sm">
            <Select
              label="Condition on this card"
              value={chosen}
              onChange={setChosen}
              options={[
                { value: BY_HAND, label: "written in by hand" },
                ...conditions.map((one) => ({ value: String(one.id), label: one.name })),
              ]}
            />
          </div>
          <p className="grid grid-cols-[8.5rem_1fr] items-baseline">
            <span className="label">Condition</span>
            {condition ? (
              <span>
                <b>{condition.name}</b>
                {told(condition)}
              </span>
            ) : (
              <span className="h-6 border-mute border-b border-dotted" />
            )}
          </p>
          <h2 className="label mt-4">Notes</h2>
          {Array.from({ length: NOTE_LINES }, (_, at) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: empty lines are told apart by nothing else
            <div key={at} className="h-8 border-mute border-b border-dotted" />
          ))}
        </div>
      </div>
    </article>
  );
}
