import { type FormEvent, useState } from "react";
import { words } from "../../api/words";
import { Button } from "../../controls/Button";
import { Dialog } from "../../controls/Dialog";
import { Field, Labelled } from "../../controls/Field";
import { NumberField } from "../../controls/NumberField";
import { Select } from "../../controls/Select";
import { readNumber } from "../../format";
import { ORDER_WORDS } from "../plan/words";
import { NextHour } from "./NextHour";
import { type AskedOf, type Asking, Beside, End, Submit, Tray, Typed } from "./RunForms";
import { passOf } from "./view";

const TITLES: Record<NonNullable<Asking>, string> = {
  note: "Note",
  reject: "Reject the last pass",
  skip: "The pass does not run",
  order: "Another order for the rest",
  room: "How warm is the room?",
  file: "A file beside the pass",
  typed: "The result exists only as numbers",
  tray: "Files that wait",
  anyway: "Run it anyway",
  end: "End the session",
  next: "What would settle most?",
  seen: "What does it say?",
};

/** What a key asks for before it acts. */
export function RunDialogs(props: AskedOf) {
  const { asking, close } = props;
  return (
    <Dialog
      open={asking !== null}
      onOpenChange={(open) => !open && close()}
      title={asking ? TITLES[asking] : ""}
    >
      {asking !== null && <Asked key={asking} {...props} asking={asking} />}
    </Dialog>
  );
}

function Asked(props: AskedOf & { asking: NonNullable<Asking> }) {
  const { asking, view, act, close, instruction } = props;
  const step = instruction.kind === "step" ? instruction.step : null;
  const pass = passOf(view, instruction);
  const lastIn = view.verdict?.pass_id ?? view.run.last?.pass_id ?? null;
  switch (asking) {
    case "note":
      return (
        <Text
          label="What should be known of this?"
          done="Keep the note"
          {...props}
          send={(text) => act({ kind: "noted", words: text, pass_id: pass })}
        />
      );
    case "seen":
      return (
        <Text
          label={`${step?.question?.setting ?? "It"} says`}
          done="That is what it says"
          {...props}
          send={(text) =>
            step &&
            act({
              kind: "read_back",
              step: step.key,
              pass_id: step.pass_id,
              setting: step.question?.setting ?? "",
              seen: text,
            })
          }
        />
      );
    case "anyway":
      return (
        <Text
          label="Why is it run anyway?"
          done="Run it anyway"
          {...props}
          send={(text) =>
            instruction.kind === "mismatch" &&
            act({
              kind: "anyway",
              step: instruction.mismatch.step,
              pass_id: instruction.mismatch.pass_id,
              words: text,
            })
          }
        />
      );
    case "room":
      return <Room {...props} />;
    case "reject":
      return (
        <Reasons
          codes={words().rejected_for}
          done="Reject it"
          {...props}
          send={(code, text) =>
            lastIn !== null && act({ kind: "rejected", pass_id: lastIn, code, words: text })
          }
        />
      );
    case "skip":
      return <Skip {...props} pass={pass} />;
    case "order":
      return (
        <div className="grid gap-2">
          {(["lane_by_lane", "in_rounds", "alternating", "by_game", "random"] as const).map((order, at) => (
            <Button
              key={order}
              autoFocus={at === 0}
              onClick={() => {
                act({ kind: "ordered", order });
                close();
              }}
            >
              {ORDER_WORDS[order]}
            </Button>
          ))}
        </div>
      );
    case "file":
      return <Beside {...props} pass={pass} />;
    case "typed":
      return <Typed {...props} pass={pass} />;
    case "tray":
      return <Tray {...props} pass={pass} />;
    case "end":
      return <End {...props} />;
    case "next":
      return <NextHour {...props} />;
  }
}

function Text({
  label,
  done,
  send,
  close,
}: { label: string; done: string; send: (text: string) => unknown } & AskedOf) {
  const [text, setText] = useState("");
  const submit = (event: FormEvent) => {
    event.preventDefault();
    send(text.trim());
    close();
  };
  return (
    <form onSubmit={submit} className="grid gap-4">
      <Field
        label={label}
        value={text}
        maxLength={300}
        autoFocus
        required
        onChange={(e) => setText(e.target.value)}
      />
      <Submit done={done} close={close} />
    </form>
  );
}

function Room({ act, close, view }: AskedOf) {
  const [text, setText] = useState(view.run.session?.room_c?.toString() ?? "");
  const number = readNumber(text);
  return (
    <form
      className="grid gap-4"
      onSubmit={(event) => {
        event.preventDefault();
        if (number === null || Number.isNaN(number)) return;
        act({ kind: "room", room_c: number });
        close();
      }}
    >
      <NumberField label="Room, °C" value={text} onChange={setText} min={-30} max={60} autoFocus required />
      <Submit done="Note it" close={close} />
    </form>
  );
}

interface Named {
  name: string;
  words: string;
}

function Reasons({
  codes,
  done,
  send,
  close,
  children,
}: AskedOf & {
  codes: Named[];
  done: string;
  send: (code: string, text: string) => unknown;
  children?: React.ReactNode;
}) {
  const [code, setCode] = useState(codes[0]?.name ?? "other");
  const [text, setText] = useState("");
  return (
    <form
      className="grid gap-4"
      onSubmit={(event) => {
        event.preventDefault();
        send(code, text.trim());
        close();
      }}
    >
      <Select
        label="Why"
        value={code}
        onChange={setCode}
        options={codes.map((one) => ({ value: one.name, label: one.words }))}
      />
      <Field
        label="In words"
        value={text}
        maxLength={300}
        autoFocus
        required={code === "other"}
        onChange={(e) => setText(e.target.value)}
      />
      {children}
      <Submit done={done} close={close} />
    </form>
  );
}

/** What a pass takes with it that did not run. */
const FOLLOWING = [
  { value: "pass", label: "only this pass" },
  { value: "cell", label: "the rest of this test in this lane" },
  { value: "game", label: "all of this game in this lane" },
  { value: "lane", label: "everything in this lane" },
];

function Skip(props: AskedOf & { pass: number | null }) {
  const { act, pass } = props;
  const [following, setFollowing] = useState("pass");
  return (
    <Reasons
      {...props}
      codes={words().did_not_run_for}
      done="It does not run"
      send={(code, text) =>
        pass !== null &&
        act({
          kind: "skipped",
          pass_id: pass,
          code,
          words: text,
          following: following === "pass" ? "" : (following as "cell" | "game" | "lane"),
        })
      }
    >
      <Labelled label="What goes with it">
        <Select label="What goes with it" value={following} onChange={setFollowing} options={FOLLOWING} />
      </Labelled>
    </Reasons>
  );
}
