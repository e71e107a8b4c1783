import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { useMay, useSession } from "../../api/queries";
import { acts, type Report, useAct } from "../../api/reports";
import { Button } from "../../controls/Button";
import { Dialog } from "../../controls/Dialog";
import { Field } from "../../controls/Field";
import { FormEnd } from "../../controls/FormEnd";
import { ErrorNotice } from "../../controls/Notice";
import { Tick } from "../../controls/Tick";
import { moment } from "../../format";

/** What is not in order, a second person's signature, and the way out of the house. */
export function BeforeItGoesOut({ report }: { report: Report }) {
  const { data: session } = useSession();
  const lead = useMay("lead");
  const [publishing, setPublishing] = useState(false);
  const ask = useAct<void>(report.id, () => acts.askCheck(report.id));
  const sign = useAct<void>(report.id, () => acts.sign(report.id, report.seen));
  const blocked = report.points.some((one) => one.blocks);
  const open = report.points.filter((one) => !one.blocks && !one.why).length;
  const wrote = new Set([report.by, ...report.blocks.map((one) => one.by)]);
  const own = wrote.has(session?.name ?? "");
  const withdrawn = report.state === "withdrawn";
  return (
    <section aria-label="Before it goes out">
      {report.points.length === 0 ? (
        <p className="text-soft">Nothing is out of order.</p>
      ) : (
        <ul className="border-rule border-b">
          {report.points.map((point) => (
            <Point key={point.words} report={report} point={point} />
          ))}
        </ul>
      )}
      {report.cautions.length > 0 && (
        <div className="mt-4 text-[0.92rem]">
          <h3 className="label">Printed with it</h3>
          {report.cautions.map((one) => (
            <p key={one} className="mt-1 text-soft">
              {one}
            </p>
          ))}
        </div>
      )}
      <p className="mt-4 text-[0.92rem] text-soft">
        {report.state === "ready"
          ? `Signed by ${report.checked_by}. Any change opens it again.`
          : "Somebody who wrote none of it signs the report; each point is settled, or goes out with its reason."}
      </p>
      {!withdrawn && (
        <div className="mt-2 flex flex-wrap gap-2">
          {report.state === "draft" && (
            <Button disabled={blocked || ask.isPending} onClick={() => ask.mutate()}>
              Ask for a check
            </Button>
          )}
          {report.state !== "ready" && report.state !== "published" && !own && (
            <Button disabled={blocked || open > 0 || sign.isPending} onClick={() => sign.mutate()}>
              Sign it
            </Button>
          )}
          {lead && report.state !== "published" && (
            <Button kind="main" disabled={blocked} onClick={() => setPublishing(true)}>
              Publish
            </Button>
          )}
        </div>
      )}
      <ErrorNotice error={ask.error ?? sign.error} />
      {publishing && <Publish report={report} close={() => setPublishing(false)} />}
    </section>
  );
}

function Point({ report, point }: { report: Report; point: Schemas["PointOut"] }) {
  const [why, setWhy] = useState("");
  const settle = useAct<string>(report.id, (told) =>
    acts.settle(report.id, { point: point.words, why: told }),
  );
  return (
    <li className="border-rule border-t py-2">
      <p className={point.blocks ? "font-semibold text-accent" : ""}>
        {point.way ? (
          <Link to={point.way} className="plain hover:underline">
            {point.words}
          </Link>
        ) : (
          point.words
        )}
      </p>
      {point.why ? (
        <p className="text-[0.9rem] text-soft">
          Goes out all the same: {point.why} ({point.by}){" "}
          <button type="button" className="cursor-pointer underline" onClick={() => settle.mutate("")}>
            open it again
          </button>
        </p>
      ) : (
        !point.blocks && (
          <form
            className="mt-1 flex gap-2"
            onSubmit={(event) => {
              event.preventDefault();
              if (why.trim()) settle.mutate(why);
            }}
          >
            <Field
              className="grow"
              label={`Why it goes out with: ${point.words}`}
              quietLabel
              placeholder="Why it goes out with it"
              maxLength={400}
              value={why}
              onChange={(event) => setWhy(event.target.value)}
            />
            <Button type="submit" disabled={!why.trim()}>
              Accept
            </Button>
          </form>
        )
      )}
      <ErrorNotice error={settle.error} />
    </li>
  );
}

