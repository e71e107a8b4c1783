import { Route, Routes } from "react-router";
import { PressScreen } from "./PressScreen";
import { Stopwatch } from "./Stopwatch";

/** Pages that are filmed: anybody may open them, on whatever has a browser. */
export default function Film() {
  return (
    <main className="flex min-h-screen flex-col justify-center gap-[4vh] bg-[#fff] p-4 text-[#000]">
      <Routes>
        <Route path="screen" element={<PressScreen />} />
        <Route path="*" element={<Stopwatch />} />
      </Routes>
    </main>
  );
}
