/** Draws an edition for the server: JSON of a page in, its documents out. Run by Node; reads and writes nothing else. */

import { readFileSync, writeFileSync } from "node:fs";
import type { ReactElement } from "react";
import { renderToStaticMarkup } from "react-dom/server";
import { MemoryRouter } from "react-router";
import { keepWords } from "../api/words";
import { DARK, LIGHT, LIGHT_PICTURE } from "../charts/marks";
import { OnPaper } from "../controls/paper";
import { FONTS } from "./fonts";
import type { PageOf } from "./model";
import { Numbers, Page, Preview } from "./Page";
import sheet from "./page.css?inline";
import script from "./reading.js?raw";

const INPUT = 0;
const OUTPUT = 1;

const ACCENT = "#9c3a17";
const variables = ({ lanes, ...colours }: typeof LIGHT | typeof DARK, accent: string) =>
  [
    ...Object.entries({ ...colours, accent }).map(([name, value]) => `--${name}:${value}`),
    ...lanes.map((value, lane) => `--lane-${lane}:${value}`),
  ].join(";");

const light = `:root{color-scheme:light;${variables(LIGHT, ACCENT)}}`;
const dark = `@media screen and (prefers-color-scheme:dark){:root{color-scheme:dark;${variables(DARK, "#f0a37e")}}}`;

/** A sheet of paper: running title and page numbers. */
const paperOf = (title: string) =>
  `@page{size:A4;margin:20mm 18mm 22mm;@bottom-left{content:"${title.replace(/["\\\n]/g, " ")}";font:8pt "Archivo Variable"}` +
  `@bottom-right{content:counter(page) " / " counter(pages);font:8pt "Archivo Variable"}}@page:first{@bottom-left{content:""}}` +
  ".article.alone{font-size:10.5pt;background:none}.article.alone>main{max-width:none;padding:0}";

/** A card of one picture, in the measures of pictures. */
const CARD = "@page{size:1920px 1080px;margin:0}body{margin:0}";

const COLOURS = new Map(
  variables(LIGHT, ACCENT)
    .split(";")
    .map((one) => one.split(":") as [string, string]),
);
/** What sets a PDF knows no variables in pictures: there the colours of paper stand themselves. */
const inColours = (html: string) =>
  html.replace(/var\((--[\w-]+)\)/g, (_, name) => COLOURS.get(name) ?? "#000");

const whole = (document: ReactElement) =>
  `<!doctype html>${renderToStaticMarkup(
    <MemoryRouter>
      <OnPaper value={true}>{document}</OnPaper>
    </MemoryRouter>,
  )}`;

const page = JSON.parse(readFileSync(INPUT, "utf8")) as PageOf;
keepWords(page.words);
const css = FONTS + light + dark + sheet;
writeFileSync(
  OUTPUT,
  JSON.stringify({
    page: whole(<Page page={page} css={css} script={script} />),
    preview: inColours(whole(<Preview page={page} css={FONTS + CARD} theme={LIGHT_PICTURE} />)),
    numbers: whole(<Numbers page={page} css={css} />),
    print: inColours(
      whole(<Page page={page} css={FONTS + sheet + paperOf(page.title)} print={LIGHT_PICTURE} />),
    ),
  }),
);
