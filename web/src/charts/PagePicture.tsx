import type { ReactElement } from "react";
import type { Drawn } from "./kinds/Frame";
import { SCREEN } from "./marks";
import { useWidth } from "./useWidth";

/** Narrower places than this get the picture that is drawn for a phone. */
const PHONE = 640;

/** A picture on a page: drawn for the width there is. */
export function PagePicture({ draw }: { draw: (how: Drawn) => ReactElement }) {
  const [place, width] = useWidth<HTMLDivElement>(1200);
  return <div ref={place}>{draw({ theme: SCREEN, bare: true, narrow: width < PHONE })}</div>;
}
