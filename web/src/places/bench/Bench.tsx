import type { ReactNode } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { NavLink, Route, Routes, useNavigate } from "react-router";
import { useParts, useRigs, useSetups } from "../../api/queries";
import { useKeysOf } from "../../controls/Keys";
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
          <BenchTab to="/bench" shortcut="1" also="/bench/setups" count={setups?.length}>
            Setups
          </BenchTab>
          <BenchTab to="/bench/rigs" shortcut="2" count={rigs?.length}>
            Rigs
          </BenchTab>
          <BenchTab to="/bench/parts" shortcut="3" count={parts?.length}>
            Parts
          </BenchTab>
          <BenchTab to="/bench/links" shortcut="4" count={undefined}>
            Test machines
          </BenchTab>
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

function BenchTab({
  to,
  also,
  shortcut,
  count,
  children,
}: {
  to: string;
  also?: string;
  shortcut: string;
  count: number | undefined;
  children: ReactNode;
}) {
  const within = also && window.location.pathname.startsWith(also);
  return (
    <NavLink
      to={to}
      end
      className={({ isActive }) =>
        `plain -mb-px flex items-center gap-1.5 rounded-t-[3px] border px-3.5 py-1.5 font-semibold ${isActive || within ? "border-rule border-b-paper bg-paper" : "border-transparent text-soft hover:bg-band"}`
      }
    >
      {children}
      {count !== undefined && <span className="figure text-mute"> {count}</span>}
      <span className="key" aria-hidden="true">
        {" "}
        {shortcut}
      </span>
    </NavLink>
  );
}
