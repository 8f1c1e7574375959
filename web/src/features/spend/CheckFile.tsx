/** A spend file before it is taken in: how it is read, what it adds up to, and every row that cannot be read. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { Scroll } from "../../components/Scroll";
import { Table } from "../../components/Table";
import { Button, cx, Field, FormProblem, Head, Input, Select } from "../../components/ui";
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
const ORDERS = { ymd: "year month day", dmy: "day month year", mdy: "month day year" } as const;
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
  const column = (name: FieldName, place: string) => {
    const columns = { ...reading.columns };
    if (place === "") delete columns[name];
    else columns[name] = Number(place);
    read({ columns });
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
          <div className="panel grid grid-cols-[auto_1fr] items-center gap-x-3 gap-y-2 p-3">
            {FIELDS.map(([name, text]) => (
              <div key={name} className="contents">
                <label
                  htmlFor={`column-${name}`}
                  className={cx((name === "day" || name === "cost") && "font-semibold")}
                >
                  {text}
                </label>
                <Select
                  id={`column-${name}`}
                  value={reading.columns[name] ?? ""}
                  aria-invalid={doubt(name)}
                  onChange={(e) => column(name, e.target.value)}
                  className="py-1!"
                >
                  <option value="">not in the file</option>
                  {check.head.map((head, place) => (
                    // biome-ignore lint/suspicious/noArrayIndexKey: a column is its place
                    <option key={place} value={place}>
                      {head || `column ${place + 1}`}
                    </option>
                  ))}
                </Select>
              </div>
            ))}
          </div>
          {reading.columns.source === undefined && (
            <Field
              label="Source of the whole file"
              hint="As in the ads’ links: utm_source."
              error={reading.source?.trim() ? undefined : "Say which source the whole file is from."}
            >
              {(p) => <Input {...p} value={reading.source} onChange={(e) => read({ source: e.target.value })} />}
            </Field>
          )}
          <div className="grid grid-cols-2 gap-3">
            <Field label="Days are written" hint={doubt("day_order") ? "Both readings fit. Check this." : undefined}>
              {(p) => (
                <Select
                  {...p}
                  value={reading.day_order}
                  onChange={(e) => read({ day_order: e.target.value as Reading["day_order"] })}
                >
                  {Object.entries(ORDERS).map(([order, text]) => (
                    <option key={order} value={order}>
                      {text}
                    </option>
                  ))}
                </Select>
              )}
            </Field>
            <Field
              label="Amounts are written"
              hint={doubt("decimal_mark") ? "Both readings fit. Check this." : undefined}
            >
              {(p) => (
                <Select
                  {...p}
                  value={reading.decimal_mark}
                  onChange={(e) => read({ decimal_mark: e.target.value as Reading["decimal_mark"] })}
                >
                  <option value=".">1,234.50</option>
                  <option value=",">1.234,50</option>
                </Select>
              )}
            </Field>
          </div>
        </section>
        <div className="min-w-0">
          <Sums check={check} currency={site.currency} />
          {check.bad_count > 0 && <BadRows check={check} />}
          <Sample check={check} reading={reading} />
        </div>
      </div>
    </>
  );
}

function Sums({ check, currency }: { check: Check; currency: string }) {
  if (check.same_file)
    return (
      <p className="border-l-4 border-brick pl-3 text-brick">
        The very same file was taken in on {day(check.same_file.made_at)} as {check.same_file.file_name}. Take that out
        first if you want to read it anew.
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
          ? `${count(check.bad_count)} rows cannot be read, so nothing can be taken in yet`
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

function BadRows({ check }: { check: Check }) {
  return (
    <Scroll label="Rows that cannot be read" className="mt-3 max-h-80">
      <Table
        columns={[
          { key: "line", head: "Line", className: "num", cell: (b) => count(b.line) },
          {
            key: "what-is-wrong",
            head: "What is wrong",
            text: true,
            className: "whitespace-normal text-brick",
            cell: (b) => b.message,
          },
          {
            key: "the-row",
            head: "The row",
            text: true,
            className: "max-w-96",
            cell: (b) => <bdi className="num block truncate text-quiet">{b.cells.join(" · ")}</bdi>,
          },
        ]}
        rows={check.bad}
        rowKey={(b) => b.line}
      />
      {check.bad_count > check.bad.length && (
        <p className="p-2 text-quiet">
          and {count(check.bad_count - check.bad.length)} more. Correct the file or how it is read, and check again.
        </p>
      )}
    </Scroll>
  );
}

function Sample({ check, reading }: { check: Check; reading: Reading }) {
  const used = new Map(FIELDS.map(([name, text]) => [reading.columns[name], text]));
  return (
    <>
      <h2 className="mt-5 mb-2 text-lead">The first rows</h2>
      <Scroll label="First rows" className="max-h-[50vh]">
        <Table<[line: number, cells: string[]]>
          rows={check.sample.map((cells, line) => [line, cells])}
          rowKey={([line]) => line}
          columns={check.head.map((head, place) => ({
            key: String(place),
            head: (
              <>
                <span className={cx("block", used.has(place) && "font-semibold text-ink")}>
                  {used.get(place) ?? "not used"}
                </span>
                <bdi>{head}</bdi>
              </>
            ),
            text: true,
            className: cx("num max-w-56 truncate", !used.has(place) && "text-quiet"),
            cell: ([, cells]) => <bdi>{cells[place]}</bdi>,
          }))}
        />
      </Scroll>
    </>
  );
}
