/** To whom a plan is shown: audiences, bands of one, and new people; and what part of the budget each has. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, data, type Schemas } from "../../api/client";
import { SentenceWord } from "../../components/SentenceWord";
import { Button, Input, Select, TextButton } from "../../components/ui";
import { count } from "../../lib/format";
import { makeStale } from "../../lib/stale";
import { ANYONE, type LineForm, lineWords, many, type PlanForm } from "./model";
import { NewPeople } from "./NewPeople";

interface Props {
  siteId: number;
  form: PlanForm;
  change: (part: Partial<PlanForm>) => void;
  audiences: Schemas["AudienceOut"][];
  running: boolean;
}

export function ForWhom(props: Props) {
  const { form, audiences } = props;
  const names = form.lines.map((l) => lineWords(l, audiences));
  // A word that goes over several lines is read as a paragraph: then only how many.
  const all = names.join(" and ");
  const text = all.length > 58 || names.length > 2 ? summed(form.lines) : all || "whom?";
  return (
    <SentenceWord label="Shown to" text={text} className="flex w-[min(92vw,420px)] flex-col gap-3 p-3">
      {() => <Lines {...props} />}
    </SentenceWord>
  );
}

function summed(lines: LineForm[]) {
  const own = lines.filter((l) => l.audience).length;
  const parts = [own ? many(own, "audience") : "", own < lines.length ? "new people" : ""];
  return parts.filter(Boolean).join(" and ");
}

function Lines({ siteId, form, change, audiences, running }: Props) {
  const [kept] = useState(form.lines.length);
  const set = (at: number, part: Partial<LineForm>) =>
    change({ lines: form.lines.map((l, i) => (i === at ? { ...l, ...part } : l)) });
  const used = new Set([...form.lines.map((l) => l.audience), ...form.leftOut]);
  const several = form.lines.length > 1;
  const total = form.lines.reduce((sum, l) => sum + (Number(l.share) || 0), 0);
  return (
    <>
      {form.lines.map((line, at) => {
        // What was shown to somebody stays.
        const fixed = running && at < kept;
        const name = lineWords(line, audiences);
        return (
          <div key={line.audience ?? `new ${at}`} className="flex flex-col gap-1.5 border-b pb-3">
            <div className="flex items-start justify-between gap-2">
              <span>
                <strong className="font-semibold">{name}</strong>
                {line.audience && (
                  <span className="block text-small text-quiet">
                    {count(audiences.find((a) => a.id === line.audience)?.people)} people
                  </span>
                )}
              </span>
              {!fixed && (
                <TextButton
                  aria-label={`Take ${name} out`}
                  onClick={() => change({ lines: form.lines.filter((_, i) => i !== at) })}
                >
                  out
                </TextButton>
              )}
            </div>
            {line.seek && !fixed && (
              <NewPeople siteId={siteId} channelId={form.channel} seek={line.seek} set={(seek) => set(at, { seek })} />
            )}
            {line.audience && !running && !several && (
              <Bands siteId={siteId} audience={line.audience} change={change} />
            )}
            {several && (
              <div className="flex items-center gap-2 text-small">
                Part of the budget
                <Input
                  aria-label={`Part of the budget for ${name}`}
                  type="number"
                  min={0.1}
                  max={100}
                  step={0.1}
                  className="num max-w-20"
                  value={line.share}
                  onChange={(e) => set(at, { share: e.target.value })}
                />
                <span className="num text-quiet">
                  {total ? `${Math.round((100 * (Number(line.share) || 0)) / total)} %` : ""}
                </span>
              </div>
            )}
          </div>
        );
      })}
      <Select
        aria-label="Add an audience"
        value=""
        onChange={(e) =>
          change({ lines: [...form.lines, { audience: Number(e.target.value), seek: null, share: "1" }] })
        }
      >
        <option value="">Add an audience …</option>
        {audiences
          .filter((a) => !used.has(a.id))
          .map((a) => (
            <option key={a.id} value={a.id}>
              {a.name} ({count(a.people)})
            </option>
          ))}
      </Select>
      <Button
        className="self-start"
        onClick={() => change({ lines: [...form.lines, { audience: null, seek: ANYONE, share: "1" }] })}
      >
        Add new people
      </Button>
    </>
  );
}

/** An audience taken apart by how long ago they came, each band with its part of the budget. */
function Bands({ siteId, audience, change }: { siteId: number; audience: number; change: Props["change"] }) {
  const queries = useQueryClient();
  const [cuts, setCuts] = useState("0, 3, 7, 21");
  const make = useMutation({
    mutationFn: () =>
      data(
        client.POST("/api/sites/{site_id}/audiences/{audience_id}/bands", {
          params: { path: { site_id: siteId, audience_id: audience } },
          body: { cuts: cuts.split(",").map((c) => Number(c.trim())) },
        }),
      ),
    onSuccess: async (made) => {
      await makeStale(queries, siteId, "audiences", "rail");
      change({ lines: made.map((a) => ({ audience: a.id, seek: null, share: "1" })) });
    },
  });
  return (
    <details className="text-small">
      <summary className="text-plum underline">Take it apart by how long ago they came</summary>
      <div className="mt-1.5 flex items-end gap-2">
        <div className="flex flex-col gap-1">
          Days
          <Input
            aria-label="Days at which bands begin"
            className="num max-w-36"
            value={cuts}
            onChange={(e) => setCuts(e.target.value)}
          />
        </div>
        <Button onClick={() => make.mutate()} disabled={make.isPending}>
          Make the bands
        </Button>
      </div>
      {make.isError && (
        <p role="alert" className="mt-1 text-brick">
          {make.error.message}
        </p>
      )}
    </details>
  );
}
