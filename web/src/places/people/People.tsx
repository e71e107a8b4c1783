import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { client, data, type Schemas } from "../../api/client";
import { useMay, useSession } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Menu, MenuAction } from "../../controls/Menu";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { Select } from "../../controls/Select";
import { useTitle } from "../../controls/useTitle";
import { count, moment } from "../../format";
import { linkOf, useReplaced } from "./accounts";
import { House } from "./House";

const MAY: Record<string, string> = {
  viewer: "reads",
  tester: "reads, records and decides on passes",
  lead: "plans and publishes as well",
};
const ROLES = Object.keys(MAY).map((value) => ({ value, label: value }));
type Person = Schemas["PersonOut"];

/** Who works here: leads invite, give roles, make passwords anew, close accounts, and see who tried to sign in. */
export function People() {
  useTitle("People");
  const lead = useMay("lead");
  const people = useQuery({
    queryKey: ["people"],
    enabled: lead,
    queryFn: async () => data(client.GET("/api/people")),
    // A wait runs out by itself.
    refetchInterval: ({ state }) => (state.data?.people.some((person) => person.shut_s) ? 3000 : false),
  });
  if (!lead)
    return (
      <>
        <h1 className="text-[2rem] leading-tight font-bold">People</h1>
        <p>Leads see who works here.</p>
      </>
    );
  return (
    <>
      <h1 className="mb-4 text-[2rem] leading-tight font-bold">People</h1>
      <ErrorNotice error={people.error} />
      {!people.data && !people.error && <Loading what="the people" />}
      {people.data && <Everybody found={people.data} />}
      <House />
      <SignIns />
    </>
  );
}

