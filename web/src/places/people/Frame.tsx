import type { FormEvent, ReactNode } from "react";

/** The page before anybody is in: whose it is on the left, what is asked on the right. */
export function Door({ house, children }: { house: string; children: ReactNode }) {
  return (
    <main className="grid min-h-screen place-items-center px-6 py-8">
      <div className="grid w-full max-w-4xl items-center gap-12 md:grid-cols-[1.2fr_1fr]">
        <div>
          <p className="text-5xl font-extrabold" style={{ fontStretch: "112%" }}>
            Rennbahn
          </p>
          {house && <p className="mt-2 text-xl font-semibold">{house}</p>}
          <p className="mt-4 max-w-sm text-xl leading-snug">
            Run the same scenes on two setups. Find out,{" "}
            <span className="answer">fairly and with its uncertainty</span>, how they differ.
          </p>
        </div>
        {children}
      </div>
    </main>
  );
}

/** The form beside it. */
export function DoorForm({
  submit,
  title,
  children,
}: {
  submit: () => void;
  title: string;
  children: ReactNode;
}) {
  const sent = (event: FormEvent) => {
    event.preventDefault();
    submit();
  };
  return (
    <form onSubmit={sent} className="sheet grid gap-4 p-6">
      <h1 className="text-xl font-bold">{title}</h1>
      {children}
    </form>
  );
}
