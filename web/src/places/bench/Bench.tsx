import { useHotkeys } from "react-hotkeys-hook";
import { Route, Routes, useNavigate } from "react-router";
import { useParts, useRigs, useSetups } from "../../api/queries";
import { useKeysOf } from "../../controls/Keys";
import { PlaceTab } from "../../controls/PlaceTab";
import { useTitle } from "../../controls/useTitle";
import { Links } from "./Links";
import { Parts } from "./Parts";
import { Rigs } from "./Rigs";
import { Setups } from "./Setups";
import { SheetPage } from "./SheetPage";

const KEYS = [
  { key: "1", does: "setups" },
  { key: "2", does: "rigs" },
  { key: "3", does: "parts" },
  { key: "4", does: "test machines" },
];

/** Parts, the rigs built of them, and setups: a rig with everything it was told. */
export default function Bench() {
  return (
    <Routes>
      <Route path="sheet/:version" element={<SheetPage />} />
      <Route path="*" element={<BenchFrame />} />
    </Routes>
  );
}

function BenchFrame() {
  const go = useNavigate();
  const { data: setups } = useSetups();
  const { data: rigs } = useRigs();
  const { data: parts } = useParts();
  useHotkeys("1", () => go("/bench"));
  useHotkeys("2", () => go("/bench/rigs"));
  useHotkeys("3", () => go("/bench/parts"));
  useHotkeys("4", () => go("/bench/links"));
  useKeysOf("Bench", KEYS);
  useTitle("Bench");
  return (
    <>
      <div className="mb-4 flex flex-wrap items-end justify-between gap-x-8 gap-y-2 border-rule border-b">
        <div className="pb-2">
          <h1 className="text-[2rem] leading-tight font-bold">Bench</h1>
          <p className="text-soft">
            A setup is everything that must be known to repeat a run. What a run used never changes.
          </p>
        </div>
        <nav aria-label="Bench" className="flex flex-wrap gap-1">
          <PlaceTab end to="/bench" shortcut="1" also="/bench/setups" count={setups?.length}>
            Setups
          </PlaceTab>
          <PlaceTab end to="/bench/rigs" shortcut="2" count={rigs?.length}>
            Rigs
          </PlaceTab>
          <PlaceTab end to="/bench/parts" shortcut="3" count={parts?.length}>
            Parts
          </PlaceTab>
          <PlaceTab end to="/bench/links" shortcut="4" count={undefined}>
            Test machines
          </PlaceTab>
        </nav>
      </div>
      <Routes>
        <Route path="rigs" element={<Rigs />} />
        <Route path="parts" element={<Parts />} />
        <Route path="links" element={<Links />} />
        <Route path="setups/:setup" element={<Setups />} />
        <Route path="*" element={<Setups />} />
      </Routes>
    </>
  );
}
