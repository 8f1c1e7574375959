/** An outcome file before it is taken in: which column is what, what its words for stages mean, and whose it is. */
import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { BadRows, ColumnChoices, HowWritten, SampleRows } from "../../components/FileRows";
import { Button, cx, Field, FormProblem, Select } from "../../components/ui";
import { count, day } from "../../lib/format";
import { conversionsQuery } from "../conversions/queries";

type Check = Schemas["OutcomeCheckOut"];
type Mapping = Schemas["MappingJson"];
type Stage = Schemas["StageOut"];

const FIELDS = [
  ["order", "Order number"],
  ["email", "E-mail address"],
  ["customer", "Customer id"],
  ["stage", "Stage"],
  ["time", "When"],
  ["value", "Amount"],
  ["currency", "Currency"],
  ["row", "The row’s own id"],
] as const;
type FieldName = (typeof FIELDS)[number][0];
const LEFT_ASIDE = "-";
const rowsOf = (n: number) => `${count(n)} ${n === 1 ? "row" : "rows"}`;

interface Props {
  siteId: number;
  first: Check;
  stages: Stage[];
  close: () => void;
}

export function CheckOutcomes({ siteId, first, stages, close }: Props) {
  const [mapping, setMapping] = useState<Mapping>(first.mapping);
  const conversions = useQuery(conversionsQuery(siteId)).data ?? [];
  const path = { params: { path: { site_id: siteId, file_id: first.id } } };
  const again = useMutation({
    mutationFn: (wanted: Mapping) =>
      data(client.POST("/api/sites/{site_id}/outcomes/files/{file_id}/check", { ...path, body: wanted })),
    onSuccess: (now) => setMapping(now.mapping),
  });
  const take = useMutation({
    mutationFn: () =>
      data(client.POST("/api/sites/{site_id}/outcomes/files/{file_id}/import", { ...path, body: mapping })),
    onSuccess: (made) => {
      toast(`${count(made.rows)} new outcomes are in.`);
      close();
    },
  });
  const check = again.data ?? first;
  const read = (part: Partial<Mapping>) => {
    const wanted = { ...mapping, ...part };
    setMapping(wanted);
    again.mutate(wanted);
  };
  const busy = again.isPending || take.isPending;
  return (
    <section aria-labelledby="outcome-file" className="mt-3">
      <div className="flex flex-wrap items-start justify-between gap-3">
        <div>
          <h2 id="outcome-file" className="text-title">
            <bdi>{first.file_name}</bdi>
          </h2>
          <p className="text-quiet">Nothing is imported yet. Addresses are kept as hashes only, and the file goes.</p>
        </div>
        <div className="flex gap-2">
          <Button onClick={close}>Cancel</Button>
          <Button kind="main" disabled={!check.importable || busy} onClick={() => take.mutate()}>
            {take.isPending ? "Taking the rows in …" : `Take in ${rowsOf(check.good)}`}
          </Button>
        </div>
      </div>
      <div className="mt-3">
        <FormProblem problem={take.error ?? again.error} fields={[]} />
      </div>
      <div className="mt-2 grid grid-cols-[minmax(0,1fr)] items-start gap-6 lg:grid-cols-[340px_minmax(0,1fr)]">
        <div className="flex flex-col gap-3">
          <h3 className="text-lead">How it is read</h3>
          <ColumnChoices<FieldName>
            head={check.head}
            fields={FIELDS}
            columns={mapping.columns}
            needed={(name) => name === "stage" || name === "order"}
            doubted={(name) => check.doubts.includes(name) && !(name in mapping.columns)}
            choose={(columns) => read({ columns: columns as Mapping["columns"] })}
          />
          {Object.keys(mapping.stages).length > 0 && (
            <Meanings mapping={mapping} stages={stages} set={(said) => read({ stages: said })} />
          )}
          <Field label="They are outcomes of" hint="For rows known by an address or customer id.">
            {(p) => (
              <Select
                {...p}
                value={mapping.conversion ?? ""}
                onChange={(e) => read({ conversion: e.target.value ? Number(e.target.value) : null })}
              >
                <option value="">the last conversion before, whichever</option>
                {conversions.map((c) => (
                  <option key={c.id} value={c.id}>
                    {c.name}
                  </option>
                ))}
              </Select>
            )}
          </Field>
          <HowWritten
            dayOrder={mapping.day_order}
            decimalMark={mapping.decimal_mark}
            doubts={check.doubts}
            change={read}
          />
        </div>
        <div className="min-w-0" aria-live="polite" aria-busy={again.isPending}>
          <Sums check={check} stages={stages} />
          {check.bad_count > 0 && <BadRows bad={check.bad} all={check.bad_count} />}
          <SampleRows
            head={check.head}
            rows={check.sample}
            used={new Map(FIELDS.map(([name, text]) => [mapping.columns[name], text]))}
          />
        </div>
      </div>
    </section>
  );
}

