/** The letters of what is drawn for the server, within what is drawn. */

import archivo from "@fontsource-variable/archivo/files/archivo-latin-standard-normal.woff2?inline";
import mono from "@fontsource-variable/spline-sans-mono/files/spline-sans-mono-latin-wght-normal.woff2?inline";

export const FONTS = [
  `@font-face{font-family:"Archivo Variable";src:url(${archivo}) format("woff2");font-weight:100 900;font-stretch:62% 125%}`,
  `@font-face{font-family:"Spline Sans Mono Variable";src:url(${mono}) format("woff2");font-weight:300 700}`,
].join("");
