import { useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Link, useNavigate } from "react-router";
import { useMay } from "../../api/queries";
import { useLogs } from "../../api/tuning";
import { Button } from "../../controls/Button";
import { FilterField, NothingMatches, useFilter } from "../../controls/Filter";
import { useKeysOf } from "../../controls/Keys";
import { Empty, ErrorNotice, Loading } from "../../controls/Notice";
import { useTitle } from "../../controls/useTitle";
import { count, moment } from "../../format";
import { LogDialog } from "./LogDialog";

const KEYS = [{ key: "n", does: "new tuning log" }];

/** All tuning logs, each with what is to be said of it first. */
export function Logs() {
  const { data: logs, error } = useLogs();
  const lead = useMay("lead");
  const go = useNavigate();
  const [making, setMaking] = useState(false);
  const { shown, text, setText } = useFilter(logs ?? [], (one) => `${one.title} ${one.part} ${one.setup}`);
  useTitle("Tuning logs");
  useHotkeys("n", () => setMaking(true), { enabled: lead && !making, preventDefault: true });
  useKeysOf("Tuning logs", KEYS);
  if (error) return <ErrorNotice error={error} />;
  if (!logs) return <Loading what="the tuning logs" />;
  return (
    <>
      <div className="mb-4 flex flex-wrap items-end justify-between gap-3">
        <FilterField label="Logs by part or title" text={text} setText={setText} />
        {lead && (
          <Button kind="main" shortcut="n" onClick={() => setMaking(true)}>
            New log
          </Button>
        )}
      </div>
      {logs.length === 0 && (
        <Empty title="No tuning log yet.">
          <p>
            Begin one for a part: what can be set, where it stands at stock, and which limits its maker
            states. Then take small steps, each with a stability run.
          </p>
        </Empty>
      )}
      {logs.length > 0 && shown.length === 0 && <NothingMatches text={text} what="log" />}
      <ul className="grid gap-3">
        {shown.map((one) => (
          <li key={one.id} className="sheet px-5 py-3.5">
            <h2 className="text-xl font-bold">
              <Link to={`/tuning/${one.id}`}>{one.title}</Link>
            </h2>
            <p className="mt-0.5">{one.sentence}</p>
            <p className="mt-0.5 text-[0.9rem] text-mute">
              {one.part} in {one.setup} · {count(one.steps, "step")} · {one.by}, {moment(one.at)}
            </p>
          </li>
        ))}
      </ul>
      {making && (
        <LogDialog
          log={null}
          close={(made) => {
            setMaking(false);
            if (made) go(`/tuning/${made.id}`);
          }}
        />
      )}
    </>
  );
}