function Meanings({
  mapping,
  stages,
  set,
}: {
  mapping: Mapping;
  stages: Stage[];
  set: (said: Mapping["stages"]) => void;
}) {
  return (
    <fieldset className="panel flex flex-col gap-2 p-3">
      <legend className="sr-only">What the file’s words for stages mean</legend>
      {Object.entries(mapping.stages).map(([said, key]) => (
        <div key={said} className="grid grid-cols-2 items-center gap-2">
          <label htmlFor={`stage-${said}`} className={cx("truncate", !key && "font-semibold text-brick")}>
            “<bdi>{said}</bdi>” is
          </label>
          <Select
            id={`stage-${said}`}
            value={key}
            aria-invalid={!key}
            className="py-1!"
            onChange={(e) => set({ ...mapping.stages, [said]: e.target.value })}
          >
            {!key && <option value="">say what it is</option>}
            {stages.map((s) => (
              <option key={s.key} value={s.key}>
                {s.name}
              </option>
            ))}
            <option value={LEFT_ASIDE}>left out</option>
          </Select>
        </div>
      ))}
    </fieldset>
  );
}

function Sums({ check, stages }: { check: Check; stages: Stage[] }) {
  if (check.same_file)
    return (
      <p className="border-l-4 border-brick pl-3 text-brick">
        The very same file was taken in on {day(check.same_file.made_at)} as {check.same_file.file_name}. Undo that
        import first to read it anew.
      </p>
    );
  const parts: [string, string][] = [
    ["rows that can be read", count(check.good)],
    ...stages
      .filter((s) => check.by_stage[s.key])
      .map((s): [string, string] => [s.name.toLowerCase(), count(check.by_stage[s.key] ?? 0)]),
    ["left out", count(check.left_aside)],
  ];
  const asked = check.doubts.includes("identity")
    ? "Say which column has the order number, address or customer id"
    : check.mapping.columns.stage === undefined
      ? "Say which column has the stage"
      : undefined;
  return (
    <>
      <h3 className="text-lead">
        {asked ??
          (check.bad_count
            ? `${rowsOf(check.bad_count)} cannot be read, so nothing can be taken in yet`
            : check.good
              ? "Every row can be read"
              : "No row can be read as it stands")}
      </h3>
      <dl className="my-2 flex flex-wrap gap-x-7 gap-y-1">
        {parts.map(([name, value]) => (
          <div key={name}>
            <dt className="text-small text-quiet">{name}</dt>
            <dd className="num">{value}</dd>
          </div>
        ))}
      </dl>
      {check.tried > 0 && (
        <p>
          The lead or order is known of {count(check.matched)} of {check.tried < check.good && "the first "}
          {rowsOf(check.tried)}.
          {check.reasons.map((r) => (
            <span key={r.why} className="block text-quiet">
              {rowsOf(r.rows)}: {r.why}
            </span>
          ))}
        </p>
      )}
    </>
  );
}
