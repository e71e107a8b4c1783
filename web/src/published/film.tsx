/** Draws for the server what stands still in a film strip, and the letters of what moves. Run by Node, as pages are. */

import { readFileSync, writeFileSync } from "node:fs";
import type { ReactElement } from "react";
import { renderToStaticMarkup } from "react-dom/server";
import { placesOf, StripGround, type StripOf, StripSprites } from "../charts/FilmStrip";
import { DARK_PICTURE, LIGHT_PICTURE } from "../charts/marks";
import { FONTS } from "./fonts";

const INPUT = 0;
const OUTPUT = 1;

const strip = JSON.parse(readFileSync(INPUT, "utf8")) as StripOf & { letters: "light" | "dark" };
const [theme, edge] =
  strip.letters === "light" ? [DARK_PICTURE, LIGHT_PICTURE.ink] : [LIGHT_PICTURE, DARK_PICTURE.ink];
const places = placesOf(strip.lanes.length);

/** A sheet of exactly these measures. */
const sheet = (width: number, height: number, drawn: ReactElement) =>
  `<!doctype html><html lang="en"><title>Film strip</title><style>${FONTS}@page{size:${width}px ${height}px;margin:0}body{margin:0}svg{display:block}</style>` +
  renderToStaticMarkup(drawn);

writeFileSync(
  OUTPUT,
  JSON.stringify({
    places,
    ink: theme.ink,
    edge,
    lanes: strip.lanes.map((one) => theme.lane(one.position)),
    ground: sheet(places.width, places.height, <StripGround {...strip} theme={theme} />),
    sprites: sheet(places.sprites.width, places.sprites.height, <StripSprites theme={theme} />),
  }),
);
