import { useEffect, useRef, useState } from "react";
import { useTitle } from "../../controls/useTitle";
import { fixed } from "../../format";
import { downOf, LOOKED_AT, refreshOf, TOLD_MS } from "./clock";

interface Answered {
  what: string;
  number: number;
  /** From what the browser was told to the next frame that it draws, ms; none of a pad, which is asked, not told. */
  toFrame: number | null;
}

/** A screen that turns from black to white at a press of a key, a button or a pad, and back when it is let go. */
export function PressScreen() {
  const ground = useRef<HTMLDivElement>(null);
  const [last, setLast] = useState<Answered | null>(null);
  const [hz, setHz] = useState<number | null>(null);
  useTitle("Press screen", "Filming");
  useEffect(() => {
    let drawn: number[] = [];
    let told = 0;
    let presses = 0;
    let pads: string[] = [];
    const down = new Set<string>();
    const press = (what: string, at: number | null) => {
      if (down.has(what)) return;
      down.add(what);
      // At once, not by way of React: this is what is filmed.
      ground.current?.setAttribute("data-pressed", "");
      presses += 1;
      const number = presses;
      requestAnimationFrame((frame) =>
        setLast({ what, number, toFrame: at === null ? null : Math.max(0, frame - at) }),
      );
    };
    const release = (what: string) => {
      down.delete(what);
      if (down.size === 0) ground.current?.removeAttribute("data-pressed");
    };
    const keyDown = (event: KeyboardEvent) => {
      // Keys that lead away stay what they are.
      if (event.ctrlKey || event.metaKey || event.altKey || ["Tab", "Escape", "F11"].includes(event.key))
        return;
      event.preventDefault();
      if (!event.repeat) press(event.code, event.timeStamp);
    };
    const keyUp = (event: KeyboardEvent) => release(event.code);
    const pointerDown = (event: PointerEvent) => {
      event.preventDefault();
      press(`${event.pointerType} button ${event.button + 1}`, event.timeStamp);
    };
    const pointerUp = (event: PointerEvent) => release(`${event.pointerType} button ${event.button + 1}`);
    const none = () => {
      for (const one of [...down]) release(one);
    };
    const menu = (event: Event) => event.preventDefault();
    const heard: [string, (event: never) => void][] = [
      ["keydown", keyDown],
      ["keyup", keyUp],
      ["pointerdown", pointerDown],
      ["pointerup", pointerUp],
      ["pointercancel", none],
      ["blur", none],
      ["contextmenu", menu],
    ];
    for (const [name, hear] of heard) window.addEventListener(name, hear as EventListener);
    let next = requestAnimationFrame(function look(at) {
      const now = downOf(navigator.getGamepads?.() ?? []);
      for (const one of now) press(one, null);
      for (const one of pads) if (!now.includes(one)) release(one);
      pads = now;
      drawn = [...drawn.slice(1 - LOOKED_AT), at];
      // Seldom: nothing but the press takes this page's time.
      if (at - told > TOLD_MS) {
        told = at;
        setHz(refreshOf(drawn));
      }
      next = requestAnimationFrame(look);
    });
    return () => {
      cancelAnimationFrame(next);
      for (const [name, hear] of heard) window.removeEventListener(name, hear as EventListener);
    };
  }, []);
  return (
    <div
      ref={ground}
      data-ground
      className="fixed inset-0 touch-none bg-[#000] text-[#fff] select-none data-pressed:bg-[#fff] data-pressed:text-[#000]"
    >
      <h1 className="sr-only">A screen that answers a press</h1>
      <p className="absolute bottom-0 left-0 p-4 text-[1rem]" role="status">
        {last
          ? `Press ${last.number}: ${last.what}${last.toFrame === null ? "" : `, ${fixed(last.toFrame, 1)} ms to the next frame of this page`}.`
          : "Press a key, a mouse button, the screen or a pad: it turns white, and back when you let go. F11 fills the screen."}
        {hz !== null && ` This display shows ${fixed(hz, 1)} frames a second.`}
      </p>
    </div>
  );
}
