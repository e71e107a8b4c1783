import type { ReactNode } from "react";
import { Problem } from "../api/client";

/** An error in full: what happened, where, what to do. */
export function ErrorNotice({ error, children }: { error: unknown; children?: ReactNode }) {
  if (!error) return null;
  const problem = error instanceof Problem ? error : null;
  const where = problem?.row ? `Row ${problem.row}${problem.line ? ` (line ${problem.line})` : ""}: ` : "";
  return (
    <div role="alert" className="border-l-4 border-accent bg-mark/40 px-4 py-2.5">
      <p className="font-semibold">
        {where}
        {error instanceof Error ? error.message : "Something went wrong."}
      </p>
      {problem?.hint && <p className="text-soft">{problem.hint}</p>}
      {children && <p className="mt-2 flex gap-2">{children}</p>}
    </div>
  );
}

/** What an empty place says: what to do first. */
export function Empty({ title, children }: { title: string; children: ReactNode }) {
  return (
    <div className="sheet border-dashed! px-8 py-10 text-center">
      <p className="text-xl font-bold">{title}</p>
      <div className="mx-auto mt-2 max-w-xl text-soft">{children}</div>
    </div>
  );
}

export function Loading({ what }: { what: string }) {
  return (
    <p role="status" className="py-8 text-mute">
      Loading {what} …
    </p>
  );
}
