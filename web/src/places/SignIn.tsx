import { useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { client, data, keepToken } from "../api/client";
import { Button } from "../controls/Button";
import { Field } from "../controls/Field";
import { ErrorNotice } from "../controls/Notice";
import { useTitle } from "../controls/useTitle";

export function SignIn() {
  useTitle("Sign in");
  const queries = useQueryClient();
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const [error, setError] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);

  const submit = async (event: FormEvent) => {
    event.preventDefault();
    setBusy(true);
    setError(null);
    try {
      const session = await data(client.POST("/api/session", { body: { name, password } }));
      keepToken(session.csrf_token);
      queries.setQueryData(["session"], session);
    } catch (problem) {
      setError(problem);
    } finally {
      setBusy(false);
    }
  };

  return (
    <main className="grid min-h-screen place-items-center px-6">
      <div className="grid w-full max-w-4xl items-center gap-12 md:grid-cols-[1.2fr_1fr]">
        <div>
          <p className="text-5xl font-extrabold" style={{ fontStretch: "112%" }}>
            Rennbahn
          </p>
          <p className="mt-4 max-w-sm text-xl leading-snug">
            Run the same scenes on two setups. Find out,{" "}
            <span className="answer">fairly and with its uncertainty</span>, how they differ.
          </p>
        </div>
        <form onSubmit={submit} className="sheet grid gap-4 p-6">
          <h1 className="text-xl font-bold">Sign in</h1>
          <Field
            label="Name"
            name="username"
            autoComplete="username"
            autoFocus
            required
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
          <Field
            label="Password"
            name="password"
            type="password"
            autoComplete="current-password"
            required
            value={password}
            onChange={(e) => setPassword(e.target.value)}
          />
          <ErrorNotice error={error} />
          <Button kind="main" type="submit" disabled={busy} className="justify-center">
            Sign in
          </Button>
        </form>
      </div>
    </main>
  );
}
