import { useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import type { Schemas } from "../../api/client";
import { useMay, usePartKinds, useParts } from "../../api/queries";
import { BringIn } from "../../controls/BringIn";
import { Button, buttonLook } from "../../controls/Button";
import { FilterField, NothingMatches, useFilter } from "../../controls/Filter";
import { useKeysOf } from "../../controls/Keys";
import { Empty, ErrorNotice, Loading } from "../../controls/Notice";
import { Select } from "../../controls/Select";
import { count, figure } from "../../format";
import { PartDialog } from "./PartDialog";

type Part = Schemas["PartOut"];

const KEYS = [{ key: "n", does: "new part" }];

/** Every part with the facts that matter for its kind, and what follows from them. */
const NO_PARTS: Part[] = [];

export function Parts() {
  const { data: parts, error } = useParts();
  const { data: kinds = [] } = usePartKinds();
  const lead = useMay("lead");
  const {
    shown: matching,
    text,
    setText,
  } = useFilter<Schemas["PartOut"]>(parts ?? NO_PARTS, (part) => `${part.name} ${part.maker} ${part.kind}`);
  const [kind, setKind] = useState("all");
  const [editing, setEditing] = useState<Part | "new" | null>(null);
  useHotkeys("n", () => setEditing("new"), { enabled: lead && !editing, preventDefault: true });
  useKeysOf("Parts", KEYS);
  if (error) return <ErrorNotice error={error} />;
  if (!parts) return <Loading what="the parts" />;
  const present = kinds.filter((one) => parts.some((part) => part.kind === one.kind));
  const shown = matching.filter((part) => kind === "all" || part.kind === kind);
  return (
    <>
      <div className="mb-4 flex flex-wrap items-end justify-between gap-3">
        <div className="flex gap-2">
          <FilterField label="Filter parts" text={text} setText={setText} />
          <Select
            label="Kind shown"
            value={kind}
            onChange={setKind}
            className="w-52!"
            options={[
              { value: "all", label: "every kind" },
              ...present.map((one) => ({ value: one.kind, label: one.label })),
            ]}
          />
        </div>
        <div className="flex gap-2">
          <a href="/api/parts.csv" download className={buttonLook()}>
            Take out as CSV
          </a>
          {lead && (
            <>
              <BringIn to="/api/parts.csv" what="part" changes={["parts", "setups"]} />
              <Button kind="main" shortcut="n" onClick={() => setEditing("new")}>
                New part
              </Button>
            </>
          )}
        </div>
      </div>
      {parts.length === 0 && (
        <Empty title="No part yet.">
          <p>
            Add the first, or bring in a table. Facts such as memory, bus and power limit let the plan say
            whether two setups are alike.
          </p>
        </Empty>
      )}
      {present
        .filter((one) => shown.some((part) => part.kind === one.kind))
        .map((one) => (
          <KindTable
            key={one.kind}
            kind={one}
            parts={shown.filter((part) => part.kind === one.kind)}
            edit={lead ? setEditing : null}
          />
        ))}
      {parts.length > 0 && shown.length === 0 && <NothingMatches text={text} what="part" />}
      {editing && (
        <PartDialog
          part={editing === "new" ? null : editing}
          kinds={kinds}
          first={kind === "all" ? "card" : kind}
          close={() => setEditing(null)}
        />
      )}
    </>
  );
}

function KindTable({
  kind,
  parts,
  edit,
}: {
  kind: Schemas["KindOut"];
  parts: Part[];
  edit: ((part: Part) => void) | null;
}) {
  return (
    <section className="mb-6">
      <h2 className="label mb-1">{kind.label}</h2>
      <table className="w-full border-collapse">
        <thead className="sr-only">
          <tr>
            <th>Name</th>
            <th>Facts</th>
            <th>Follows</th>
            <th>Price</th>
            <th>In setups</th>
          </tr>
        </thead>
        <tbody>
          {parts.map((part) => (
            <tr key={part.id} className="border-rule border-t">
              <th scope="row" className="py-1.5 pr-4 md:w-[15rem]">
                {edit ? (
                  <button
                    type="button"
                    onClick={() => edit(part)}
                    className="cursor-pointer text-left font-semibold underline decoration-rule underline-offset-3 hover:decoration-ink"
                  >
                    {part.name}
                  </button>
                ) : (
                  <span className="font-semibold">{part.name}</span>
                )}
                {part.maker && <span className="block text-[0.86rem] text-mute">{part.maker}</span>}
              </th>
              <td className="py-1.5 pr-4 text-[0.92rem] text-soft">
                {part.words.join(", ") || <span className="text-mute">no facts yet</span>}
              </td>
              <td className="w-[14rem] py-1.5 pr-4 text-[0.92rem] max-md:hidden">
                {part.derived.map((one) => (
                  <span key={one.name} className="block whitespace-nowrap">
                    <span className="text-mute">{one.label}</span>{" "}
                    <span className="figure">{figure(one.value)}</span> {one.unit}
                  </span>
                ))}
              </td>
              <td className="figure w-[6.5rem] py-1.5 pr-4 text-right text-[0.92rem]">
                {part.price != null && `${figure(part.price)} ${part.currency}`}
              </td>
              <td className="w-[6rem] py-1.5 text-right text-[0.86rem] text-mute max-md:hidden">
                {part.setups ? `in ${count(part.setups, "setup")}` : "in none"}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
