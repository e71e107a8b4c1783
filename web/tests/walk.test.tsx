import assert from "node:assert/strict";
import { act, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useRef } from "react";
import { createMemoryRouter, RouterProvider } from "react-router";
import { test } from "vitest";
import * as M from "../src/places/passes/matrix";
import { OverChoices, ShownChoices } from "../src/places/passes/TraceTools";
import { viewIn } from "../src/places/passes/traceView";
import { useWalk, useWalkKeys } from "../src/places/passes/useWalk";

type Asked = Parameters<typeof M.rowsOf>;
const tests = [10, 11, 12].map((id, position) => ({ id, position, game: `G${id}` })) as unknown as Asked[0];
const lanes = [1, 2].map((id, position) => ({ id, position, name: `L${id}` })) as unknown as Asked[1];
const passes = tests.flatMap((one) =>
  lanes.map((lane) => ({
    id: one.id * 10 + lane.id,
    test_id: one.id,
    lane_id: lane.id,
    number: 1,
    state: "recorded",
    role: "counted",
  })),
) as unknown as M.Pass[];
const doubted = {
  pass_id: 112,
  check: "lock",
  words: "",
  weak: false,
  evidence: {},
  window: null,
  settled: null,
};
const doubts: M.Doubts = { passes: [doubted], wide: [], repeats: [], odd: [], last: null, checking: false };
const rows = M.rowsOf(tests, lanes, passes, doubts);

function Matrix() {
  const place = useRef<HTMLElement>(null);
  const walk = useWalk(7, rows, place);
  useWalkKeys(walk, rows, place, true);
  return (
    <section ref={place}>
      <input aria-label="filter" />
      {/* biome-ignore lint/a11y/useSemanticElements: as the matrix is, no table of cells to read */}
      <div role="grid" tabIndex={0} aria-label="passes">
        stands on {walk.active?.one.id}, picked {[...walk.picked].sort().join(" ") || "none"}
      </div>
    </section>
  );
}

function opened(address = "/studies/7/passes") {
  const router = createMemoryRouter(
    [
      { path: "/studies/7/passes", element: <Matrix /> },
      { path: "/studies/7/passes/:test", element: <p>a trace</p> },
    ],
    { initialEntries: [address] },
  );
  render(<RouterProvider router={router} />);
  return { router, user: userEvent.setup() };
}

const says = (text: string) => assert.ok(screen.getByText(text), text);

test("one begins at the first doubt, walks by arrows and comes back to doubts by a key", async () => {
  const { user } = opened();
  says("stands on 112, picked none");
  await user.keyboard("{ArrowLeft}{ArrowDown}");
  says("stands on 121, picked none");
  assert.equal(document.activeElement?.getAttribute("role"), "grid", "whoever walks stands in the matrix");
  await user.keyboard("{Home}");
  says("stands on 101, picked none");
  await user.keyboard("n");
  says("stands on 112, picked none");
});

test("passes are picked one by one and a test at a time, and let go", async () => {
  const { user } = opened();
  await user.keyboard("x");
  says("stands on 112, picked 112");
  await user.keyboard("{Shift>}x{/Shift}");
  says("stands on 112, picked 111 112");
  await user.keyboard("{Shift>}x{/Shift}");
  says("stands on 112, picked none");
  await user.keyboard("x{ArrowUp}x");
  says("stands on 102, picked 102 112");
  await user.keyboard("{Escape}");
  says("stands on 102, picked none");
});

test("Enter opens a pass and Back leads to where one stood", async () => {
  const { user, router } = opened();
  await user.keyboard("{ArrowDown}{Enter}");
  assert.equal(
    router.state.location.pathname + router.state.location.search,
    "/studies/7/passes/12?pass=122",
  );
  await act(() => router.navigate(-1));
  says("stands on 122, picked none");
});

test("keys in a field are the field's own, and a pass that is gone begins at the first doubt", async () => {
  const { user } = opened("/studies/7/passes?pass=999");
  says("stands on 112, picked none");
  await user.keyboard("m");
  assert.equal(document.activeElement?.getAttribute("aria-label"), "filter");
  await user.keyboard("x{Enter}{ArrowDown}");
  says("stands on 112, picked none");
});

test("what stands above a trace says what it becomes as an address", async () => {
  const user = userEvent.setup();
  const said: Record<string, string>[] = [];
  const view = viewIn(new URLSearchParams("over=all&samples=fan_rpm"));
  const say = (part: Record<string, string>) => said.push(part);
  render(
    <>
      <OverChoices
        view={view}
        say={say}
        many={30}
        drags={undefined}
        setDrags={() => {}}
        slowly={() => {}}
        film={() => {}}
      />
      <ShownChoices view={view} say={say} sampled={["fan_rpm"]} />
    </>,
  );
  assert.equal(screen.queryByText("to trim"), null, "where nothing may be trimmed dragging only looks");
  await user.click(screen.getByText("This lane"));
  await user.click(screen.getByText("By marks"));
  await user.click(screen.getByText("Cap"));
  await user.click(screen.getByRole("button", { name: /fan/ }));
  assert.deepEqual(said, [
    { over: "" },
    { align: "mark" },
    { layers: "stutters,heartbeat,pauses" },
    { samples: "" },
  ]);
  says("12 of all lanes");
});
