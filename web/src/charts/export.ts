/** Charts as files: SVG with its fonts inside, PNG drawn from it. */

import archivo from "@fontsource-variable/archivo/files/archivo-latin-standard-normal.woff2?url";
import mono from "@fontsource-variable/spline-sans-mono/files/spline-sans-mono-latin-wght-normal.woff2?url";
import type { ReactElement } from "react";

let fonts: Promise<string> | null = null;

/** The style element's content that makes a picture carry its own fonts. */
export function fontStyle(): Promise<string> {
  fonts ??= Promise.all([
    face("Archivo Variable", archivo, "font-stretch:62% 125%;"),
    face("Spline Sans Mono Variable", mono, ""),
  ]).then((faces) => faces.join(""));
  return fonts;
}

async function face(family: string, url: string, more: string): Promise<string> {
  const blob = await (await fetch(url)).blob();
  const data = await new Promise<string>((resolve, reject) => {
    const reader = new FileReader();
    reader.onload = () => resolve(String(reader.result));
    reader.onerror = () => reject(reader.error);
    reader.readAsDataURL(blob);
  });
  return `@font-face{font-family:'${family}';src:url(${data}) format('woff2');font-weight:100 900;${more}}`;
}

/** A chart as a file's content: the same component as on the page, drawn once without one. */
export async function markup(chart: ReactElement): Promise<string> {
  const { renderToStaticMarkup } = await import("react-dom/server");
  return renderToStaticMarkup(chart);
}

/** Draw an SVG at a scale and give the PNG. */
export async function png(svg: string, width: number, height: number, scale: number): Promise<Blob> {
  const url = URL.createObjectURL(new Blob([svg], { type: "image/svg+xml" }));
  try {
    const image = new Image(width * scale, height * scale);
    image.src = url;
    await image.decode();
    const canvas = document.createElement("canvas");
    canvas.width = width * scale;
    canvas.height = height * scale;
    const context = canvas.getContext("2d");
    if (!context) throw new Error("This browser cannot draw pictures.");
    context.drawImage(image, 0, 0, canvas.width, canvas.height);
    return await new Promise((resolve, reject) =>
      canvas.toBlob(
        (blob) => (blob ? resolve(blob) : reject(new Error("The picture could not be made."))),
        "image/png",
      ),
    );
  } finally {
    URL.revokeObjectURL(url);
  }
}

/** Hand a file to the reader. */
export function save(content: Blob, name: string): void {
  const url = URL.createObjectURL(content);
  const link = document.createElement("a");
  link.href = url;
  link.download = name;
  document.body.append(link);
  link.click();
  link.remove();
  setTimeout(() => URL.revokeObjectURL(url), 10_000);
}

/** A name for files, from a question. */
export const fileName = (question: string) =>
  question
    .replace(/[^\p{L}\p{N}]+/gu, "-")
    .replace(/^-|-$/g, "")
    .toLowerCase();

/** Draw a picture and hand it to the reader: as SVG, or as PNG once or twice its size. */
export async function savePicture(
  draw: (style: string) => ReactElement,
  name: string,
  kind: "svg" | 1 | 2,
  { width, height }: { width: number; height: number },
): Promise<void> {
  const svg = await markup(draw(await fontStyle()));
  if (kind === "svg") save(new Blob([svg], { type: "image/svg+xml" }), `${name}.svg`);
  else save(await png(svg, width, height, kind), `${name}-${width * kind}x${height * kind}.png`);
}
