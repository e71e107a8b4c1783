import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { client, data, type Schemas } from "../../api/client";
import { useMay } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Field } from "../../controls/Field";
import { Empty, ErrorNotice, Loading } from "../../controls/Notice";
import { useTitle } from "../../controls/useTitle";
import { moment } from "../../format";

const KEY = ["bench-links"];

/** Test machines that send captures by themselves: a token for each, and the program that has it filled in. */
export function Links() {
  const tester = useMay("tester");
  const queries = useQueryClient();
  const [made, setMade] = useState<Schemas["LinkMade"] | null>(null);
  const links = useQuery({
    queryKey: KEY,
    enabled: tester,
    queryFn: () => data(client.GET("/api/bench-links")),
  });
  const revoke = useMutation({
    mutationFn: (id: number) =>
      data(client.POST("/api/bench-links/{link_id}/revoke", { params: { path: { link_id: id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: KEY }),
  });
  useTitle("Test machines", "Bench");
  if (!tester) return <p>Testers and leads link test machines.</p>;
  return (
    <div className="grid max-w-[62rem] gap-6">
      <p className="text-soft">
        bench_link is a small program that runs on the test machine beside the logger. It watches the folder
        the logger writes into and sends each capture as soon as it is whole; it becomes the run whose time it
        covers, of the session at this machine. It needs Python 3.8 or newer and no rights, sends nothing but
        files, and deletes none.
      </p>
      {made ? (
        <Made made={made} onSeen={() => setMade(null)} />
      ) : (
        <Make
          onMade={(found) => {
            setMade(found);
            void queries.invalidateQueries({ queryKey: KEY });
          }}
        />
      )}
      <ErrorNotice error={links.error ?? revoke.error} />
      {links.isPending && <Loading what="the test machines" />}
      {links.data?.length === 0 && (
        <Empty title="No test machine is linked yet">Name one above, and take its program along.</Empty>
      )}
      {links.data && links.data.length > 0 && (
        <table className="w-full border-collapse">
          <thead>
            <tr className="label">
              <th className="py-1 pr-4">Machine</th>
              <th className="py-1 pr-4">Column map</th>
              <th className="py-1 pr-4">Made</th>
              <th className="py-1 pr-4">Sent last</th>
              <th className="py-1">
                <span className="sr-only">Actions</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {links.data.map((link) => (
              <tr
                key={link.id}
                className={`border-rule border-t ${link.revoked_at ? "text-mute line-through" : ""}`}
              >
                <th scope="row" className="py-2 pr-4 font-semibold">
                  {link.name}
                </th>
                <td className="py-2 pr-4">{link.columns_name || "as proposed"}</td>
                <td className="py-2 pr-4">{moment(link.made_at)}</td>
                <td className="py-2 pr-4">{link.last_used_at ? moment(link.last_used_at) : "never"}</td>
                <td className="py-1 text-right no-underline">
                  {!link.revoked_at && (
                    <Button
                      aria-label={`Revoke the token of ${link.name}`}
                      onClick={() => revoke.mutate(link.id)}
                    >
                      Revoke
                    </Button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}

function Make({ onMade }: { onMade: (made: Schemas["LinkMade"]) => void }) {
  const [name, setName] = useState("");
  const [columns, setColumns] = useState("");
  const make = useMutation({
    mutationFn: () => data(client.POST("/api/bench-links", { body: { name, columns_name: columns } })),
    onSuccess: onMade,
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    make.mutate();
  };
  return (
    <form onSubmit={submit} className="sheet grid gap-4 p-5 sm:grid-cols-[1fr_1fr_auto] sm:items-end">
      <Field
        label="Name of the machine"
        value={name}
        required
        maxLength={80}
        onChange={(event) => setName(event.target.value)}
      />
      <Field
        label="Column map, by its name (may stay empty)"
        value={columns}
        maxLength={120}
        onChange={(event) => setColumns(event.target.value)}
      />
      <Button kind="main" type="submit" disabled={make.isPending}>
        Make its token
      </Button>
      <div className="sm:col-span-3">
        <ErrorNotice error={make.error} />
      </div>
    </form>
  );
}

/** The whole command, by the system of the test machine. */
const COMMANDS: [string, (address: string, token: string) => string][] = [
  [
    "Linux",
    (address, token) => `BENCH_LINK_TOKEN=${token} python3 bench_link.py FOLDER --address ${address}`,
  ],
  [
    "Windows",
    (address, token) => `set "BENCH_LINK_TOKEN=${token}" && py bench_link.py FOLDER --address ${address}`,
  ],
];

/** Whether the address in use is one that only this machine reaches. */
function ownAddress(): boolean {
  return ["localhost", "127.0.0.1", "[::1]"].includes(window.location.hostname);
}

/** A new token: it is seen this once. */
function Made({ made, onSeen }: { made: Schemas["LinkMade"]; onSeen: () => void }) {
  const save = () => {
    const url = URL.createObjectURL(new Blob([made.program], { type: "text/x-python" }));
    const link = document.createElement("a");
    link.href = url;
    link.download = "bench_link.py";
    link.click();
    URL.revokeObjectURL(url);
  };
  return (
    <section className="sheet grid gap-4 border-accent! p-5">
      <h2 className="font-bold text-xl">{made.link.name} is linked once its program runs</h2>
      <ol className="grid list-decimal gap-2 pl-5">
        <li>
          <Button kind="main" onClick={save}>
            Save bench_link.py
          </Button>{" "}
          and copy it to the test machine. Address and token are filled in.
        </li>
        <li>
          Start it there, with the folder the logger writes into:{" "}
          <code className="figure bg-band px-1.5 py-0.5">python3 bench_link.py FOLDER</code>
        </li>
        <li>
          Begin a session at Run, at <b>{made.link.name}</b>. What the logger writes comes in by itself.
        </li>
      </ol>
      {ownAddress() && (
        <p role="alert" className="border-accent border-l-4 bg-mark/40 px-3 py-1.5">
          <b>{window.location.origin} is this machine alone.</b> A test machine beside it needs an address it
          can reach: start Rennbahn with HOST (see docs/test-machine.md), open it by that address, and make
          the token there.
        </p>
      )}
      <p className="text-soft">
        The token is shown this once: <code className="figure break-all bg-band px-1.5">{made.token}</code>
      </p>
      <details>
        <summary className="cursor-pointer text-soft">
          With a bench_link.py that is there already (the token replaces the one in it)
        </summary>
        <dl className="mt-2 grid gap-1">
          {COMMANDS.map(([system, command]) => (
            <div key={system} className="grid gap-x-3 sm:grid-cols-[6rem_1fr]">
              <dt className="text-soft">{system}</dt>
              <dd>
                <code className="figure break-all bg-band px-1.5">
                  {command(window.location.origin, made.token)}
                </code>
              </dd>
            </div>
          ))}
        </dl>
      </details>
      <div className="flex justify-end">
        <Button onClick={onSeen}>I have it</Button>
      </div>
    </section>
  );
}
