import { Dialog as Primitive } from "radix-ui";
import type { ReactNode } from "react";

interface Props {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  title: string;
  description?: string;
  children: ReactNode;
  wide?: boolean;
}

export function Dialog({ open, onOpenChange, title, description, children, wide = false }: Props) {
  return (
    <Primitive.Root open={open} onOpenChange={onOpenChange}>
      <Primitive.Portal>
        <Primitive.Overlay className="fixed inset-0 z-40 bg-[rgb(20_18_14/0.45)]" />
        <Primitive.Content
          // Keys of the place behind must not act while a dialog is open; Escape is heard before this.
          onKeyDown={(event) => event.stopPropagation()}
          className={`fixed top-1/2 left-1/2 z-50 max-h-[90vh] -translate-x-1/2 -translate-y-1/2 overflow-auto rounded border border-ink bg-paper p-6 shadow-xl ${wide ? "w-[min(60rem,94vw)]" : "w-[min(34rem,94vw)]"}`}
          {...(description ? {} : { "aria-describedby": undefined })}
        >
          <Primitive.Title className="text-xl font-bold">{title}</Primitive.Title>
          {description && (
            <Primitive.Description className="mt-1 text-soft">{description}</Primitive.Description>
          )}
          <div className="mt-4">{children}</div>
        </Primitive.Content>
      </Primitive.Portal>
    </Primitive.Root>
  );
}
