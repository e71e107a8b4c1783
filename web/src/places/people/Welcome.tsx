import { useMutation, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useNavigate } from "react-router";
import { client, data, Problem } from "../../api/client";
import { useHouse } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Field } from "../../controls/Field";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { useTitle } from "../../controls/useTitle";
import { moment } from "../../format";
import { useLetIn } from "./accounts";
import { Door, DoorForm } from "./Frame";
import { bodyOf, HouseFields, NEW_HOUSE } from "./HouseFields";

/** A link that lets somebody in once: to a new account, to a new password, or as the first lead of a new house. */
export function Welcome() {
  useTitle("Welcome");
  const [token] = useState(() => window.location.hash.slice(1));
  const { data: house } = useHouse();
  const go = useNavigate();
  const letIn = useLetIn();
  // The link stays in no history, and in nobody's view over a shoulder.
  useEffect(() => window.history.replaceState(window.history.state, "", "/welcome"), []);
  const link = useQuery({
    queryKey: ["link", token],
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => data(client.POST("/api/session/link", { body: { token } })),
  });
  const [given, setGiven] = useState({ name: "", password: "", again: "" });
  const [draft, setDraft] = useState(NEW_HOUSE);
  const set = (part: Partial<typeof given>) => setGiven((now) => ({ ...now, ...part }));
  const first = link.data?.first ?? false;
  const take = useMutation({
    mutationFn: async () => {
      if (given.password !== given.again)
        throw new Problem("passwords_differ", "The two passwords differ.", 422, "again");
      const { name, password } = given;
      const body = { token, name, password, house: first ? bodyOf(draft) : null };
      return data(client.POST("/api/session/link/take", { body }));
    },
    onSuccess: (session) => {
      letIn(session);
      go("/", { replace: true });
    },
  });
  const known = link.data?.name ?? "";
  return (
    <Door house={house?.name ?? ""}>
      {link.isPending && <Loading what="the link" />}
      {link.error && (
        <div className="sheet grid gap-4 p-6">
          <ErrorNotice error={link.error} />
          <Link to="/sign-in">Sign in</Link>
        </div>
      )}
      {link.data && (
        <DoorForm
          title={
            known
              ? `A new password for ${known}`
              : first
                ? "Begin your own Rennbahn"
                : `Join as a ${link.data.role}`
          }
          submit={() => take.mutate()}
        >
          {!known && (
            <Field
              label="Your name, to sign in with"
              name="username"
              autoComplete="username"
              autoFocus
              required
              value={given.name}
              onChange={(e) => set({ name: e.target.value })}
            />
          )}
          <Field
            label="Password"
            hint="Ten signs or more."
            type="password"
            autoComplete="new-password"
            autoFocus={Boolean(known)}
            required
            value={given.password}
            onChange={(e) => set({ password: e.target.value })}
          />
          <Field
            label="The password again"
            type="password"
            autoComplete="new-password"
            required
            value={given.again}
            onChange={(e) => set({ again: e.target.value })}
          />
          {first && <HouseFields draft={draft} set={(part) => setDraft((now) => ({ ...now, ...part }))} />}
          <ErrorNotice error={take.error} />
          <Button kind="main" type="submit" disabled={take.isPending} className="justify-center">
            {known ? "Keep it and sign in" : first ? "Begin" : "Join"}
          </Button>
          <p className="text-[0.86rem] text-mute">This link works once, until {moment(link.data.ends_at)}.</p>
        </DoorForm>
      )}
    </Door>
  );
}
