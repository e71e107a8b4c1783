import { createElement } from "react";
import { renderToStaticMarkup } from "react-dom/server";
import type { Schemas } from "../src/api/client";
import { MarginPicture } from "../src/charts/MarginPicture";
import { LIGHT_PICTURE, type Theme } from "../src/charts/marks";

/** The picture that is exported, as its markup. */
export function marginPicture(
  findings: Schemas["FindingsOut"],
  style: string,
  background = true,
  theme: Theme = LIGHT_PICTURE,
): string {
  return renderToStaticMarkup(createElement(MarginPicture, { findings, theme, style, background }));
}
