import type { ButtonHTMLAttributes, ReactNode } from "react";

type Kind = "main" | "plain" | "quiet" | "grave";

const LOOK: Record<Kind, string> = {
  main: "bg-ink text-paper border-ink hover:bg-soft",
  plain: "bg-raised text-ink border-mute hover:border-ink",
  quiet: "border-transparent text-ink hover:bg-band",
  grave: "bg-raised text-accent border-accent hover:bg-mark/40",
};

export function buttonLook(kind: Kind = "plain"): string {
  return `plain inline-flex items-center gap-1.5 rounded-[3px] border px-3 py-1.5 text-[0.93rem] font-semibold leading-tight whitespace-nowrap cursor-pointer disabled:cursor-not-allowed disabled:opacity-50 ${LOOK[kind]}`;
}

interface Props extends ButtonHTMLAttributes<HTMLButtonElement> {
  kind?: Kind;
  /** The key that does the same, shown on the button. */
  shortcut?: string;
  children: ReactNode;
}

export function Button({
  kind = "plain",
  shortcut,
  children,
  className = "",
  type = "button",
  ...rest
}: Props) {
  return (
    <button {...rest} type={type} className={`${buttonLook(kind)} ${className}`}>
      {children}
      {shortcut && (
        <span className="key" aria-hidden="true">
          {" "}
          {shortcut}
        </span>
      )}
    </button>
  );
}
