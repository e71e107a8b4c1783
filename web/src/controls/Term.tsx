import { Popover } from "radix-ui";
import type { ReactNode } from "react";
import { GLOSSARY, type Word } from "./glossary";

/** A word with its explanation one key away, in place: Enter shows it, Escape closes it. */
export function Term({ word, children }: { word: Word; children?: ReactNode }) {
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <button
          type="button"
          aria-label={`${typeof children === "string" ? children : word}: what it means`}
          className="cursor-help border-mute border-b border-dotted text-left [font:inherit] [letter-spacing:inherit] [text-transform:inherit] hover:border-ink"
        >
          {children ?? word}
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          sideOffset={4}
          collisionPadding={12}
          className="z-60 max-w-[22rem] rounded border border-ink bg-raised px-4 py-3 text-[0.93rem] shadow-lg outline-none"
        >
          <span className="label block">{word}</span>
          {GLOSSARY[word]}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
