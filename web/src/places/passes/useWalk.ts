import { type RefObject, useCallback, useMemo, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { useNavigate } from "react-router";
import { useAddress } from "../../controls/useAddress";
import { type At, moved, nextDoubt, passAt, placeOf, type Row, type Way } from "./matrix";

const WAYS: Record<string, Way> = {
  arrowleft: "left",
  arrowright: "right",
  arrowup: "up",
  arrowdown: "down",
  home: "first",
  end: "last",
};

/** Where in the matrix one stands, and which passes are picked. Back from a pass leads to where one stood. */
export function useWalk(study: number, rows: readonly Row[], place: RefObject<HTMLElement | null>) {
  const go = useNavigate();
  const [search, set] = useAddress();
  const [pass, setPass] = useState<number | null>(() => Number(search.get("pass")) || null);
  const [picked, setPicked] = useState<ReadonlySet<number>>(new Set());
  const at = useMemo<At>(() => {
    const found = pass === null ? null : placeOf(rows, pass);
    return found ?? nextDoubt(rows, { row: 0, lane: 0, pass: -1 }, 1) ?? { row: 0, lane: 0, pass: 0 };
  }, [rows, pass]);
  /** Pick all of them, or let them go where all were picked. */
  const pick = useCallback(
    (ids: readonly number[]) =>
      setPicked((now) => {
        const next = new Set(now);
        const there = ids.every((id) => next.has(id));
        for (const id of ids) there ? next.delete(id) : next.add(id);
        return next;
      }),
    [],
  );
  const pickOnly = useCallback((ids: readonly number[]) => setPicked(new Set(ids)), []);
  const goTo = useCallback(
    (to: At, withPick: boolean) => {
      const one = passAt(rows, to);
      if (!one) return;
      setPass(one.one.id);
      if (withPick) pick([one.one.id]);
    },
    [rows, pick],
  );
  const step = (to: At | null) => {
    if (!to || !passAt(rows, to)) return;
    goTo(to, false);
    // Whoever walks through the matrix by keys stands in it from then on, whatever was pressed before.
    place.current?.querySelector<HTMLElement>("[role=grid]")?.focus({ preventScroll: true });
  };
  const open = useCallback(
    (to: At) => {
      const one = passAt(rows, to);
      if (!one) return;
      set({ pass: String(one.one.id) });
      go(`/studies/${study}/passes/${one.one.test_id}?pass=${one.one.id}`);
    },
    [rows, go, set, study],
  );
  return {
    at,
    active: passAt(rows, at),
    /** Whether it was said where to stand. */
    went: pass !== null,
    settleOn: setPass,
    picked,
    pick,
    pickOnly,
    goTo,
    step,
    open,
  };
}

/** The keys of walking, picking and opening. */
export function useWalkKeys(
  { at, active, picked, pick, pickOnly, step, open }: ReturnType<typeof useWalk>,
  rows: readonly Row[],
  place: RefObject<HTMLElement | null>,
  enabled: boolean,
): void {
  useHotkeys(
    "left, right, up, down, home, end",
    (event) => step(moved(rows, at, WAYS[event.key.toLowerCase()] ?? "right")),
    { enabled, preventDefault: true, ignoreEventWhen: elsewhere },
  );
  useHotkeys("shift+left", () => step(moved(rows, at, "lane_left")), { enabled });
  useHotkeys("shift+right", () => step(moved(rows, at, "lane_right")), { enabled });
  useHotkeys("n", () => step(nextDoubt(rows, at, 1)), { enabled });
  useHotkeys("b", () => step(nextDoubt(rows, at, -1)), { enabled });
  useHotkeys("enter", () => open(at), { enabled, ignoreEventWhen: elsewhere });
  useHotkeys("x", () => active && pick([active.one.id]), { enabled });
  useHotkeys(
    "shift+x",
    () => pick((rows[at.row]?.cells ?? []).flatMap((cell) => cell.marks.map((one) => one.one.id))),
    { enabled },
  );
  useHotkeys("escape", () => pickOnly([]), { enabled: enabled && picked.size > 0 });
  useHotkeys("m", () => place.current?.querySelector<HTMLInputElement>("input")?.focus(), {
    enabled,
    preventDefault: true,
  });
}

/** Arrow keys within a field, a chosen row of buttons or a menu are that one's own. */
function elsewhere(event: KeyboardEvent): boolean {
  return (
    event.target instanceof Element && event.target.closest("button, a, input, [role=radiogroup]") !== null
  );
}
