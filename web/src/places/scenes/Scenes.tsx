import { useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Link, Route, Routes } from "react-router";
import type { Schemas } from "../../api/client";
import { useConditions, useGames, useMay, useSceneKinds, useSceneNoise, useScenes } from "../../api/queries";
import { BringIn } from "../../controls/BringIn";
import { Button, buttonLook } from "../../controls/Button";
import { NothingMatches, useFilter } from "../../controls/Filter";
import { useKeysOf } from "../../controls/Keys";
import { Menu, MenuLink } from "../../controls/Menu";
import { Empty, ErrorNotice, Loading } from "../../controls/Notice";
import { PlaceHead } from "../../controls/PlaceHead";
import { Term } from "../../controls/Term";
import { useTitle } from "../../controls/useTitle";
import { count, figure } from "../../format";
import { ConditionDialog } from "./ConditionDialog";
import { GameDialog } from "./GameDialog";
import { LengthsToGive } from "./LengthsToGive";
import { NoiseBook } from "./NoiseBook";
import { SceneCard } from "./SceneCard";
import { SceneDialog } from "./SceneDialog";
import { engineWords, toldWords } from "./words";

type Scene = Schemas["SceneOut"];
type Game = Schemas["GameOut"];
type Condition = Schemas["ConditionOut"];

const KEYS = [
  { key: "n", does: "new scene" },
  { key: "c", does: "new condition" },
  { key: "g", does: "new game" },
];

const NO_SCENES: Scene[] = [];

/** Games with their scenes, each so described that a colleague could repeat it. */
export default function Scenes() {
  return (
    <Routes>
      <Route path="noise" element={<NoiseBook />} />
      <Route path="card/:scene" element={<SceneCard />} />
      <Route path="*" element={<SceneList />} />
    </Routes>
  );
}

function SceneList() {
  const { data: scenes, error } = useScenes();
  const { data: games = [] } = useGames();
  const { data: conditions = [] } = useConditions();
  const { data: kinds = [] } = useSceneKinds();
  const { data: noises = [] } = useSceneNoise();
  const lead = useMay("lead");
  const { shown, text, setText } = useFilter<Scene>(scenes ?? NO_SCENES, (one) => `${one.game} ${one.name}`);
  useTitle("Scenes");
  const [editing, setEditing] = useState<Scene | "new" | null>(null);
  const [game, setGame] = useState<Game | "new" | null>(null);
  const [condition, setCondition] = useState<Condition | "new" | null>(null);
  const free = lead && !editing && !condition && !game;
  useHotkeys("n", () => setEditing("new"), { enabled: free, preventDefault: true });
  useHotkeys("c", () => setCondition("new"), { enabled: free, preventDefault: true });
  useHotkeys("g", () => setGame("new"), { enabled: free, preventDefault: true });
  useKeysOf("Scenes", KEYS);
  if (error) return <ErrorNotice error={error} />;
  if (!scenes) return <Loading what="the scenes" />;
  const label = new Map(kinds.map((kind) => [kind.kind, kind.label]));
  const noise = new Map(noises.map((one) => [one.scene_id, one]));
  return (
    <>
      <PlaceHead
        title="Scenes"
        says="A scene is a repeatable stretch of a game: start, route, end, length."
        filters="Filter scenes"
        filter={text}
        setFilter={setText}
      >
        <Link to="/scenes/noise" className={buttonLook("quiet")}>
          Noise book
        </Link>
        <Menu label="Take along">
          <MenuLink href="/api/scenes.csv">Scenes as CSV</MenuLink>
          <MenuLink href="/api/conditions.csv">Conditions as CSV</MenuLink>
        </Menu>
        {lead && (
          <>
            <BringIn
              to="/api/scenes.csv"
              what="scene"
              changes={["scenes", "games"]}
              label="Bring in scenes"
            />
            <BringIn
              to="/api/conditions.csv"
              what="condition"
              changes={["conditions"]}
              label="Bring in conditions"
            />
            <Button shortcut="g" onClick={() => setGame("new")}>
              New game
            </Button>
            <Button shortcut="c" onClick={() => setCondition("new")}>
              New condition
            </Button>
            <Button kind="main" shortcut="n" onClick={() => setEditing("new")}>
              New scene
            </Button>
          </>
        )}
      </PlaceHead>
      {lead && <LengthsToGive />}
      {scenes.length === 0 && games.length === 0 ? (
        <Empty title="No scene yet.">
          <p>
            Describe the first: where it starts, what is done, where it ends. A replay or a fixed route
            repeats best.
          </p>
        </Empty>
      ) : (
        <table className="w-full border-collapse">
          <thead>
            <tr className="label">
              <th className="pb-1 md:w-[14rem]">Game</th>
              <th className="pb-1 md:w-[10rem]">Scene</th>
              <th className="w-[8.5rem] pb-1 max-md:hidden">
                <Term word="held back by">Held back by</Term>
              </th>
              <th className="pb-1 md:w-[10rem]">
                <Term word="scatter from pass to pass">Scatter</Term>
              </th>
              <th className="pb-1 max-md:hidden">Start → route → end</th>
              <th className="pb-1 md:w-[9rem]">
                <span className="sr-only">Actions</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {shown.map((scene) => (
              <SceneRow
                key={scene.id}
                scene={scene}
                game={games.find((one) => one.id === scene.game_id)}
                kind={label.get(scene.kind) ?? ""}
                noise={noise.get(scene.id)}
                {...(lead ? { edit: () => setEditing(scene), editGame: setGame } : {})}
              />
            ))}
          </tbody>
        </table>
      )}
      {scenes.length > 0 && !shown.length && <NothingMatches text={text} what="scene" />}
      <Conditions conditions={conditions} edit={lead ? setCondition : null} />
      {editing && (
        <SceneDialog
          scene={editing === "new" ? null : editing}
          kinds={kinds}
          games={games.map((one) => one.name)}
          close={() => setEditing(null)}
        />
      )}
      {game && <GameDialog game={game === "new" ? null : game} close={() => setGame(null)} />}
      {condition && (
        <ConditionDialog
          condition={condition === "new" ? null : condition}
          close={() => setCondition(null)}
        />
      )}
    </>
  );
}

