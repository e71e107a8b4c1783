import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { client, data } from "../../api/client";
import { sendPackage } from "../../api/packs";
import { Button, buttonLook } from "../../controls/Button";
import { ErrorNotice } from "../../controls/Notice";

/** While the worker reads, it is asked how far it is this often. */
const ASKED_MS = 1_000;

/** A data package, of this house or of another, becomes a study again: its captures are measured anew here. */
export function ReadBack() {
  const queries = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const [share, setShare] = useState(0);
  const send = useMutation({
    mutationFn: (file: File) => sendPackage(file, (bytes) => setShare(bytes / Math.max(file.size, 1))),
    onSuccess: (one) => queries.setQueryData(["package", one.id], one),
  });
  const id = send.data?.id;
  const { data: one } = useQuery({
    queryKey: ["package", id],
    queryFn: () =>
      data(client.GET("/api/packages/{brought_id}", { params: { path: { brought_id: id ?? 0 } } })),
    enabled: id !== undefined,
    refetchInterval: ({ state }) => (state.data?.state === "running" ? ASKED_MS : false),
  });
  const done = one?.state === "done";
  useEffect(() => {
    if (done)
      for (const key of ["studies", "setups", "scenes", "parts"])
        queries.invalidateQueries({ queryKey: [key] });
  }, [done, queries]);
  const busy = send.isPending || one?.state === "running";
  return (
    <section aria-label="A data package" className="mt-8 max-w-[56rem]">
      <h2 className="text-xl font-bold">Or read a data package back</h2>
      <p className="mt-1 max-w-[44rem] text-soft">
        What a study’s Record hands out becomes a study here, with its captures measured anew. Nothing of your
        own bench is changed by it.
      </p>
      <div className="mt-3 flex flex-wrap items-center gap-4">
        <Button disabled={busy} onClick={() => input.current?.click()}>
          Choose a package
        </Button>
        <input
          ref={input}
          type="file"
          accept=".zip,application/zip"
          aria-label="Data package"
          className="hidden"
          onChange={(event) => {
            const file = event.target.files?.[0];
            event.target.value = "";
            setShare(0);
            if (file) send.mutate(file);
          }}
        />
        <p role="status" className="font-semibold">
          {send.isPending && `Being sent: ${Math.round(100 * share)}%`}
          {one?.state === "running" &&
            (one.captures ? `Being read back: ${one.read} of ${one.captures} captures` : "Being read back")}
          {done && "Read back: its findings are computed from its captures."}
          {one?.state === "refused" && "It was not read back."}
        </p>
        {one?.study_id != null && !busy && (
          <Link to={`/studies/${one.study_id}/findings`} className={buttonLook("main")}>
            {one.question}
          </Link>
        )}
      </div>
      {one?.words && (
        <ul role="alert" className="mt-3 border-accent border-l-4 bg-raised px-4 py-2">
          {one.words.split("\n").map((line) => (
            <li key={line}>{line}</li>
          ))}
        </ul>
      )}
      <ErrorNotice error={send.error} />
    </section>
  );
}
