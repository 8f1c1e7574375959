/** A site's own stages, in their order. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, data, type Schemas } from "../../api/client";
import { Button, FormProblem, Input, Select, TextButton } from "../../components/ui";
import { makeStale } from "../../lib/stale";
import { EFFECTS } from "./effects";

type Stage = Schemas["StageOut"];
interface Line {
  /** Of the line on the screen: a stage has none until it is saved. */
  id: number;
  key: string;
  name: string;
  effect: Stage["effect"];
  told: number;
}

export function Stages({ siteId, stages, done }: { siteId: number; stages: Stage[]; done: () => void }) {
  const queries = useQueryClient();
  const [lines, setLines] = useState<Line[]>(
    stages.map(({ key, name, effect, told }, id) => ({ id, key, name, effect, told })),
  );
  const [next, setNext] = useState(stages.length);
  const save = useMutation({
    mutationFn: () =>
      data(
        client.PUT("/api/sites/{site_id}/outcomes/stages", {
          params: { path: { site_id: siteId } },
          body: { stages: lines.map(({ key, name, effect }) => ({ key, name, effect })) },
        }),
      ),
    onSuccess: async () => {
      await makeStale(queries, siteId, "outcomes");
      done();
    },
  });
  const set = (id: number, part: Partial<Line>) => setLines(lines.map((l) => (l.id === id ? { ...l, ...part } : l)));
  const up = (place: number) =>
    setLines([...lines.slice(0, place - 1), lines[place] as Line, lines[place - 1] as Line, ...lines.slice(place + 1)]);
  return (
    <form
      className="flex max-w-2xl flex-col gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      {lines.map((line, place) => (
        <div key={line.id} className="grid grid-cols-[1fr_1fr_auto] items-center gap-2">
          <Input
            aria-label={`Name of stage ${place + 1}`}
            value={line.name}
            maxLength={60}
            required
            onChange={(e) => set(line.id, { name: e.target.value })}
          />
          <Select
            aria-label={`What ${line.name || `stage ${place + 1}`} does`}
            value={line.effect}
            disabled={line.told > 0}
            title={line.told ? "It has outcomes, so what it does stays as it is." : undefined}
            onChange={(e) => set(line.id, { effect: e.target.value as Stage["effect"] })}
          >
            {Object.entries(EFFECTS).map(([effect, text]) => (
              <option key={effect} value={effect}>
                {text}
              </option>
            ))}
          </Select>
          <span className="flex gap-3">
            <TextButton type="button" disabled={!place} aria-label={`Move ${line.name} up`} onClick={() => up(place)}>
              Up
            </TextButton>
            <TextButton
              type="button"
              disabled={line.told > 0 || lines.length === 1}
              aria-label={`Delete ${line.name}`}
              onClick={() => setLines(lines.filter((l) => l.id !== line.id))}
            >
              Delete
            </TextButton>
          </span>
        </div>
      ))}
      <FormProblem problem={save.error} fields={[]} />
      <div className="mt-1 flex flex-wrap gap-2">
        <Button type="submit" kind="main" disabled={save.isPending}>
          {save.isPending ? "Saving …" : "Save stages"}
        </Button>
        <Button
          type="button"
          onClick={() => {
            setLines([...lines, { id: next, key: "", name: "", effect: "reached", told: 0 }]);
            setNext(next + 1);
          }}
        >
          Add a stage
        </Button>
        <Button type="button" onClick={done}>
          Cancel
        </Button>
      </div>
    </form>
  );
}
