import { useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Link, useNavigate } from "react-router";
import { useMay } from "../../api/queries";
import { useMatrices } from "../../api/tuning";
import { Button } from "../../controls/Button";
import { FilterField, NothingMatches, useFilter } from "../../controls/Filter";
import { useKeysOf } from "../../controls/Keys";
import { Empty, ErrorNotice, Loading } from "../../controls/Notice";
import { useTitle } from "../../controls/useTitle";
import { count, moment } from "../../format";
import { MatrixDialog } from "./MatrixDialog";

const KEYS = [{ key: "n", does: "new matrix" }];

/** What works together at all: matrices of parts. */
export function Fits() {
  const { data: matrices, error } = useMatrices();
  const lead = useMay("lead");
  const go = useNavigate();
  const [making, setMaking] = useState(false);
  const { shown, text, setText } = useFilter(matrices ?? [], (one) => one.title);
  useTitle("What fits", "Tuning");
  useHotkeys("n", () => setMaking(true), { enabled: lead && !making, preventDefault: true });
  useKeysOf("What fits", KEYS);
  if (error) return <ErrorNotice error={error} />;
  if (!matrices) return <Loading what="the matrices" />;
  return (
    <>
      <div className="mb-4 flex flex-wrap items-end justify-between gap-3">
        <FilterField label="Matrices by title" text={text} setText={setText} />
        {lead && (
          <Button kind="main" shortcut="n" onClick={() => setMaking(true)}>
            New matrix
          </Button>
        )}
      </div>
      {matrices.length === 0 && (
        <Empty title="No matrix yet.">
          <p>
            Lay one out: hosts by adapters by cards, boards by processors, kits by boards. Facts of the parts
            are held against each other before anything is plugged in.
          </p>
        </Empty>
      )}
      {matrices.length > 0 && shown.length === 0 && <NothingMatches text={text} what="matrix" />}
      <ul className="grid gap-3">
        {shown.map((one) => (
          <li key={one.id} className="sheet px-5 py-3.5">
            <h2 className="text-xl font-bold">
              <Link to={`/tuning/fit/${one.id}`}>{one.title}</Link>
            </h2>
            <p className="mt-0.5">{one.sentence}</p>
            <p className="mt-0.5 text-[0.9rem] text-mute">
              {count(one.places, "combination")} · {one.by}, {moment(one.at)}
            </p>
          </li>
        ))}
      </ul>
      {making && (
        <MatrixDialog
          matrix={null}
          close={(made) => {
            setMaking(false);
            if (made) go(`/tuning/fit/${made.id}`);
          }}
        />
      )}
    </>
  );
}
