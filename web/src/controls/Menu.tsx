import { ChevronDown } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import type { ReactNode } from "react";
import { buttonLook } from "./Button";

/** A button that opens a few actions. */
export function Menu({ label, name, children }: { label: string; name?: string; children: ReactNode }) {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className={buttonLook()} aria-label={name}>
        {label}
        <ChevronDown size={14} aria-hidden="true" />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          sideOffset={4}
          className="z-60 min-w-56 rounded border border-ink bg-raised py-1 shadow-lg"
        >
          {children}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

const ITEM = "plain block cursor-pointer px-3 py-1.5 outline-none data-[highlighted]:bg-mark";

export function MenuAction({ onSelect, children }: { onSelect: () => void; children: ReactNode }) {
  return (
    <DropdownMenu.Item className={ITEM} onSelect={onSelect}>
      {children}
    </DropdownMenu.Item>
  );
}

export function MenuLink({ href, children }: { href: string; children: ReactNode }) {
  return (
    <DropdownMenu.Item className={ITEM} asChild>
      <a href={href} download>
        {children}
      </a>
    </DropdownMenu.Item>
  );
}