function Everybody({ found }: { found: Schemas["PeopleOut"] }) {
  const { data: session } = useSession();
  const [role, setRole] = useState("tester");
  const [link, setLink] = useState<{ token: string; whose: string } | null>(null);
  const change = useReplaced("people", (call: () => Promise<Schemas["PeopleOut"]>) => call());
  const linked = async (call: Promise<Schemas["LetInOut"]>, whose: string) => {
    const made = await call;
    setLink({ token: made.token, whose });
    return made.people;
  };
  const at = (name: string) => ({ params: { path: { name } } });
  return (
    <section className="mb-10 max-w-[62rem]">
      <ErrorNotice error={change.error} />
      <table className="w-full border-collapse">
        <thead>
          <tr className="label">
            <th className="py-1 pr-4">Name</th>
            <th className="py-1 pr-4">Role</th>
            <th className="hidden py-1 pr-4 sm:table-cell">Signed in last</th>
            <th className="py-1 pr-4">Account</th>
            <th className="py-1">
              <span className="sr-only">Actions</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {found.people.map((person) => (
            <tr key={person.name} className="border-rule border-t">
              <th scope="row" className="py-2 pr-4 text-left font-semibold">
                {person.name}
                {person.name === session?.name && <span className="font-normal text-mute"> · you</span>}
              </th>
              <td className="py-1 pr-4">
                <Select
                  label={`Role of ${person.name}`}
                  className="w-28"
                  value={person.role}
                  options={ROLES}
                  onChange={(value) =>
                    change.mutate(async () =>
                      data(
                        client.PUT("/api/people/{name}/role", {
                          ...at(person.name),
                          body: { role: value as Schemas["RoleIn"]["role"] },
                        }),
                      ),
                    )
                  }
                />{" "}
                <span className="text-mute">{MAY[person.role]}</span>
              </td>
              <td className="hidden py-2 pr-4 sm:table-cell">
                {person.last_in ? moment(person.last_in) : "never"}
              </td>
              <td className="py-2 pr-4">{accountWords(person)}</td>
              <td className="flex justify-end gap-2 py-1">
                {person.shut_s > 0 && (
                  <Button
                    aria-label={`Open ${person.name} now`}
                    onClick={() =>
                      change.mutate(async () =>
                        data(client.POST("/api/people/unlock", { body: { name: person.name } })),
                      )
                    }
                  >
                    Open now
                  </Button>
                )}
                <Menu label="More" name={`More about ${person.name}`}>
                  <MenuAction
                    onSelect={() =>
                      change.mutate(() =>
                        linked(data(client.POST("/api/people/{name}/reset", at(person.name))), person.name),
                      )
                    }
                  >
                    A link for a new password
                  </MenuAction>
                  {person.second_factor && (
                    <MenuAction
                      onSelect={() =>
                        change.mutate(async () =>
                          data(client.DELETE("/api/people/{name}/second-factor", at(person.name))),
                        )
                      }
                    >
                      The device is lost: take the second factor away
                    </MenuAction>
                  )}
                  <MenuAction
                    onSelect={() =>
                      change.mutate(async () =>
                        data(
                          client.PUT("/api/people/{name}/open", {
                            ...at(person.name),
                            body: { open: person.closed },
                          }),
                        ),
                      )
                    }
                  >
                    {person.closed ? "Open the account" : "Close the account"}
                  </MenuAction>
                </Menu>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <div className="mt-4 flex flex-wrap items-end gap-3">
        <Select
          label="Role of who is invited"
          className="w-32"
          value={role}
          options={ROLES}
          onChange={setRole}
        />
        <Button
          kind="main"
          onClick={() =>
            change.mutate(() =>
              linked(
                data(
                  client.POST("/api/people/invitations", {
                    body: { role: role as Schemas["RoleIn"]["role"] },
                  }),
                ),
                "",
              ),
            )
          }
        >
          Invite a {role}
        </Button>
      </div>
      {link && (
        <div role="status" className="sheet mt-4 p-4">
          <p className="font-semibold">
            {link.whose
              ? `Give ${link.whose} this link for a new password`
              : "Give this link to who shall join"}
            . It works once, and is shown now only.
          </p>
          <p className="figure mt-2 text-[0.9rem] break-all select-all">{linkOf(link.token)}</p>
          <Button className="mt-3" onClick={() => setLink(null)}>
            I have it
          </Button>
        </div>
      )}
      {found.invitations.length > 0 && (
        <>
          <h2 className="mt-6 mb-1 text-xl font-bold">Links that nobody used yet</h2>
          <ul>
            {found.invitations.map((one) => (
              <li key={one.id} className="flex items-center gap-3 border-rule border-t py-1">
                <span>
                  {one.name ? `a new password for ${one.name}` : `a ${one.role}`}, until {moment(one.ends_at)}
                  {one.made_by && <span className="text-mute">, by {one.made_by}</span>}
                </span>
                <Button
                  className="ml-auto"
                  aria-label={`Withdraw the link ${one.name ? `for ${one.name}` : `of a ${one.role}`}`}
                  onClick={() =>
                    change.mutate(async () =>
                      data(
                        client.DELETE("/api/people/invitations/{invitation_id}", {
                          params: { path: { invitation_id: one.id } },
                        }),
                      ),
                    )
                  }
                >
                  Withdraw
                </Button>
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}

/** How an account stands. */
function accountWords(person: Person): string {
  const how = person.closed ? "closed" : person.shut_s ? `shut for ${waiting(person.shut_s)} more` : "open";
  return person.second_factor ? `${how}, with a second factor` : how;
}

const waiting = (seconds: number) =>
  seconds < 60 ? count(seconds, "second") : count(Math.ceil(seconds / 60), "minute");

/** Who tried to sign in, asked for when it is looked at. */
function SignIns() {
  const [open, setOpen] = useState(false);
  const tries = useQuery({
    queryKey: ["sign-ins"],
    enabled: open,
    queryFn: async () => data(client.GET("/api/people/sign-ins")),
  });
  return (
    <section className="max-w-[62rem]">
      <h2 className="mb-1 text-xl font-bold">Tries to sign in</h2>
      <p className="mb-2 max-w-[46rem] text-soft">
        After five wrong passwords a name waits before it can be tried again, a little longer each time, and
        only for the address they came from.
      </p>
      {!open && <Button onClick={() => setOpen(true)}>Show the last</Button>}
      <ErrorNotice error={tries.error} />
      {tries.data && (
        <table className="w-full border-collapse text-[0.92rem]">
          <thead>
            <tr className="label">
              <th className="py-1 pr-4">When</th>
              <th className="py-1 pr-4">Name</th>
              <th className="py-1 pr-4">What became of it</th>
              <th className="py-1 pr-4">From</th>
              <th className="py-1">With</th>
            </tr>
          </thead>
          <tbody>
            {tries.data.map((one, at) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: rows of a log have no other name
              <tr key={at} className="border-rule border-t align-top">
                <td className="py-1 pr-4 whitespace-nowrap">{moment(one.at)}</td>
                <td className="py-1 pr-4">
                  {one.name}
                  {!one.known && <span className="text-mute"> · nobody here</span>}
                </td>
                <td className={`py-1 pr-4 ${one.outcome === "signed in" ? "" : "font-semibold text-accent"}`}>
                  {one.outcome}
                </td>
                <td className="figure py-1 pr-4">{one.address}</td>
                <td className="py-1 text-soft">{one.agent}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
