import assert from "node:assert/strict";
import { render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { type FormEvent, useRef, useState } from "react";
import { test } from "vitest";
import { Problem } from "../src/api/client";
import { FilterField, NothingMatches, useFilter } from "../src/controls/Filter";
import { FormEnd } from "../src/controls/FormEnd";
import { ErrorNotice } from "../src/controls/Notice";
import { NumberField } from "../src/controls/NumberField";

function Amount({ whole = false, kept }: { whole?: boolean; kept: (text: string) => void }) {
  const [value, setValue] = useState("");
  return (
    <form
      onSubmit={(event: FormEvent) => {
        event.preventDefault();
        kept(value);
      }}
    >
      <NumberField
        label="Even within, %"
        required
        whole={whole}
        min={0.01}
        max={99}
        value={value}
        onChange={setValue}
      />
      <button type="submit">Declare</button>
    </form>
  );
}

test("a number is written with a comma or a point, and what is none holds the form back and says so", async () => {
  const user = userEvent.setup();
  const kept: string[] = [];
  render(<Amount kept={(text) => kept.push(text)} />);
  const field = screen.getByLabelText<HTMLInputElement>("Even within, %");
  for (const [typed, fault] of [
    ["abc", "Write a number, such as 2.5 or 2,5."],
    ["0", "Write a number of at least 0.01 and at most 99."],
    ["99.5", "Write a number of at least 0.01 and at most 99."],
  ] as const) {
    await user.clear(field);
    await user.type(field, typed);
    assert.equal(
      screen.getByText(fault).id,
      field.getAttribute("aria-describedby"),
      "the fault describes the field",
    );
    assert.equal(field.getAttribute("aria-invalid"), "true");
    await user.click(screen.getByText("Declare"));
    assert.deepEqual(kept, [], `${typed} is not sent`);
    assert.equal(field.value, typed, "nothing typed is lost");
  }
  await user.clear(field);
  await user.type(field, "2,5{Enter}");
  assert.deepEqual(kept, ["2,5"]);
  assert.equal(field.getAttribute("aria-invalid"), null);
});

test("a count is whole", async () => {
  const user = userEvent.setup();
  render(<Amount whole kept={() => undefined} />);
  await user.type(screen.getByLabelText("Even within, %"), "2.5");
  assert.ok(screen.getByText("Write a whole number, such as 3."));
});

test("an error says where, what and the remedy", () => {
  const problem = new Problem("bad_row", "fps: no number.", 422, undefined, 4, 6, "Mend it.");
  render(<ErrorNotice error={problem} />);
  const shown = screen.getByRole("alert").textContent;
  assert.equal(shown, "Row 4 (line 6): fps: no number.Mend it.");
});

function Overtaken({ error, did }: { error: unknown; did: (mark: string) => void }) {
  const seen = useRef("old");
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        did(seen.current);
      }}
    >
      <FormEnd error={error} leave={() => undefined} does="Keep" seen={seen} />
    </form>
  );
}

test("a page that was overtaken offers to keep theirs, or saves over the state that is there now", async () => {
  const user = userEvent.setup();
  const sent: string[] = [];
  const { rerender } = render(<Overtaken error={null} did={(mark) => sent.push(mark)} />);
  await user.click(screen.getByText("Keep"));
  const problem = new Problem(
    "changed_meanwhile",
    "“tomke” was quicker.",
    409,
    undefined,
    undefined,
    undefined,
    undefined,
    "new",
  );
  rerender(<Overtaken error={problem} did={(mark) => sent.push(mark)} />);
  assert.ok(screen.getByText("Keep theirs"));
  await user.click(screen.getByText("Save mine over it"));
  assert.deepEqual(sent, ["old", "new"]);
});

const GAMES = ["Moss Republic, square", "Ninth Ferry, harbour", "Paper Comets, stage 6"];

function List() {
  const filter = useFilter(GAMES, (one) => one);
  return (
    <>
      <FilterField label="Filter games" text={filter.text} setText={filter.setText} />
      <ul>
        {filter.shown.map((one) => (
          <li key={one}>{one}</li>
        ))}
      </ul>
      {!filter.shown.length && <NothingMatches text={filter.text} what="game" />}
    </>
  );
}

test("a list is filtered by words in any order, and says when none is left", async () => {
  const user = userEvent.setup();
  render(<List />);
  const field = screen.getByLabelText("Filter games");
  await user.type(field, "HARBOUR ninth");
  assert.deepEqual(
    screen.getAllByRole("listitem").map((one) => one.textContent),
    ["Ninth Ferry, harbour"],
  );
  await user.clear(field);
  await user.type(field, "xyzzy");
  assert.equal(screen.getByRole("status").textContent, "No game matches “xyzzy”.");
});
