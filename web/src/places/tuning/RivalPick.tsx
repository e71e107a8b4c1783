import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { client, data } from "../../api/client";
import { useStudies } from "../../api/queries";
import { Button } from "../../controls/Button";
import { Labelled } from "../../controls/Field";
import { Select } from "../../controls/Select";

interface Rival {
  lane: number;
  test: number;
}

/** Which lane, in which test of which study, a part is held against at equal power. */
export function RivalPick({
  rival,
  name,
  setRival,
  error,
}: {
  rival: Rival | null;
  /** What the one is called that was chosen before. */
  name: string;
  setRival: (rival: Rival | null) => void;
  error: string | undefined;
}) {
  const { data: pages } = useStudies("");
  const studies = pages?.pages.flat() ?? [];
  const [study, setStudy] = useState("");
  const [lane, setLane] = useState(rival ? String(rival.lane) : "");
  const { data: found } = useQuery({
    queryKey: ["study", Number(study)],
    enabled: study !== "",
    queryFn: () =>
      data(client.GET("/api/studies/{study_id}", { params: { path: { study_id: Number(study) } } })),
  });
  if (rival && !study)
    return (
      <p className="flex flex-wrap items-center gap-3">
        It is held against {name}.
        <Button onClick={() => setRival(null)}>Hold it against another, or none</Button>
      </p>
    );
  return (
    <fieldset className="grid gap-3 border-rule border-t pt-3 sm:grid-cols-3">
      <legend className="label">Rival at equal power, where there is one</legend>
      <Labelled label="Study">
        <Select
          label="Study of the rival"
          value={study}
          onChange={(one) => {
            setStudy(one);
            setLane("");
            setRival(null);
          }}
          options={studies.map((one) => ({ value: String(one.id), label: one.question }))}
        />
      </Labelled>
      <Labelled label="Lane">
        <Select
          label="Lane of the rival"
          value={lane}
          onChange={setLane}
          options={(found?.lanes_full ?? []).map((one) => ({ value: String(one.id), label: one.name }))}
        />
      </Labelled>
      <Labelled label="Test">
        <Select
          label="Test of the rival"
          value={rival ? String(rival.test) : ""}
          onChange={(test) => lane && setRival({ lane: Number(lane), test: Number(test) })}
          options={(found?.tests_full ?? []).map((one) => ({
            value: String(one.id),
            label: `${one.game}, ${one.scene}, ${one.condition}`,
          }))}
        />
      </Labelled>
      {error && <p className="text-accent">{error}</p>}
    </fieldset>
  );
}
