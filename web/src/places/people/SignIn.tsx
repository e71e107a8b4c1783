import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { client, data, Problem } from "../../api/client";
import { useHouse } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Field } from "../../controls/Field";
import { ErrorNotice } from "../../controls/Notice";
import { useTitle } from "../../controls/useTitle";
import { useLetIn } from "./accounts";
import { Door, DoorForm } from "./Frame";

/** Why one is here again after signing in at the house's own provider, by what the address says. */
const REFUSED: Record<string, (name: string) => string> = {
  away: (name) =>
    `Nothing answers where one signs in with ${name}. Try again, or sign in with your password.`,
  refused: () => "What came back from there could not be relied on. Begin again from here.",
  unknown: (name) =>
    `Nobody here has that account. Sign in with your password, and choose ${name} under your name.`,
  closed: () => "That account is closed here. Ask a lead.",
};

/** Name and password, and the code of a second factor once it is asked for. */
export function SignIn() {
  useTitle("Sign in");
  const { data: house } = useHouse();
  const [search] = useSearchParams();
  const outside = search.get("outside");
  const letIn = useLetIn();
  const [given, setGiven] = useState({ name: "", password: "", code: "" });
  const set = (part: Partial<typeof given>) => setGiven((now) => ({ ...now, ...part }));
  const enter = useMutation({
    mutationFn: async () => data(client.POST("/api/session", { body: given })),
    onSuccess: letIn,
  });
  const problem = enter.error instanceof Problem ? enter.error : null;
  const asksCode = problem?.field === "code" || (given.code !== "" && !enter.isSuccess);
  return (
    <Door house={house?.name ?? ""}>
      <DoorForm title="Sign in" submit={() => enter.mutate()}>
        <Field
          label="Name"
          name="username"
          autoComplete="username"
          autoFocus
          required
          value={given.name}
          onChange={(e) => set({ name: e.target.value })}
        />
        <Field
          label="Password"
          name="password"
          type="password"
          autoComplete="current-password"
          required
          value={given.password}
          onChange={(e) => set({ password: e.target.value })}
        />
        {asksCode && (
          <Field
            key="code"
            label="Code"
            hint="Six digits that your device shows, or a spare code."
            name="code"
            autoComplete="one-time-code"
            autoFocus
            required
            value={given.code}
            onChange={(e) => set({ code: e.target.value })}
          />
        )}
        {problem?.code !== "code_needed" && <ErrorNotice error={enter.error} />}
        <Button kind="main" type="submit" disabled={enter.isPending} className="justify-center">
          Sign in
        </Button>
        {house?.outside && (
          <>
            <a href="/sign-in/begin" className="text-center font-semibold">
              Sign in with {house.outside}
            </a>
            {outside && (
              <p role="alert" className="border-accent border-l-4 pl-3">
                {REFUSED[outside]?.(house.outside)}
              </p>
            )}
          </>
        )}
        {house?.greeting.map((line) => (
          <p key={line} className="figure text-[0.9rem] text-soft">
            {line}
          </p>
        ))}
        {house?.nobody && (
          <p className="text-[0.9rem] text-soft">
            Nobody works here yet. The first lead comes in by the link that the terminal printed.
          </p>
        )}
      </DoorForm>
    </Door>
  );
}
