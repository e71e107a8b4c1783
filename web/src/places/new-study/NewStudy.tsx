import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useMemo, useRef } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { useNavigate, useSearchParams } from "react-router";
import { client, data, Problem, type Schemas } from "../../api/client";
import { useSketch } from "../../api/queries";
import { Button } from "../../controls/Button";
import { useKeysOf } from "../../controls/Keys";
import { ErrorNotice } from "../../controls/Notice";
import { useDraft } from "../../controls/useDraft";
import { useLater } from "../../controls/useLater";
import { useTitle } from "../../controls/useTitle";
import { setupOf } from "../bench/SetupEditor";
import { KINDS, type PlannedKind } from "../plan/kinds";
import { SketchPanel } from "../plan/SketchPanel";
import { useShelf } from "../plan/useShelf";
import { emptyDraft, lanesOf, paperOf, passesOf, type StudyDraft, studyOf } from "./draft";
import { FormHead, LanesPart, type PartProps, QuestionPart, TestsPart } from "./FormParts";
import { KindChoice } from "./KindChoice";
import { MethodFields } from "./MethodDialog";

const KEYS = [{ key: "Ctrl Enter", does: "create the study" }];
const SKETCH_RESTS_MS = 250;

/** A study from nothing: first its kind, then only what that kind needs, with what will be run beside it. */
export default function NewStudy() {
  const [search] = useSearchParams();
  const kind = KINDS.find((one) => one.kind === search.get("kind"));
  const setup = search.get("setup") ?? "";
  return kind ? (
    <StudyForm
      key={`${kind.kind} ${setup}`}
      kind={kind.kind}
      title={kind.title}
      asks={kind.asks}
      setup={setup}
    />
  ) : (
    <KindChoice setup={setup} />
  );
}

/** Creating a study, once however often it is asked for, and going to its plan. */
function useCreate(forget: () => void) {
  const go = useNavigate();
  const queries = useQueryClient();
  const sent = useRef(false);
  const create = useMutation({
    mutationFn: (body: Schemas["StudyIn"]) => data(client.POST("/api/studies", { body })),
    onError: () => {
      sent.current = false;
    },
    onSuccess: (study) => {
      forget();
      for (const key of ["studies", "setups", "scenes", "games", "conditions", "parts"])
        queries.invalidateQueries({ queryKey: [key] });
      go(`/studies/${study.id}/plan`);
    },
  });
  const once = (body: Schemas["StudyIn"]) => {
    if (sent.current) return;
    sent.current = true;
    create.mutate(body);
  };
  return { once, error: create.error, isPending: create.isPending };
}

function StudyForm({
  kind,
  title,
  asks,
  setup,
}: {
  kind: PlannedKind;
  title: string;
  asks: string;
  /** Of a setup that somebody comes from, its id. */
  setup: string;
}) {
  const go = useNavigate();
  const shelf = useShelf();
  const [draft, setDraft, forget, cameBack] = useDraft<StudyDraft>(
    `new-study.${kind}${setup && `.${setup}`}`,
    emptyDraft(kind, setup),
  );
  const create = useCreate(forget);
  const form = useRef<HTMLFormElement>(null);
  useKeysOf("New study", KEYS);
  useTitle(title, "New study");
  // As if its button were pressed: what is wrong in a field holds the form back either way.
  useHotkeys("ctrl+enter, meta+enter", () => form.current?.requestSubmit(), {
    enableOnFormTags: true,
    preventDefault: true,
  });
  const lanes = useMemo(() => lanesOf(kind, draft, shelf), [kind, draft, shelf]);
  const paper = useMemo(() => paperOf(kind, draft, shelf), [kind, draft, shelf]);
  // What is typed is asked about when the hand pauses; an answer that is no longer wanted is broken off.
  const { data: sketch } = useSketch(useLater(paper, SKETCH_RESTS_MS), lanes.length > 0);
  const suggestions = [
    ...shelf.kinds.map((one) => one.label),
    ...new Set(shelf.setups.flatMap((setup) => setup.settings.map((setting) => setting.name))),
  ];
  const problem = create.error instanceof Problem ? create.error : null;
  const part: PartProps = {
    kind,
    draft,
    set: (changed) => setDraft((now) => ({ ...now, ...changed })),
    faultOf: (field) => (problem?.field === field ? problem.message : undefined),
  };
  const beginAnew = () => {
    forget();
    setDraft(emptyDraft(kind, setup));
    forget();
  };
  const submit = (event: FormEvent) => {
    event.preventDefault();
    create.once(studyOf(kind, draft, shelf));
  };
  return (
    <form ref={form} onSubmit={submit}>
      <FormHead title={title} asks={asks} cameBack={cameBack} beginAnew={beginAnew} />
      <div className="grid gap-8 lg:grid-cols-[1fr_19rem]">
        <div className="grid content-start gap-7">
          <QuestionPart {...part} suggestions={suggestions} />
          <LanesPart {...part} suggestions={suggestions} lanes={lanes} />
          <TestsPart {...part} />
          <section>
            <h2 className="mb-2 text-xl font-bold">Method</h2>
            <MethodFields draft={draft.method} change={(method) => part.set({ method })} />
          </section>
        </div>
        <div>
          <SketchPanel
            sketch={sketch}
            lanes={lanes.map((one) => one.lane.name)}
            tests={paper.tests?.length ?? 0}
            passes={passesOf(draft)}
            described={lanes.some((one) => one.draft.rig || setupOf(one.draft).parts.length > 0)}
          />
        </div>
      </div>
      <div className="mt-6 grid gap-3">
        <ErrorNotice error={create.error} />
        <div className="flex justify-end gap-2 border-rule border-t pt-4">
          <Button onClick={() => go("/studies/new")}>Another kind</Button>
          <Button kind="main" type="submit" shortcut="Ctrl ↵" disabled={create.isPending}>
            Create the study
          </Button>
        </div>
      </div>
    </form>
  );
}
