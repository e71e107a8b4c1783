import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { client, data, type Schemas } from "../../api/client";
import { useMay, useReaders } from "../../api/queries";
import { Button } from "../../controls/Button";
import { useKeysOf } from "../../controls/Keys";
import { Empty, ErrorNotice, Loading } from "../../controls/Notice";
import { useTitle } from "../../controls/useTitle";
import { figure } from "../../format";
import { ReaderDialog } from "./ReaderDialog";

type Reader = Schemas["ReaderOut"];

const KEYS = [{ key: "n", does: "new reader" }];

/** Whom the magazine writes for: findings say for one of them whether a difference matters. */
export default function Readers() {
  const { data: readers, error } = useReaders();
  const lead = useMay("lead");
  const [editing, setEditing] = useState<Reader | "new" | null>(null);
  useTitle("Readers");
  useHotkeys("n", () => setEditing("new"), { enabled: lead && !editing, preventDefault: true });
  useKeysOf("Readers", KEYS);
  if (error) return <ErrorNotice error={error} />;
  if (!readers) return <Loading what="the readers" />;
  return (
    <>
      <div className="mb-5 flex items-end justify-between gap-4">
        <div>
          <h1 className="text-[2rem] leading-tight font-bold">Readers</h1>
          <p className="max-w-2xl text-soft">
            Whom you write for. The findings of every study say for one of them which tests cross the playable
            floor, what the display shows of a margin, and what a lane costs over the years.
          </p>
        </div>
        {lead && (
          <Button kind="main" shortcut="n" onClick={() => setEditing("new")}>
            New reader
          </Button>
        )}
      </div>
      {readers.length === 0 && (
        <Empty title="No reader yet.">
          <p>
            Describe one: the display they have, from which rate on they call a game playable, what power
            costs them.
          </p>
        </Empty>
      )}
      <div className="grid gap-5 md:grid-cols-2">
        {readers.map((one) => (
          <Sheet key={one.id} reader={one} edit={lead ? () => setEditing(one) : null} />
        ))}
      </div>
      {editing && <ReaderDialog reader={editing === "new" ? null : editing} close={() => setEditing(null)} />}
    </>
  );
}

function Sheet({ reader, edit }: { reader: Reader; edit: (() => void) | null }) {
  const queries = useQueryClient();
  const [sure, setSure] = useState(false);
  const remove = useMutation({
    mutationFn: () =>
      data(client.DELETE("/api/readers/{reader_id}", { params: { path: { reader_id: reader.id } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: ["readers"] }),
  });
  const money = (value: number) => `${figure(value)} ${reader.currency}`;
  const lines: [string, string][] = [
    ["Plays at", reader.resolution || "any resolution"],
    ["Display", `${figure(reader.display_hz)} Hz, ${reader.variable ? "variable" : "fixed"}`],
    [
      "Playable from",
      `${figure(reader.floor_fps)} fps ${reader.floor_on === "low_1" ? "1% low" : "average"}`,
    ],
    ["Would notice", `${figure(reader.notices * 100)}%`],
    ["Plays", `${figure(reader.hours_a_day)} h a day, for ${figure(reader.years)} years`],
    ["Power", reader.price_per_kwh == null ? "price not known" : `${money(reader.price_per_kwh)} a kWh`],
    ["Budget", reader.budget == null ? "not said" : money(reader.budget)],
  ];
  return (
    <article className="sheet p-5">
      <div className="mb-2 flex items-start justify-between gap-3">
        <h2 className="text-xl leading-tight font-bold">{reader.name}</h2>
        {edit && (
          <div className="flex gap-2">
            <Button onClick={edit} aria-label={`Change ${reader.name}`}>
              Change
            </Button>
            <Button
              kind="quiet"
              disabled={remove.isPending}
              aria-label={sure ? `For good? Take ${reader.name} away` : `Take away ${reader.name}`}
              onClick={() => (sure ? remove.mutate() : setSure(true))}
              onBlur={() => setSure(false)}
            >
              {sure ? "For good?" : "Take away"}
            </Button>
          </div>
        )}
      </div>
      <ErrorNotice error={remove.error} />
      <dl className="grid grid-cols-[9rem_1fr] gap-y-0.5 text-[0.95rem]">
        {lines.map(([label, value]) => (
          <div key={label} className="contents">
            <dt className="text-mute">{label}</dt>
            <dd>{value}</dd>
          </div>
        ))}
      </dl>
    </article>
  );
}
