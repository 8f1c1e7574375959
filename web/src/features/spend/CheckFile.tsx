/** A spend file before it is taken in: how it is read, what it adds up to, and every row that cannot be read. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { BadRows, ColumnChoices, HowWritten, SampleRows } from "../../components/FileRows";
import { Button, Field, FormProblem, Head, Input } from "../../components/ui";
import { count, day, money } from "../../lib/format";
import { useSite } from "../../lib/session";
import { makeStale, REPORTS } from "../../lib/stale";

type Check = Schemas["CheckOut"];
type Reading = Schemas["ReadingJson"];

const FIELDS = [
  ["day", "Day"],
  ["cost", "Cost"],
  ["source", "Source"],
  ["campaign", "Campaign"],
  ["ad_group", "Ad group"],
  ["ad", "Ad"],
  ["landing", "Landing address"],
  ["impressions", "Impressions"],
  ["clicks", "Clicks"],
  ["conversions", "Its conversions"],
  ["value", "Their value"],
  ["view_conversions", "For ads only seen"],
] as const;
type FieldName = (typeof FIELDS)[number][0];
const DELIMITERS: Record<string, string> = { ",": "commas", ";": "semicolons", "\t": "tabs", "|": "bars" };

interface Props {
  siteId: number;
  first: Check;
  close: () => void;
}

export function CheckFile({ siteId, first, close }: Props) {
  const site = useSite(siteId);
  const queries = useQueryClient();
  const [reading, setReading] = useState<Reading>(first.reading);
  const path = { params: { path: { site_id: siteId, import_id: first.id } } };
  const again = useMutation({
    mutationFn: (wanted: Reading) =>
      data(client.POST("/api/sites/{site_id}/spend/files/{import_id}/check", { ...path, body: wanted })),
  });
  const take = useMutation({
    mutationFn: () =>
      data(client.POST("/api/sites/{site_id}/spend/files/{import_id}/import", { ...path, body: reading })),
    onSuccess: async (done) => {
      await makeStale(queries, siteId, ...REPORTS);
      toast(`${count(done.rows)} rows are in: ${money(done.cost, site.currency)}.`);
      close();
    },
  });
  const check = again.data ?? first;
  const read = (part: Partial<Reading>) => {
    const wanted = { ...reading, ...part };
    setReading(wanted);
    again.mutate(wanted);
  };
  const doubt = (name: string) => check.doubts.includes(name);

  return (
    <>
      <Head
        title={<bdi>{first.file_name}</bdi>}
        lead={
          check.encoding === "Excel"
            ? `Read as an Excel workbook, its sheet “${check.delimiter}”. Nothing is imported yet.`
            : `Read as ${check.encoding}, separated by ${DELIMITERS[check.delimiter] ?? check.delimiter}. Nothing is imported yet.`
        }
        actions={
          <>
            <Button onClick={close}>Cancel</Button>
            <Button
              kind="main"
              disabled={!check.importable || again.isPending || take.isPending}
              onClick={() => take.mutate()}
            >
              Take in {count(check.good)} {check.good === 1 ? "row" : "rows"}
            </Button>
          </>
        }
      />
      <div className="mt-3">
        <FormProblem problem={take.error ?? again.error} fields={[]} />
      </div>
      <div className="mt-2 grid grid-cols-[minmax(0,1fr)] items-start gap-6 lg:grid-cols-[340px_minmax(0,1fr)]">
        <section aria-labelledby="reading" className="flex flex-col gap-3">
          <h2 id="reading" className="text-title">
            How it is read
          </h2>
          <ColumnChoices<FieldName>
            head={check.head}
            fields={FIELDS}
            columns={reading.columns}
            needed={(name) => name === "day" || name === "cost"}
            doubted={doubt}
            choose={(columns) => read({ columns })}
          />
          {reading.columns.source === undefined && (
            <Field
              label="Source of the whole file"
              hint="As in the ads’ links: utm_source."
              error={reading.source?.trim() ? undefined : "Say which source the whole file is from."}
            >
              {(p) => <Input {...p} value={reading.source} onChange={(e) => read({ source: e.target.value })} />}
            </Field>
          )}
          <HowWritten
            dayOrder={reading.day_order}
            decimalMark={reading.decimal_mark}
            doubts={check.doubts}
            change={read}
          />
        </section>
        <div className="min-w-0">
          <Sums check={check} currency={site.currency} />
          {check.bad_count > 0 && <BadRows bad={check.bad} all={check.bad_count} />}
          <SampleRows
            head={check.head}
            rows={check.sample}
            used={new Map(FIELDS.map(([name, text]) => [reading.columns[name], text]))}
          />
        </div>
      </div>
    </>
  );
}

function Sums({ check, currency }: { check: Check; currency: string }) {
  if (check.same_file)
    return (
      <p className="border-l-4 border-brick pl-3 text-brick">
        The very same file was taken in on {day(check.same_file.made_at)} as {check.same_file.file_name}. Undo that
        import first to read it anew.
      </p>
    );
  const parts: [string, string][] = [
    ["good rows", count(check.good)],
    ["cost", money(check.cost, currency)],
    ["clicks", count(check.clicks)],
    ["impressions", count(check.impressions)],
    ["days", check.first_day ? `${day(check.first_day)} to ${day(check.last_day)}` : "–"],
  ];
  return (
    <>
      <h2 className="text-title" aria-live="polite">
        {check.bad_count
          ? `${count(check.bad_count)} ${check.bad_count === 1 ? "row" : "rows"} cannot be read, so nothing can be taken in yet`
          : check.good
            ? "Every row can be read"
            : "No row can be read as it stands"}
      </h2>
      <dl className="my-2 flex flex-wrap gap-x-7 gap-y-1">
        {parts.map(([name, value]) => (
          <div key={name}>
            <dt className="text-small text-quiet">{name}</dt>
            <dd className="num">{value}</dd>
          </div>
        ))}
      </dl>
      {check.sum_lines > 0 && (
        <p className="text-quiet">
          {check.sum_lines} line{check.sum_lines === 1 ? "" : "s"} with a total {check.sum_lines === 1 ? "is" : "are"}{" "}
          left out.
        </p>
      )}
    </>
  );
}
