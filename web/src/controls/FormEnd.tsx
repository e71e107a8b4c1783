import type { ReactNode } from "react";
import { Button } from "./Button";
import { ErrorNotice } from "./Notice";

interface Props {
  error?: unknown;
  leave: () => void;
  leaveLabel?: string;
  /** What the form does, on its main button. */
  does: string;
  disabled?: boolean;
  /** Further actions between leaving and doing. */
  children?: ReactNode;
}

/** The end of a form in a dialog: what went wrong, the way out, and the action. */
export function FormEnd({ error, leave, leaveLabel = "Leave it", does, disabled = false, children }: Props) {
  return (
    <>
      <ErrorNotice error={error} />
      <div className="flex justify-end gap-2">
        <Button onClick={leave}>{leaveLabel}</Button>
        {children}
        <Button kind="main" type="submit" disabled={disabled}>
          {does}
        </Button>
      </div>
    </>
  );
}
