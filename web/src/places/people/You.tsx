import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useSearchParams } from "react-router";
import { client, data, Problem, type Schemas } from "../../api/client";
import { useHouse } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Field } from "../../controls/Field";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { useTitle } from "../../controls/useTitle";
import { moment } from "../../format";
import { useLetIn, useMe, useReplaced } from "./accounts";

/** One's own account: password, second factor, and where one is signed in. */
export function You() {
  useTitle("Your account");
  const me = useMe();
  if (me.error) return <ErrorNotice error={me.error} />;
  if (!me.data) return <Loading what="your account" />;
  return (
    <div className="max-w-[52rem]">
      <h1 className="text-[2rem] leading-tight font-bold">{me.data.name}</h1>
      <p className="mb-6 text-soft">{me.data.role}</p>
      {me.data.owes_second_factor && (
        <p className="mb-6 border-accent border-l-4 px-4 py-2 font-semibold">
          This house asks everybody for a second factor. Make yours, and everything is open to you.
        </p>
      )}
      <SecondFactor me={me.data} />
      <Outside me={me.data} />
      <Password />
      <Sessions me={me.data} />
    </div>
  );
}

/** What came of tying, by what the address says. */
const TIED: Record<string, (name: string) => string> = {
  tied: (name) => `Done: you may sign in with ${name} from now on.`,
  taken: () => "What you signed in with there lets somebody else in here. Ask a lead.",
};

/** The house's own provider of accounts, where there is one. */
function Outside({ me }: { me: Schemas["MeOut"] }) {
  const { data: house } = useHouse();
  const [search] = useSearchParams();
  const untie = useReplaced("me", async () => data(client.DELETE("/api/me/outside")));
  if (!house?.outside) return null;
  const came = TIED[search.get("outside") ?? ""]?.(house.outside);
  return (
    <section className="mb-8">
      <h2 className="mb-2 text-xl font-bold">Another way in</h2>
      {came && !untie.isSuccess && (
        <p role="status" className="mb-2">
          {came}
        </p>
      )}
      {me.outside ? (
        <>
          <p className="mb-2 text-soft">You may sign in with {house.outside} in place of your password.</p>
          <Button onClick={() => untie.mutate(undefined)}>Sign in with {house.outside} no more</Button>
          <ErrorNotice error={untie.error} />
        </>
      ) : (
        <>
          <p className="mb-2 text-soft">
            In place of your password, which stays good. You are led there, sign in, and come back here.
          </p>
          <a href="/sign-in/begin?tie" className="font-semibold">
            Sign in with {house.outside} from now on
          </a>
        </>
      )}
    </section>
  );
}

