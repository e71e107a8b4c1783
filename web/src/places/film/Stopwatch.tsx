import { useEffect, useRef, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { useTitle } from "../../controls/useTitle";
import { fixed } from "../../format";
import { clockWords, LOOKED_AT, readingError, refreshOf, stepOf, TOLD_MS } from "./clock";

/** So many fields are lit one after the other, a frame each: where one is skipped, a frame of the display was lost. */
const FIELDS = 8;
/** So often the clock is read off to see in which steps it goes. */
const READ_OFF = 2_000;

/** Where a browser refuses, the page stays as it is. */
const fill = () => document.documentElement.requestFullscreen().catch(() => undefined);

/** A running clock to be filmed: big digits, drawn for every frame of the display, and how exact a reading of it is. */
export function Stopwatch() {
  const digits = useRef<HTMLParagraphElement>(null);
  const fields = useRef<HTMLDivElement>(null);
  const [known, setKnown] = useState<{ hz: number; step: number } | null>(null);
  useTitle("Stopwatch", "Filming");
  useHotkeys("f", () => void fill());
  useEffect(() => {
    const begun = performance.now();
    const step = stepOf(Array.from({ length: READ_OFF }, () => performance.now()));
    let drawn: number[] = [];
    let frame = 0;
    let told = 0;
    let next = requestAnimationFrame(function draw(at) {
      // Written at once, not by way of React: what is shown is of this frame.
      if (digits.current) digits.current.textContent = clockWords(at - begun);
      const lit = fields.current?.children;
      lit?.[frame % FIELDS]?.removeAttribute("data-lit");
      frame += 1;
      lit?.[frame % FIELDS]?.setAttribute("data-lit", "");
      drawn = [...drawn.slice(1 - LOOKED_AT), at];
      if (at - told > TOLD_MS) {
        told = at;
        const hz = refreshOf(drawn);
        if (hz !== null) setKnown({ hz, step });
      }
      next = requestAnimationFrame(draw);
    });
    return () => cancelAnimationFrame(next);
  }, []);
  return (
    <>
      <h1 className="sr-only">A stopwatch to be filmed</h1>
      <p
        ref={digits}
        data-clock
        className="figure text-center leading-none font-bold"
        style={{ fontSize: "min(19vw, 46vh)" }}
      />
      <div ref={fields} aria-hidden="true" className="flex justify-center gap-[1.5vw]">
        {Array.from({ length: FIELDS }, (_, at) => (
          <span
            // biome-ignore lint/suspicious/noArrayIndexKey: fields stay where they are
            key={at}
            className="block h-[9vh] w-[8vw] border-4 border-[#000] data-lit:bg-[#000]"
          />
        ))}
      </div>
      <p className="mt-[3vh] min-h-12 text-center text-[1.1rem]">
        {known
          ? `This display shows ${fixed(known.hz, 1)} frames a second. A reading is at most ${fixed(1000 * readingError(known.hz, known.step), 1)} ms late: ${fixed(readingError(known.hz, known.step), 3)} s is its reading error.`
          : "Looking how often this display shows a frame …"}{" "}
        Read it in the first and in the last frames of the film, 7 s apart or more.
      </p>
      <p className="text-center">
        <button
          type="button"
          className="cursor-pointer rounded-[3px] border-2 border-[#000] px-3 py-1.5 font-semibold"
          onClick={fill}
        >
          Full screen <kbd>f</kbd>
        </button>
      </p>
    </>
  );
}
