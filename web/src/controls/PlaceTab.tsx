import type { ReactNode } from "react";
import { NavLink, useLocation } from "react-router";

interface Props {
  to: string;
  /** It is here also at addresses that begin so. */
  also?: string;
  /** It is here at this address alone, not at those beneath it. */
  end?: boolean;
  shortcut?: string;
  /** How many there are. */
  count?: number | undefined;
  children: ReactNode;
}

/** A room of a place, on a tab with the key that opens it. */
export function PlaceTab({ to, also, end = false, shortcut, count, children }: Props) {
  const { pathname } = useLocation();
  const within = also !== undefined && pathname.startsWith(also);
  return (
    <NavLink
      to={to}
      end={end}
      className={({ isActive }) =>
        `plain -mb-px flex items-center gap-1.5 rounded-t-[3px] border px-3.5 py-1.5 font-semibold whitespace-nowrap max-sm:px-2 ${isActive || within ? "border-rule border-b-paper bg-paper" : "border-transparent text-soft hover:bg-band"}`
      }
    >
      {children}
      {count !== undefined && <span className="figure text-mute"> {count}</span>}
      {shortcut && (
        <span className="key max-sm:hidden" aria-hidden="true">
          {" "}
          {shortcut}
        </span>
      )}
    </NavLink>
  );
}