function Password() {
  const empty = { password: "", new_password: "", again: "" };
  const [given, setGiven] = useState(empty);
  const set = (part: Partial<typeof given>) => setGiven((now) => ({ ...now, ...part }));
  const letIn = useLetIn();
  const queries = useQueryClient();
  const change = useMutation({
    mutationFn: async () => {
      const { again, ...body } = given;
      if (body.new_password !== again)
        throw new Problem("passwords_differ", "The two new passwords differ.", 422, "again");
      return data(client.PUT("/api/me/password", { body }));
    },
    onSuccess: async (session) => {
      letIn(session);
      setGiven(empty);
      await queries.invalidateQueries({ queryKey: ["me"] });
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    change.mutate();
  };
  const fields = [
    ["password", "Your password now", "current-password"],
    ["new_password", "The new one", "new-password"],
    ["again", "The new one again", "new-password"],
  ] as const;
  return (
    <section className="mb-8">
      <h2 className="mb-2 text-xl font-bold">Password</h2>
      <form onSubmit={submit} className="grid gap-3 sm:grid-cols-3">
        {fields.map(([name, label, complete]) => (
          <Field
            key={name}
            label={label}
            type="password"
            autoComplete={complete}
            required
            value={given[name]}
            onChange={(e) => set({ [name]: e.target.value })}
          />
        ))}
        <div className="sm:col-span-3">
          <ErrorNotice error={change.error} />
          {change.isSuccess && <p role="status">It is changed; all other sessions of yours have ended.</p>}
          <Button type="submit" disabled={change.isPending} className="mt-2">
            Change the password
          </Button>
        </div>
      </form>
    </section>
  );
}

function SecondFactor({ me }: { me: Schemas["MeOut"] }) {
  const queries = useQueryClient();
  const [code, setCode] = useState("");
  const [password, setPassword] = useState("");
  const offer = useMutation({ mutationFn: async () => data(client.POST("/api/me/second-factor")) });
  const confirm = useMutation({
    mutationFn: async () => data(client.PUT("/api/me/second-factor", { body: { code } })),
    onSuccess: async () => {
      offer.reset();
      setCode("");
      await queries.invalidateQueries({ queryKey: ["me"] });
      await queries.invalidateQueries({ queryKey: ["session"] });
    },
  });
  const giveUp = useReplaced("me", async () =>
    data(client.POST("/api/me/second-factor/give-up", { body: { password } })),
  );
  return (
    <section className="mb-8">
      <h2 className="mb-2 text-xl font-bold">Second factor</h2>
      {confirm.data && (
        <div role="status" className="sheet mb-3 p-4">
          <p>
            It is in use. Keep these spare codes where your device is not; each is good once, and they are
            shown now only.
          </p>
          <ul className="figure mt-2 columns-2 text-[0.95rem] sm:columns-4">
            {confirm.data.codes.map((one) => (
              <li key={one}>{one}</li>
            ))}
          </ul>
        </div>
      )}
      {!me.second_factor && !offer.data && (
        <>
          <p className="mb-2 text-soft">
            A code that an app on your phone shows, beside the password. Who has your password alone does not
            get in.
          </p>
          <Button kind={me.owes_second_factor ? "main" : "plain"} onClick={() => offer.mutate()}>
            Make a second factor
          </Button>
          <ErrorNotice error={offer.error} />
        </>
      )}
      {!me.second_factor && offer.data && (
        <form
          onSubmit={(event) => {
            event.preventDefault();
            confirm.mutate();
          }}
          className="grid gap-5 sm:grid-cols-[auto_1fr]"
        >
          <img src={offer.data.picture} alt="The secret, for your device to read" className="size-48" />
          <div className="grid content-start gap-3">
            <p>Let your device read the picture, or type the secret:</p>
            <p className="figure break-all">{offer.data.secret}</p>
            <Field
              label="The code that it shows"
              autoComplete="one-time-code"
              autoFocus
              required
              value={code}
              onChange={(e) => setCode(e.target.value)}
            />
            <ErrorNotice error={confirm.error} />
            <div>
              <Button kind="main" type="submit" disabled={confirm.isPending}>
                Use it from now on
              </Button>
            </div>
          </div>
        </form>
      )}
      {me.second_factor && (
        <form
          onSubmit={(event) => {
            event.preventDefault();
            giveUp.mutate(undefined);
          }}
          className="flex flex-wrap items-end gap-3"
        >
          <p className="basis-full text-soft">You sign in with a code beside your password.</p>
          <Field
            label="Your password, to give it up"
            type="password"
            autoComplete="current-password"
            required
            value={password}
            onChange={(e) => setPassword(e.target.value)}
          />
          <Button type="submit">Give it up</Button>
          <div className="basis-full">
            <ErrorNotice error={giveUp.error} />
          </div>
        </form>
      )}
    </section>
  );
}

function Sessions({ me }: { me: Schemas["MeOut"] }) {
  const end = useReplaced("me", async (id: number) =>
    data(client.DELETE("/api/me/sessions/{sign_in_id}", { params: { path: { sign_in_id: id } } })),
  );
  return (
    <section>
      <h2 className="mb-2 text-xl font-bold">Where you are signed in</h2>
      <ErrorNotice error={end.error} />
      <table className="w-full border-collapse">
        <thead>
          <tr className="label">
            <th className="py-1 pr-4">Since</th>
            <th className="py-1 pr-4">From</th>
            <th className="py-1 pr-4">With</th>
            <th className="py-1">
              <span className="sr-only">Actions</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {me.sessions.map((one) => (
            <tr key={one.id} className="border-rule border-t align-top">
              <td className="py-2 pr-4 whitespace-nowrap">{moment(one.at)}</td>
              <td className="figure py-2 pr-4">{one.address}</td>
              <td className="py-2 pr-4 text-[0.9rem] text-soft">{one.agent}</td>
              <td className="py-1 text-right whitespace-nowrap">
                {one.here ? (
                  <span className="font-semibold">here</span>
                ) : (
                  <Button
                    aria-label={`End the session of ${moment(one.at)}`}
                    onClick={() => end.mutate(one.id)}
                  >
                    End it
                  </Button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
