import { createContext, type ReactNode, useCallback, useContext, useMemo, useRef, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { acts, type Report, type ReportBlock, useAct } from "../../api/reports";
import { Button } from "../../controls/Button";
import { ErrorNotice } from "../../controls/Notice";

/** An act on the blocks of a report, and what takes it back. */
interface Done {
  words: string;
  back: () => Promise<Report>;
}

interface Undo {
  moved: (block: ReportBlock, after: number | null, words: string) => void;
  takenOut: (block: ReportBlock, after: number | null, words: string) => void;
  added: (before: Report, now: Report, words: string) => void;
  captioned: (block: ReportBlock, now: Report) => void;
}

const Undoing = createContext<Undo | null>(null);
const Last = createContext<ReactNode>(null);

/** What was done last, and how it is taken back. */
export const UndoLine = () => useContext(Last);

/** Tells what was done to blocks, so that it can be taken back. */
export function useUndo(): Undo {
  const found = useContext(Undoing);
  if (!found) throw new Error("nothing is undone outside a report");
  return found;
}

/** Keeps what was done to the blocks of a report while its page is open, and takes it back, the last first. */
export function UndoOf({ report, children }: { report: Report; children: ReactNode }) {
  const [done, setDone] = useState<Done[]>([]);
  const latest = useRef(report);
  latest.current = report;
  // A block that is put in again has another id: what was done to the old one is taken back of the new one.
  const renamed = useRef(new Map<number, number>());
  const now = useCallback((id: number): number => {
    const next = renamed.current.get(id);
    return next === undefined ? id : now(next);
  }, []);
  const back = useAct<Done>(report.id, (one) => one.back());
  const tell = useMemo<Undo>(() => {
    const did = (words: string, how: () => Promise<Report>) =>
      setDone((was) => [...was, { words, back: how }]);
    const behind = (after: number | null) => (after === null ? null : now(after));
    const id = report.id;
    return {
      moved: (block, after, words) => did(words, () => acts.move(id, now(block.id), behind(after))),
      takenOut: (block, after, words) =>
        did(words, async () => {
          const again = await acts.add(id, { ...contentOf(block), after: behind(after) });
          const known = new Set(latest.current.blocks.map((one) => one.id));
          const made = again.blocks.find((one) => !known.has(one.id));
          if (made) renamed.current.set(block.id, made.id);
          return again;
        }),
      added: (before, after, words) => {
        const known = new Set(before.blocks.map((one) => one.id));
        const made = after.blocks.find((one) => !known.has(one.id));
        // By the mark that it had then: what somebody wrote in it since is not taken away with it.
        if (made) did(words, () => acts.remove(id, now(made.id), made.seen));
      },
      captioned: (block, after) => {
        const seen = after.blocks.find((one) => one.id === block.id)?.seen ?? "";
        did("Captioned a block", () => acts.save(id, now(block.id), { ...contentOf(block), seen }));
      },
    };
  }, [report.id, now]);
  const last = done.at(-1);
  const undo = () => {
    if (!last || back.isPending) return;
    setDone((was) => was.slice(0, -1));
    back.mutate(last);
  };
  useHotkeys("u", undo, { enabled: last !== undefined });
  const line = (
    <div role="status" className="no-print min-h-9 font-sans">
      {last && (
        <span className="flex flex-wrap items-center gap-3 text-[0.95rem] text-soft">
          {last.words}.
          <Button kind="quiet" shortcut="u" disabled={back.isPending} onClick={undo}>
            Undo
          </Button>
        </span>
      )}
      <ErrorNotice error={back.error} />
    </div>
  );
  return (
    <Undoing.Provider value={tell}>
      <Last.Provider value={line}>{children}</Last.Provider>
    </Undoing.Provider>
  );
}

function contentOf(block: ReportBlock) {
  if (block.kind === "prose")
    return { kind: "prose" as const, doc: block.doc as never, caption: "", rows: [] };
  return {
    kind: block.kind as "picture",
    study_id: block.study_id,
    look: block.look as never,
    caption: block.caption,
    rows: block.rows,
  };
}
