import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link, useLocation } from "react-router";
import { client, data, type Schemas } from "../../api/client";
import { useMay, useStudyChange } from "../../api/queries";
import { Button } from "../../controls/Button";
import { ErrorNotice, Loading } from "../../controls/Notice";
import { useTitle } from "../../controls/useTitle";
import { count, moment } from "../../format";
import type { Study } from "../../model/study";
import { checkWords } from "./matrix";
import { WordsDialog } from "./Settling";

type Check = Schemas["CheckOut"];

/** Every check that looks at this study's passes: what it asks, what it doubts, and whether it is asked here. */
export function Checks({ study }: { study: Study }) {
  const { data: checks, error } = useQuery({
    queryKey: ["study", study.id, "checks"],
    queryFn: () =>
      data(client.GET("/api/studies/{study_id}/checks", { params: { path: { study_id: study.id } } })),
  });
  useTitle("Checks", study.question);
  if (error) return <ErrorNotice error={error} />;
  if (!checks) return <Loading what="the checks" />;
  return (
    <section>
      <h1 className="text-2xl font-bold">Checks</h1>
      <p className="mt-1 mb-4 max-w-4xl text-soft">
        Each asks one question of every pass and decides nothing. One that does not suit this study can be
        switched off; the reason prints with its findings.
      </p>
      <ul>
        {checks.map((one) => (
          <CheckRow key={one.id} study={study} check={one} />
        ))}
      </ul>
    </section>
  );
}

function CheckRow({ study, check }: { study: Study; check: Check }) {
  const may = useMay("lead") && study.state === "open";
  const asked = useLocation().hash === `#${check.id}`;
  const [asking, setAsking] = useState(false);
  const row = useRef<HTMLLIElement>(null);
  // The rows come after the address: nobody has looked for the one it names yet.
  useEffect(() => {
    if (asked) row.current?.scrollIntoView({ block: "center" });
  }, [asked]);
  const change = useStudyChange(study.id, (body: Schemas["CheckIn"]) =>
    data(
      client.PUT("/api/studies/{study_id}/checks/{check_id}", {
        params: { path: { study_id: study.id, check_id: check.id } },
        body,
      }),
    ),
  );
  const doubts = [
    check.passes > 0 && count(check.passes, "pass", "passes"),
    check.wide > 0 && count(check.wide, "matter of several passes", "matters of several passes"),
  ].filter(Boolean);
  return (
    <li
      ref={row}
      id={check.id}
      aria-current={asked || undefined}
      className={`-mx-3 grid items-baseline gap-x-5 gap-y-1 border-rule border-t px-3 py-2.5 md:grid-cols-[12rem_1fr_16rem_auto] ${
        asked ? "bg-mark/40" : ""
      }`}
    >
      <h2 className={`font-semibold ${check.off ? "text-mute line-through" : ""}`}>{checkWords(check.id)}</h2>
      <p className="max-w-3xl">
        {check.asks}
        {check.off && (
          <span className="block text-[0.9rem] text-soft">
            <strong>Not asked here</strong>: {check.off.reason}{" "}
            <span className="text-mute">
              ({check.off.by}, {moment(check.off.at)})
            </span>
          </span>
        )}
        <ErrorNotice error={change.error} />
      </p>
      <p className="text-[0.93rem] text-soft">
        {!check.off && !doubts.length && <span className="text-mute">doubts nothing</span>}
        {!check.off && doubts.length > 0 && (
          <Link to={`/studies/${study.id}/passes?match=${encodeURIComponent(checkWords(check.id))}`}>
            doubts {doubts.join(" and ")}
          </Link>
        )}
      </p>
      <p>
        {may && check.off && (
          <Button disabled={change.isPending} onClick={() => change.mutate({ asked: true, reason: "" })}>
            Ask it again
          </Button>
        )}
        {may && !check.off && (
          <Button
            kind="quiet"
            disabled={change.isPending}
            aria-label={`Switch off: ${checkWords(check.id)}`}
            onClick={() => setAsking(true)}
          >
            Switch off
          </Button>
        )}
      </p>
      <WordsDialog
        title={`Ask “${checkWords(check.id)}” no longer`}
        says="No pass of this study is doubted by it from now on, and the findings say so with your reason."
        does="Switch off"
        asks="Why it does not suit this study"
        example="all lanes are held at 60 on purpose"
        open={asking}
        close={() => setAsking(false)}
        done={(reason) => {
          change.mutate({ asked: false, reason });
          setAsking(false);
        }}
      />
    </li>
  );
}
