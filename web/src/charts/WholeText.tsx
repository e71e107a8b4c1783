import type { SVGProps } from "react";
import { fitted } from "./margins";

interface Props extends Omit<SVGProps<SVGTextElement>, "children" | "width" | "fontSize"> {
  children: string;
  /** Wanted size, and the width that there is for it. */
  fontSize: number;
  width: number;
  /** On so many lines at most while letters are large enough to be read. */
  lines?: number;
}

/** Letters smaller than these shares of the wanted size are not taken. */
const SHRINKS = [1, 0.9, 0.8, 0.7, 0.6, 0.5];

/** A text of a picture that is whole: smaller, then on lines of its own where it does not fit. Nothing is cut off. */
export function WholeText({ children, fontSize, width, lines = 2, x = 0, y = 0, ...rest }: Props) {
  const one = fitted(
    children,
    width,
    SHRINKS.slice(0, 3).map((share) => share * fontSize),
    1,
  );
  const found =
    one.lines.length <= 1
      ? one
      : fitted(
          children,
          width,
          SHRINKS.slice(1).map((share) => share * fontSize),
          lines,
        );
  const above = ((found.lines.length - 1) * found.size * 1.05) / 2;
  return (
    <text {...rest} x={x} y={Number(y) - above} fontSize={found.size}>
      {found.lines.map((line, at) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: lines of a text have no other name, and two may be equal
        <tspan key={at} x={x} dy={at ? found.size * 1.05 : 0}>
          {line}
        </tspan>
      ))}
    </text>
  );
}
