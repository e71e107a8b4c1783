import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Link, useNavigate } from "react-router";
import { useStudies } from "../../api/queries";
import { acts, useReports } from "../../api/reports";
import { Button } from "../../controls/Button";
import { Dialog } from "../../controls/Dialog";
import { Labelled } from "../../controls/Field";
import { FormEnd } from "../../controls/FormEnd";
import { useKeysOf } from "../../controls/Keys";
import { Empty, ErrorNotice, Loading } from "../../controls/Notice";
import { Select } from "../../controls/Select";
import { useTitle } from "../../controls/useTitle";
import { moment } from "../../format";
import { STATES } from "./words";

const KEYS = [{ key: "n", does: "new report" }];

/** The articles of the magazine, newest first. */
export default function Reports() {
  const { data: reports, error } = useReports();
  const [beginning, setBeginning] = useState(false);
  useTitle("Reports");
  useHotkeys("n", () => setBeginning(true), { enabled: !beginning, preventDefault: true });
  useKeysOf("Reports", KEYS);
  if (error) return <ErrorNotice error={error} />;
  if (!reports) return <Loading what="the reports" />;
  return (
    <>
      <div className="mb-5 flex flex-wrap items-end justify-between gap-4">
        <div>
          <h1 className="text-[2rem] leading-tight font-bold">Reports</h1>
          <p className="max-w-2xl text-soft">
            Articles whose numbers stay tied to their captures. What is published is frozen with its data, and
            a correction says what it changed.
          </p>
        </div>
        <Button kind="main" shortcut="n" onClick={() => setBeginning(true)}>
          New report
        </Button>
      </div>
      {reports.length === 0 ? (
        <Empty title="No report yet.">
          <p>Begin one from a study, or press k in its findings to keep what you look at for one.</p>
        </Empty>
      ) : (
        <ul className="border-rule border-b">
          {reports.map((one) => (
            <li
              key={one.id}
              className="grid gap-x-6 gap-y-1 border-rule border-t py-3 sm:grid-cols-[1fr_16rem]"
            >
              <div>
                <Link to={`/reports/${one.id}`} className="text-[1.15rem] font-bold">
                  {one.title}
                </Link>
                <p className="text-[0.9rem] text-mute">
                  {[`${one.by}, ${moment(one.at)}`, ...one.studies.map((study) => study.question)].join(
                    " · ",
                  )}
                </p>
              </div>
              <p className="sm:text-right">
                <span className="font-semibold">{STATES[one.state] ?? one.state}</span>
                {one.edition !== null && one.opens_at !== null && (
                  <span className="block text-[0.9rem] text-mute">
                    edition {one.edition},{" "}
                    {Date.parse(one.opens_at) > Date.now() ? `opens ${moment(one.opens_at)}` : "open"}
                  </span>
                )}
              </p>
            </li>
          ))}
        </ul>
      )}
      {beginning && <Begin close={() => setBeginning(false)} />}
    </>
  );
}

/** From which study a report is begun: its question is the title at first. */
function Begin({ close }: { close: () => void }) {
  const go = useNavigate();
  const { data: pages } = useStudies("");
  const studies = pages?.pages.flat() ?? [];
  const [study, setStudy] = useState("");
  const chosen = study || String(studies[0]?.id ?? "");
  const begin = useMutation({
    mutationFn: () => acts.begin(Number(chosen)),
    onSuccess: (made) => go(`/reports/${made.id}`),
  });
  return (
    <Dialog open onOpenChange={(open) => !open && close()} title="New report">
      <form
        className="grid gap-4"
        onSubmit={(event) => {
          event.preventDefault();
          begin.mutate();
        }}
      >
        <Labelled label="From the study">
          <Select
            label="From the study"
            value={chosen}
            onChange={setStudy}
            options={studies.map((one) => ({ value: String(one.id), label: one.question }))}
          />
        </Labelled>
        <FormEnd error={begin.error} leave={close} does="Begin" disabled={!chosen || begin.isPending} />
      </form>
    </Dialog>
  );
}