function SceneRow({
  scene,
  game,
  kind,
  noise,
  edit,
  editGame,
}: {
  scene: Scene;
  game: Game | undefined;
  kind: string;
  noise: Schemas["SceneNoiseOut"] | undefined;
  edit?: () => void;
  editGame?: (game: Game) => void;
}) {
  return (
    <tr className="border-rule border-t">
      <th scope="row" className="py-2 pr-4">
        {game && editGame ? (
          <button
            type="button"
            onClick={() => editGame(game)}
            className="cursor-pointer text-left font-semibold underline decoration-rule underline-offset-3 hover:decoration-ink"
          >
            {scene.game}
          </button>
        ) : (
          <span className="font-semibold">{scene.game}</span>
        )}
        {game?.genre && <span className="block text-[0.86rem] text-mute">{game.genre}</span>}
        {game &&
          engineWords(game).map((words) => (
            <span key={words} className="block text-[0.86rem] text-soft">
              {words}
            </span>
          ))}
      </th>
      <td className="py-2 pr-4">
        {scene.name}
        <span className="block text-[0.86rem] text-mute">
          {kind}, {scene.length_s === null ? "no length yet" : `${scene.length_s} s`}
          {scene.version > 1 && `, version ${scene.version}`}
        </span>
      </td>
      <td className="py-2 pr-4 max-md:hidden">
        {scene.leans_on.join(", ") || <span className="text-mute">not said</span>}
      </td>
      <td className="py-2 pr-4">
        {noise?.percent.average_fps !== undefined ? (
          <>
            <span className="figure">{figure(noise.percent.average_fps)}%</span>{" "}
            <span className="text-[0.86rem] text-mute">average</span>
            {noise.percent.low_1 !== undefined && (
              <span className="block">
                <span className="figure">{figure(noise.percent.low_1)}%</span>{" "}
                <span className="text-[0.86rem] text-mute">1% low</span>
              </span>
            )}
            <span className="block text-[0.82rem] text-mute">
              {count(noise.passes, "pass", "passes")}, {count(noise.studies, "study", "studies")}
            </span>
          </>
        ) : (
          <span className="text-mute">{noise ? "capped average" : "not learned yet"}</span>
        )}
      </td>
      <td className="py-2 pr-4 text-[0.93rem] max-md:hidden">
        {[scene.start, scene.route, scene.end].filter(Boolean).join(" → ") || "not described yet"}
      </td>
      <td className="py-2 text-right">
        <Link to={`/scenes/card/${scene.id}`} aria-label={`Scene card of ${scene.game}, ${scene.name}`}>
          Scene card
        </Link>
        {edit && (
          <Button className="ml-3" onClick={edit} aria-label={`Edit ${scene.game}, ${scene.name}`}>
            Edit
          </Button>
        )}
      </td>
    </tr>
  );
}

function Conditions({
  conditions,
  edit,
}: {
  conditions: Condition[];
  edit: ((condition: Condition) => void) | null;
}) {
  return (
    <section className="mt-10">
      <h2 className="mb-2 text-xl font-bold">Conditions</h2>
      {conditions.length === 0 && <p className="text-mute">None yet. A study makes those it names.</p>}
      <ul>
        {conditions.map((one) => (
          <li
            key={one.id}
            className="grid grid-cols-[1fr_auto] items-baseline gap-x-4 md:grid-cols-[14rem_8rem_1fr_auto] border-rule border-t py-1.5"
          >
            <span className="font-semibold">{one.name}</span>
            <span className="text-mute">{one.intent === "expose" ? "to expose" : "as played"}</span>
            <span className="text-soft">{toldWords(one).join(", ") || "says no more than its name"}</span>
            {edit && (
              <Button kind="quiet" onClick={() => edit(one)} aria-label={`Edit ${one.name}`}>
                Edit
              </Button>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
