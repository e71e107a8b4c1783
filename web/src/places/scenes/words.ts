import type { Schemas } from "../../api/client";
import { fps } from "../../format";

type Game = Schemas["GameOut"];
type Condition = Schemas["ConditionOut"];

/** What is known of a game's engine, in words. */
export function engineWords(game: Game): string[] {
  return [
    game.engine_cap_fps ? `engine cap ${fps(game.engine_cap_fps)} fps` : "",
    game.preset_needs_restart ? "a preset needs a restart" : "",
    game.forbids_overlays ? "forbids overlays" : "",
    game.has_replay ? "has a replay" : "",
    game.has_benchmark ? "has a built-in benchmark" : "",
  ].filter(Boolean);
}

/** What a condition tells a game, in words. */
export function toldWords(one: Condition): string[] {
  const named: [string, string][] = [
    ["upscaling", one.upscaling],
    ["ray tracing", one.ray_tracing],
    ["API", one.api],
  ];
  return [
    one.resolution,
    one.preset,
    ...named.map(([name, value]) => value && `${name} ${value}`),
    one.frame_limit_fps ? `limited to ${fps(one.frame_limit_fps)} fps` : "",
  ].filter(Boolean);
}
