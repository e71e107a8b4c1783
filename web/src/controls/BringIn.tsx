import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { type Schemas, upload } from "../api/client";
import { count } from "../format";
import { Button } from "./Button";
import { ErrorNotice } from "./Notice";

interface Props {
  /** Where the table goes, what it is of, and what is asked for anew afterwards. */
  to: string;
  what: string;
  changes: string[];
  label?: string;
}

/** A table in: all rows or none, and what came of it in words. */
export function BringIn({ to, what, changes, label = "Bring in a CSV" }: Props) {
  const queries = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const [said, setSaid] = useState("");
  const [error, setError] = useState<unknown>(null);
  const take = async (file: File | undefined) => {
    if (!file) return;
    setSaid("");
    setError(null);
    try {
      const done = (await upload(to, file, () => undefined)) as Schemas["Imported"];
      setSaid(`${count(done.added, what)} added, ${done.changed} changed, ${done.unchanged} as before.`);
      await Promise.all(changes.map((key) => queries.invalidateQueries({ queryKey: [key] })));
    } catch (problem) {
      setError(problem);
    }
  };
  return (
    <>
      <Button onClick={() => input.current?.click()}>{label}</Button>
      <input
        ref={input}
        type="file"
        accept=".csv,text/csv"
        aria-label={`Table of ${what}s`}
        className="hidden"
        onChange={(e) => {
          take(e.target.files?.[0]);
          e.target.value = "";
        }}
      />
      {(said || error) && (
        <div role="status" className="order-first w-full basis-full text-right font-semibold">
          {said}
          <ErrorNotice error={error} />
        </div>
      )}
    </>
  );
}
