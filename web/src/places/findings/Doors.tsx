import { type ReactNode, useEffect, useRef } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { useSession } from "../../api/queries";
import { useKeysOf } from "../../controls/Keys";
import { useAddress } from "../../controls/useAddress";

/** A section of findings that opens by a key: its content is loaded when it is opened. */
export interface Door {
  /** A digit, the same in every study. */
  key: string;
  id: string;
  name: string;
  /** What one should know of it before it is open. */
  line?: string | false;
  show: () => ReactNode;
}

/** Which door is open: from the address, else as this person left it. */
export function useDoor(): [string, (id: string) => void] {
  const [search, set] = useAddress();
  const { data: session } = useSession();
  const kept = `rennbahn.findings.door.${session?.name ?? ""}`;
  const open = search.get("door") ?? localStorage.getItem(kept) ?? "";
  return [
    open === SHUT ? "" : open,
    (id) => {
      const now = id || SHUT;
      localStorage.setItem(kept, now);
      set({ door: now });
    },
  ];
}

/** Stands in the address where nothing is open, whatever one left open elsewhere. */
const SHUT = "none";

export function Doors({ doors }: { doors: Door[] }) {
  const [open, setOpen] = useDoor();
  const strip = useRef<HTMLElement>(null);
  const byHand = useRef(false);
  const own = doors.find((one) => one.id === open);
  const turn = (door: Door) => {
    byHand.current = door.id !== open;
    setOpen(door.id === open ? "" : door.id);
  };
  useHotkeys(doors.map((one) => one.key).join(","), (event) => {
    const door = doors.find((one) => one.key === event.key);
    if (door) turn(door);
  });
  useKeysOf(
    "Findings",
    doors.map((one) => ({ key: one.key, does: one.name.toLowerCase() })),
  );
  // What was opened by hand is looked at; what stood open before stays where it is.
  useEffect(() => {
    if (open && byHand.current) strip.current?.scrollIntoView({ block: "start" });
  }, [open]);
  return (
    <>
      <nav
        ref={strip}
        aria-label="Parts of the findings"
        className="no-print z-10 mt-8 sm:sticky sm:bottom-0 flex scroll-mt-2 flex-wrap gap-x-1 gap-y-1 border-ink border-y bg-paper py-1.5"
      >
        {doors.map((one) => (
          <button
            key={one.id}
            type="button"
            aria-expanded={one === own}
            onClick={() => turn(one)}
            className={`flex cursor-pointer items-baseline gap-1.5 rounded-[3px] px-2.5 py-1 text-[0.95rem] ${
              one === own ? "bg-ink font-semibold text-paper" : "hover:bg-raised"
            }`}
          >
            <kbd className={`key ${one === own ? "border-paper/60! text-paper!" : ""}`}>{one.key}</kbd>
            {one.name}
            {one.line && (
              <span className={one === own ? "text-paper/80" : "font-semibold text-accent"}>{one.line}</span>
            )}
          </button>
        ))}
      </nav>
      {own && (
        <div key={own.id} id={`door-${own.id}`} className="door">
          {own.show()}
        </div>
      )}
    </>
  );
}
