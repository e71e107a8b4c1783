import { useState } from "react";
import { Link } from "react-router";
import { client, data, type Schemas } from "../../api/client";
import { useAcceptDifference, useStudyChange } from "../../api/queries";
import { Button } from "../../controls/Button";
import { LaneName } from "../../controls/LaneMark";
import { ErrorNotice } from "../../controls/Notice";
import { Term } from "../../controls/Term";
import { moment } from "../../format";
import type { Study } from "../../model/study";
import { AddLaneDialog, MissingCells } from "./AddLane";
import { AcceptDialog, AskDialog } from "./FairnessDialogs";
import { WEIGHT_WORDS } from "./words";

type PlanOut = Schemas["PlanOut"];
type Objection = Schemas["ObjectionOut"];

/** The lanes side by side, with what differs between them as the content. */
export function Fairness({ study, plan, lead }: { study: Study; plan: PlanOut; lead: boolean }) {
  const [accepting, setAccepting] = useState<Objection | null>(null);
  const [asking, setAsking] = useState(false);
  const [adding, setAdding] = useState<Record<string, string> | null>(null);
  const accept = useAcceptDifference(study.id);
  const withdraw = useStudyChange(study.id, (key: string) =>
    data(
      client.POST("/api/studies/{study_id}/acceptances/withdraw", {
        params: { path: { study_id: study.id } },
        body: { key },
      }),
    ),
  );
  const moveOn = useStudyChange(study.id, (lane: number) =>
    data(client.PUT("/api/studies/lanes/{lane_id}/newest-version", { params: { path: { lane_id: lane } } })),
  );
  const harmless = plan.objections.filter((one) => one.weight === "harmless" && !one.acceptance);
  const same = plan.pairings.reduce<Schemas["SameOut"][]>(
    (kept, pairing, index) =>
      index ? kept.filter((one) => pairing.same.some((other) => other.key === one.key)) : pairing.same,
    [],
  );
  const lanes = [...study.lanes_full].sort((a, b) => Number(b.baseline) - Number(a.baseline));
  return (
    <section className="mb-10">
      <div className="mb-2 flex flex-wrap items-end justify-between gap-3">
        <h2 className="text-xl font-bold">Lanes</h2>
        {lead && (
          <div className="flex gap-2">
            {study.kind !== "a_b" && <Button onClick={() => setAdding({})}>Add a lane</Button>}
            <Button onClick={() => setAsking(true)}>Change the question or factor</Button>
            {harmless.length > 0 && (
              <Button
                onClick={async () => {
                  for (const one of harmless)
                    await accept.mutateAsync({
                      key: one.key,
                      about: one.about,
                      reason: `Harmless: ${one.reason}.`,
                    });
                }}
              >
                Accept what is harmless ({harmless.length})
              </Button>
            )}
          </div>
        )}
      </div>
      <ErrorNotice error={withdraw.error ?? moveOn.error} />
      <table className="w-full border-collapse">
        <thead>
          <tr className="label">
            <th className="w-[17rem] pb-1">
              <Term word="lane">Lane</Term>
            </th>
            <th className="pb-1">
              <Term word="factor">Factor</Term>: {study.factor}
              {study.second_factor && ` × ${study.second_factor}`}
            </th>
            <th className="w-[24rem] pb-1">Setup</th>
          </tr>
        </thead>
        <tbody>
          {lanes.map((lane) => (
            <LaneRow
              key={lane.id}
              lane={lane}
              plan={plan}
              {...(lead ? { moveOn: () => moveOn.mutate(lane.id) } : {})}
            />
          ))}
        </tbody>
      </table>
      <MissingCells study={study} add={lead ? setAdding : null} />
      {adding && <AddLaneDialog study={study} levels={adding} close={() => setAdding(null)} />}
      {plan.objections.length > 0 && (
        <>
          <h3 className="mt-6 mb-1 font-bold">
            What else differs{plan.unsaid.length > 0 && ", and what nobody wrote down"}
          </h3>
          <ul>
            {plan.objections.map((one) => (
              <ObjectionRow
                key={one.key}
                one={one}
                study={study}
                {...(lead
                  ? { accept: () => setAccepting(one), withdraw: () => withdraw.mutate(one.key) }
                  : {})}
              />
            ))}
          </ul>
        </>
      )}
      {plan.changed.length > 0 && (
        <>
          <h3 className="mt-6 mb-1 font-bold">What changed while it ran</h3>
          <ul>
            {plan.changed.map((one) => (
              <li
                key={`${one.pass_id}${one.label}`}
                className="grid items-baseline gap-x-4 border-rule border-t py-2 md:grid-cols-[13rem_7rem_1fr]"
              >
                <span className="font-semibold">{one.label}</span>
                <Weight weight={one.weight} />
                <span>
                  {one.before || "nothing"} → <strong>{one.after || "nothing"}</strong>, from {one.on} on
                  <span className="block text-[0.9rem] text-mute">{one.reason}</span>
                </span>
              </li>
            ))}
          </ul>
        </>
      )}
      {same.length > 0 && (
        <p className="mt-4 text-[0.92rem] text-soft">
          <span className="label mr-2">Same in all lanes</span>{" "}
          {same.map((one, index) => (
            <span key={one.key}>
              {index > 0 && " · "}
              <span className="text-mute">{one.label}</span> {one.value}
            </span>
          ))}
        </p>
      )}
      {plan.unsaid.length > 0 && (
        <p className="mt-2 text-[0.92rem] text-soft">
          <span className="label mr-2">Not recorded in any lane</span>{" "}
          {plan.unsaid.map((one) => (
            <span key={one} className="mr-2 rounded-[3px] border border-mute border-dashed px-1">
              {one}
            </span>
          ))}
        </p>
      )}
      {accepting && <AcceptDialog study={study} one={accepting} close={() => setAccepting(null)} />}
      {asking && <AskDialog study={study} close={() => setAsking(false)} />}
    </section>
  );
}

