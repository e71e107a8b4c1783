import { type ReactElement, type ReactNode, useState } from "react";
import { Menu, MenuAction } from "../controls/Menu";
import { ErrorNotice } from "../controls/Notice";
import { fileName, savePicture } from "./export";
import { type Drawn, GROUND } from "./kinds/Frame";
import { DARK_PICTURE, LIGHT_PICTURE, type Theme } from "./marks";

const PICTURES: [string, "svg" | 1 | 2, Theme][] = [
  ["Picture as SVG", "svg", LIGHT_PICTURE],
  ["Picture as SVG, dark", "svg", DARK_PICTURE],
  ["Picture as PNG, 1920 × 1080", 1, LIGHT_PICTURE],
  ["Picture as PNG, 3840 × 2160", 2, LIGHT_PICTURE],
  ["Picture as PNG, 1920 × 1080, dark", 1, DARK_PICTURE],
  ["Picture as PNG, 3840 × 2160, dark", 2, DARK_PICTURE],
];

/** A picture as a file in both kinds, sizes and schemes, and beneath it whatever else can be taken along. */
export function ExportMenu({
  label,
  name,
  draw,
  pages = 1,
  of,
  children,
}: {
  label: string;
  name: string;
  draw: (how: Drawn, page: number) => ReactElement;
  /** Of what does not fit on one picture there are several. */
  pages?: number | (() => number);
  /** Which of several on the page it is. */
  of?: string;
  children?: ReactNode;
}) {
  const [error, setError] = useState<unknown>(null);
  const save = async (kind: "svg" | 1 | 2, theme: Theme) => {
    setError(null);
    try {
      const many = typeof pages === "number" ? pages : pages();
      for (let page = 0; page < many; page++) {
        const own = many > 1 ? `${fileName(name)}-${page + 1}-of-${many}` : fileName(name);
        await savePicture((style: string) => draw({ theme, style }, page), own, kind, GROUND);
      }
    } catch (problem) {
      setError(problem);
    }
  };
  return (
    <div className="no-print ml-auto">
      <Menu label={label} {...(of && { name: `${label}: ${of}` })}>
        {PICTURES.map(([words, kind, theme]) => (
          <MenuAction key={words} onSelect={() => save(kind, theme)}>
            {words}
          </MenuAction>
        ))}
        {children}
      </Menu>
      <ErrorNotice error={error} />
    </div>
  );
}