/** A further edition says why, and shows first what it will say otherwise. */
function Publish({ report, close }: { report: Report; close: () => void }) {
  const again = report.editions.length > 0;
  const [why, setWhy] = useState("");
  const [opens, setOpens] = useState("");
  const [data, setData] = useState(true);
  const [unsigned, setUnsigned] = useState(false);
  const signed = report.state === "ready";
  const publish = useAct<Schemas["PublishIn"]>(report.id, (body) => acts.publish(report.id, body));
  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;
  return (
    <Dialog
      open
      wide
      onOpenChange={(open) => !open && close()}
      title={again ? "Publish a correction" : "Publish"}
    >
      <form
        className="grid gap-4"
        onSubmit={(event) => {
          event.preventDefault();
          publish.mutate(
            {
              seen: report.seen,
              why,
              opens_at: opens ? new Date(opens).toISOString() : null,
              unchecked: unsigned,
              with_data: data,
            },
            { onSuccess: close },
          );
        }}
      >
        {again && (
          <>
            <Erratum lines={report.next_erratum} />
            <Field
              label="Why, for its readers"
              required
              autoFocus
              maxLength={600}
              value={why}
              onChange={(event) => setWhy(event.target.value)}
            />
          </>
        )}
        {!again && (
          <Field
            label={`Opens, in ${zone}`}
            hint="Until then only whoever has its early address can read it. Empty: at once."
            type="datetime-local"
            value={opens}
            onChange={(event) => setOpens(event.target.value)}
          />
        )}
        <Tick label="With the data packages of its studies" checked={data} onChange={setData} />
        {!signed && (
          <Tick
            label="Without a second person’s signature, which its page says"
            checked={unsigned}
            onChange={setUnsigned}
          />
        )}
        <FormEnd
          error={publish.error}
          leave={close}
          does={publish.isPending ? "Publishing …" : again ? "Publish the correction" : "Publish"}
          disabled={publish.isPending || (!signed && !unsigned) || (again && !why.trim())}
        />
      </form>
    </Dialog>
  );
}

/** What is said otherwise, old beside new; another verdict first. */
function Erratum({ lines }: { lines: Schemas["CorrectionOut"][] }) {
  if (!lines.length) return <p className="text-soft">No number or sentence of it changed.</p>;
  return (
    <table className="w-full border-collapse">
      <caption className="label pb-1 text-left">What it will say otherwise</caption>
      <thead>
        <tr className="label">
          <th scope="col">What</th>
          <th scope="col">Was</th>
          <th scope="col">Will be</th>
        </tr>
      </thead>
      <tbody>
        {lines.map((one) => (
          <tr key={one.key} className="border-rule border-t">
            <th scope="row" className="py-1 pr-3">
              {one.of}
              {one.flip && <strong className="block text-accent">another verdict</strong>}
            </th>
            <td className="py-1 pr-3">{one.before}</td>
            <td className="py-1 font-semibold">{one.after || "said no more"}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** What was published: each edition at its address, with its files. */
export function Editions({ report }: { report: Report }) {
  const lead = useMay("lead");
  const [withdrawing, setWithdrawing] = useState(false);
  if (!report.editions.length) return <p className="text-soft">Not published yet.</p>;
  const last = report.editions[report.editions.length - 1];
  return (
    <section aria-label="Editions">
      {report.state === "withdrawn" && <p className="font-semibold">Withdrawn: {report.withdrawn_why}</p>}
      {last && !last.open && (
        <p className="mb-3">
          Opens {moment(last.opens_at)}. Until then it is read at its{" "}
          <a href={report.early} target="_blank" rel="noreferrer">
            early address
          </a>
          .
        </p>
      )}
      <ul className="border-rule border-b">
        {[...report.editions].reverse().map((one) => (
          <li key={one.number} className="border-rule border-t py-2">
            <p className="font-semibold">
              {one.open ? (
                <a href={`${report.address}${one.number}/`} target="_blank" rel="noreferrer">
                  Edition {one.number}
                </a>
              ) : (
                `Edition ${one.number}`
              )}
            </p>
            <p className="text-[0.9rem] text-soft">
              {moment(one.at)}, {one.by}; {one.checked_by ? `signed by ${one.checked_by}` : "not signed"}
              {one.why && `. ${one.why}`}
            </p>
          </li>
        ))}
      </ul>
      {lead && report.state !== "withdrawn" && (
        <Button kind="grave" className="mt-3" onClick={() => setWithdrawing(true)}>
          Withdraw
        </Button>
      )}
      {withdrawing && <Withdraw report={report} close={() => setWithdrawing(false)} />}
    </section>
  );
}

function Withdraw({ report, close }: { report: Report; close: () => void }) {
  const [why, setWhy] = useState("");
  const withdraw = useAct<void>(report.id, () => acts.withdraw(report.id, why));
  return (
    <Dialog
      open
      onOpenChange={(open) => !open && close()}
      title="Withdraw this report?"
      description="Its editions stay readable, and say first that it was withdrawn and why. It cannot be written any more."
    >
      <form
        className="grid gap-4"
        onSubmit={(event) => {
          event.preventDefault();
          withdraw.mutate(undefined, { onSuccess: close });
        }}
      >
        <Field
          label="Why, for its readers"
          autoFocus
          required
          maxLength={600}
          value={why}
          onChange={(event) => setWhy(event.target.value)}
        />
        <FormEnd
          error={withdraw.error}
          leave={close}
          does="Withdraw"
          disabled={!why.trim() || withdraw.isPending}
        />
      </form>
    </Dialog>
  );
}