function LaneRow({ lane, plan, moveOn }: { lane: Schemas["LaneOut"]; plan: PlanOut; moveOn?: () => void }) {
  const pairing = plan.pairings.find((one) => one.lane === String(lane.id));
  const factor = pairing ? pairing.factor.map((one) => ({ ...one, value: one.b })) : firstSides(plan);
  return (
    <tr className="border-rule border-t">
      <th scope="row" className="py-2 pr-4">
        <span className="font-semibold">
          <LaneName lane={lane.position} name={lane.name} />
        </span>
        {lane.baseline && <span className="block pl-5 text-[0.86rem] text-mute">the baseline</span>}
      </th>
      <td className="py-2 pr-4">
        {factor.length ? (
          factor.map((one) => (
            <span key={one.key} className="mr-4 inline-block">
              {factor.length > 1 && <span className="text-mute">{one.label} </span>}
              <strong>{one.value || "nothing"}</strong>
            </span>
          ))
        ) : (
          <span className="text-mute">
            {pairing ? "as the baseline" : "no factor found between the lanes"}
          </span>
        )}
      </td>
      <td className="py-2">
        <Link to={`/bench/sheet/${lane.setup.version_id}`}>{lane.setup.name}</Link>{" "}
        <span className="text-mute">version {lane.setup.version}</span>
        {lane.setup.cautions.map((words) => (
          <span key={words} className="block text-[0.9rem] font-semibold text-accent">
            {words}
          </span>
        ))}
        {!lane.setup.newest && (
          <span className="block text-[0.9rem]">
            A newer version is on the bench.{" "}
            {moveOn && (
              <button type="button" className="cursor-pointer underline underline-offset-3" onClick={moveOn}>
                Use it from now on
              </button>
            )}
          </span>
        )}
      </td>
    </tr>
  );
}

/** The baseline's own side of each factor, as any lane that differs in it shows. */
function firstSides(plan: PlanOut) {
  const found = new Map<string, { key: string; label: string; value: string }>();
  for (const pairing of plan.pairings)
    for (const one of pairing.factor) found.set(one.key, { key: one.key, label: one.label, value: one.a });
  return [...found.values()];
}

/** A weight, told by word and shape: a bar that grows. */
export function Weight({ weight }: { weight: string }) {
  const size = weight === "spoils" ? 3 : weight === "mind" ? 2 : 1;
  return (
    <span className="inline-flex items-center gap-1.5 text-[0.92rem] font-semibold">
      <svg width="22" height="10" viewBox="0 0 22 10" aria-hidden="true">
        {[1, 2, 3].map((i) => (
          <rect
            key={i}
            x={(i - 1) * 7.5 + 0.5}
            y="1.5"
            width="6"
            height="7"
            fill={i <= size ? (size === 3 ? "var(--accent)" : "var(--ink)") : "none"}
            stroke={i <= size && size === 3 ? "var(--accent)" : "var(--mute)"}
          />
        ))}
      </svg>
      {WEIGHT_WORDS[weight] ?? weight}
    </span>
  );
}

function ObjectionRow({
  one,
  study,
  accept,
  withdraw,
}: {
  one: Objection;
  study: Study;
  accept?: () => void;
  withdraw?: () => void;
}) {
  const lanes = study.lanes_full.filter((lane) => one.lanes.includes(String(lane.id)));
  return (
    <li className="grid items-baseline gap-x-4 gap-y-1 border-rule border-t py-2 md:grid-cols-[13rem_7rem_1fr_auto]">
      <span className="font-semibold">{one.label}</span>
      <Weight weight={one.weight} />
      <span>
        {one.about}
        {study.lanes_full.length > 2 && (
          <span className="text-mute"> ({lanes.map((lane) => lane.name).join(", ")})</span>
        )}
        <span className="block text-[0.92rem] text-mute">{one.reason}</span>
        {one.acceptance && (
          <span className="mt-1 block border-l-3 border-ink pl-2">
            Accepted: {one.acceptance.reason}
            <span className="block text-[0.86rem] text-mute">
              {one.acceptance.by}, {moment(one.acceptance.at)}
            </span>
          </span>
        )}
      </span>
      {one.acceptance
        ? withdraw && (
            <Button kind="quiet" onClick={withdraw} aria-label={`Withdraw ${one.label}`}>
              Withdraw
            </Button>
          )
        : accept && (
            <Button onClick={accept} aria-label={`Accept ${one.label}`}>
              Accept …
            </Button>
          )}
    </li>
  );
}
