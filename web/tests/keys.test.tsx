import assert from "node:assert/strict";
import { render, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { test } from "vitest";
import { GLOSSARY } from "../src/controls/glossary";
import { KeysProvider, useKeysOf } from "../src/controls/Keys";
import { Term } from "../src/controls/Term";

function Place() {
  useKeysOf("Passes", [{ key: "a", does: "accept the pass" }]);
  return <Term word="lane">Lane</Term>;
}

test("the keys of a place and all words are one key away, and words are found by typing", async () => {
  const user = userEvent.setup();
  render(
    <KeysProvider>
      <Place />
    </KeysProvider>,
  );
  await user.keyboard("?");
  await screen.findByText("accept the pass");
  const field = screen.getByLabelText("Find a word");
  assert.equal((field as HTMLInputElement).value, "", "the sign that opened it is not typed into the field");
  const [first] = Object.values(GLOSSARY);
  assert.ok(screen.getByText(first as string));
  await user.type(field, "xyzzy");
  await screen.findByText("No word matches “xyzzy”.");
  await user.keyboard("{Escape}");
  await waitFor(() => assert.equal(screen.queryByText("Find a word"), null));
});

test("a word is explained in place by Enter, and Escape takes it away", async () => {
  const user = userEvent.setup();
  render(<Term word="lane">Lane</Term>);
  await user.tab();
  assert.equal(document.activeElement?.getAttribute("aria-label"), "Lane: what it means");
  await user.keyboard("{Enter}");
  await screen.findByText(GLOSSARY.lane);
  await user.keyboard("{Escape}");
  await waitFor(() => assert.equal(screen.queryByText(GLOSSARY.lane), null));
});
