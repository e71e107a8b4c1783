import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, data } from "../api/client";
import { useMay } from "../api/queries";
import { Button } from "../controls/Button";
import { ErrorNotice, Loading } from "../controls/Notice";
import { useTitle } from "../controls/useTitle";
import { count } from "../format";

const MAY: Record<string, string> = {
  viewer: "reads",
  tester: "reads, records and decides on passes",
  lead: "plans and publishes as well",
};

/** Who works here, and whose name wrong passwords keep shut: a lead opens it. */
export function People() {
  const queries = useQueryClient();
  const lead = useMay("lead");
  const people = useQuery({
    queryKey: ["people"],
    enabled: lead,
    queryFn: async () => data(client.GET("/api/people")),
    // A wait runs out by itself.
    refetchInterval: ({ state }) => (state.data?.some((person) => person.shut_s) ? 3000 : false),
  });
  const open = useMutation({
    mutationFn: async (name: string) => data(client.POST("/api/people/unlock", { body: { name } })),
    onSuccess: (found) => queries.setQueryData(["people"], found),
  });
  useTitle("People");
  const error = people.error ?? open.error;
  return (
    <>
      <h1 className="text-[2rem] leading-tight font-bold">People</h1>
      <p className="mb-5 max-w-[46rem] text-soft">
        After five wrong passwords a name waits before it can be tried again, a little longer each time, and
        only for the address they came from. A lead can open it at once.
      </p>
      {error && <ErrorNotice error={error} />}
      {!lead && <p>Leads see who works here.</p>}
      {lead && !people.data && !people.error && <Loading what="the people" />}
      {people.data && (
        <table className="w-full max-w-[46rem] border-collapse">
          <thead>
            <tr className="label">
              <th className="py-1 pr-4">Name</th>
              <th className="py-1 pr-4">Role</th>
              <th className="py-1 pr-4">Sign-in</th>
              <th className="py-1">
                <span className="sr-only">Actions</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {people.data.map((person) => (
              <tr key={person.name} className="border-rule border-t">
                <th scope="row" className="py-2 pr-4 text-left font-semibold">
                  {person.name}
                </th>
                <td className="py-2 pr-4">
                  {person.role} <span className="text-mute">· {MAY[person.role]}</span>
                </td>
                <td className="py-2 pr-4">
                  {person.shut_s ? `shut for ${waiting(person.shut_s)} more` : "open"}
                </td>
                <td className="py-1 text-right">
                  {person.shut_s > 0 && (
                    <Button aria-label={`Open ${person.name} now`} onClick={() => open.mutate(person.name)}>
                      Open now
                    </Button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}

const waiting = (seconds: number) =>
  seconds < 60 ? count(seconds, "second") : count(Math.ceil(seconds / 60), "minute");
