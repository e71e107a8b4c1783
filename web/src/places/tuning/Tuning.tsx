import type { ReactNode } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { Route, Routes, useNavigate } from "react-router";
import { useKeysOf } from "../../controls/Keys";
import { PlaceTab } from "../../controls/PlaceTab";
import { FitPage } from "../fit/FitPage";
import { Fits } from "../fit/Fits";
import { LogPage } from "./LogPage";
import { Logs } from "./Logs";
import { Sums } from "./Sums";

const KEYS = [
  { key: "1", does: "tuning logs" },
  { key: "2", does: "what fits" },
  { key: "3", does: "sums" },
];

/** Settings tried step by step, parts tried together, and sums of the trade. */
export default function Tuning() {
  return (
    <Routes>
      <Route path="fit/:matrix" element={<FitPage />} />
      <Route path="fit" element={<TuningFrame of={<Fits />} />} />
      <Route path="sums" element={<TuningFrame of={<Sums />} />} />
      <Route path=":log" element={<LogPage />} />
      <Route path="*" element={<TuningFrame of={<Logs />} />} />
    </Routes>
  );
}

function TuningFrame({ of }: { of: ReactNode }) {
  const go = useNavigate();
  useHotkeys("1", () => go("/tuning"));
  useHotkeys("2", () => go("/tuning/fit"));
  useHotkeys("3", () => go("/tuning/sums"));
  useKeysOf("Tuning", KEYS);
  return (
    <>
      <div className="mb-4 flex flex-wrap items-end justify-between gap-x-8 gap-y-2 border-rule border-b">
        <div className="pb-2">
          <h1 className="text-[2rem] leading-tight font-bold">Tuning</h1>
          <p className="text-soft">
            What was set and what it cost, what works together, and the sums beside it.
          </p>
        </div>
        <nav aria-label="Tuning" className="flex flex-wrap gap-1">
          <PlaceTab end to="/tuning" shortcut="1">
            Logs
          </PlaceTab>
          <PlaceTab end to="/tuning/fit" shortcut="2">
            What fits
          </PlaceTab>
          <PlaceTab end to="/tuning/sums" shortcut="3">
            Sums
          </PlaceTab>
        </nav>
      </div>
      {of}
    </>
  );
}
