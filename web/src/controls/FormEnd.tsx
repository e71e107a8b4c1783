import { type ReactNode, type RefObject, useRef } from "react";
import { Problem } from "../api/client";
import { Button } from "./Button";
import { ErrorNotice } from "./Notice";

interface Props {
  error?: unknown;
  leave: () => void;
  leaveLabel?: string;
  /** What the form does, on its main button. */
  does: string;
  disabled?: boolean;
  /** What it does is not to be done lightly. */
  grave?: boolean;
  /** The mark of the state that is edited: where somebody was quicker, their state can be saved over. */
  seen?: RefObject<string>;
  /** Further actions between leaving and doing. */
  children?: ReactNode;
}

/** The mark of the state that a form was opened on, to be sent back with what is saved. */
export const useSeen = (mark: string | undefined) => useRef(mark ?? "");

/** The mark of the state there is now, where an error says that a page was overtaken. */
export function overtakenBy(error: unknown): string | undefined {
  return error instanceof Problem && error.code === "changed_meanwhile" ? error.now : undefined;
}

/** The end of a form in a dialog: what went wrong, the way out, and the action. */
export function FormEnd({
  error,
  leave,
  leaveLabel,
  does,
  disabled = false,
  grave = false,
  seen,
  children,
}: Props) {
  const now = seen && overtakenBy(error);
  return (
    <>
      <ErrorNotice error={error} />
      <div className="flex justify-end gap-2">
        <Button onClick={leave}>{leaveLabel ?? (now ? "Keep theirs" : "Cancel")}</Button>
        {children}
        <Button
          kind={grave ? "grave" : "main"}
          type="submit"
          disabled={disabled}
          onClick={() => {
            if (now && seen) seen.current = now;
          }}
        >
          {now ? "Save mine over it" : does}
        </Button>
      </div>
    </>
  );
}
