/** Columns of one's own: shown, made and taken away. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, data, type Schemas } from "../../api/client";
import { scaleEnd } from "../../charts/scale";
import { Button, Field, FormProblem, fieldError, Input, Select, TextButton } from "../../components/ui";
import { count, percent } from "../../lib/format";
import { makeStale } from "../../lib/stale";
import { offerUndo } from "../../lib/undo";
import { type Column, type Measured, Plain, Rate, Scaled } from "./columns";

export type OwnColumn = Schemas["OwnColumnOut"];
type Measure = OwnColumn["numerator"];

export const MEASURES: Record<Measure, string> = {
  entries: "entries",
  views: "views of the page",
  begun_views: "views in visits that began here",
  bounces: "bounces",
  exits: "exits",
  visitors: "visitors",
  new_visitors: "new visitors",
  converted: "visits that converted",
  conversions: "conversions",
  revenue: "revenue",
  spend: "spend",
  profit: "profit",
  impressions: "impressions",
  clicks: "clicks",
};
/** Those that a report can do without: they are counted only where they are asked for. */
const DISTINCT: Measure[] = ["visitors", "new_visitors"];

export const needsDistinct = (own: OwnColumn[], shown: { key: string }[]) =>
  own.some(
    (c) => shown.some((s) => s.key === `own:${c.id}`) && DISTINCT.some((d) => d === c.numerator || d === c.denominator),
  );

const digits = (value: number) =>
  Math.abs(value) >= 100 ? count(value) : value.toFixed(Math.abs(value) >= 10 ? 1 : 2);

/** The site's own columns as any report shows them. */
export const ownColumns = <R extends Measured>(own: OwnColumn[], rows: R[]): Column<R>[] =>
  own.map((c) => {
    const of = (row: R | undefined) => row?.own[c.id];
    const end = Math.min(c.share ? 1 : Number.POSITIVE_INFINITY, scaleEnd(rows.map((r) => of(r)?.estimate)));
    const mark = c.mark && c.mark_at != null ? `${c.mark} ${Number(c.mark_at)}` : "";
    return {
      key: `own:${c.id}`,
      name: `${c.name}: ${MEASURES[c.numerator]} / ${MEASURES[c.denominator]}`,
      optional: true,
      head: () => <Scaled of={c.name} to={c.share ? percent(end, end < 0.1 ? 1 : 0) : digits(end)} />,
      order: (row, down) => {
        const value = of(row);
        return value ? ((down ? value.low : value.high) ?? value.estimate) : null;
      },
      cell: (row, frame) => {
        const value = of(row);
        if (!value) return <span className="text-quiet">–</span>;
        const was = of(frame.was(row));
        const marked = value.marked && (
          <span className="block text-mark leading-tight font-semibold text-brick">{mark}</span>
        );
        return (
          <>
            {value.low == null && value.high == null ? (
              <Plain now={digits(value.estimate)} was={was && digits(was.estimate)} />
            ) : (
              <Rate
                rate={{ low: value.low, estimate: value.estimate, high: value.high }}
                was={was && { low: was.low, estimate: was.estimate, high: was.high }}
                end={end}
                of={`${MEASURES[c.numerator]} over ${MEASURES[c.denominator]}`}
                width={frame.bars ?? 46}
                written={c.share ? undefined : digits}
              />
            )}
            {marked}
          </>
        );
      },
    };
  });

export function MakeColumn({ siteId, own, made }: { siteId: number; own: OwnColumn[]; made: (id: number) => void }) {
  const queries = useQueryClient();
  const [open, setOpen] = useState(false);
  const [said, setSaid] = useState({
    name: "",
    numerator: "entries" as Measure,
    denominator: "clicks" as Measure,
    mark: "" as OwnColumn["mark"],
    mark_at: "",
  });
  const again = () => makeStale(queries, siteId, "pages", "sources", "lens");
  const make = useMutation({
    mutationFn: () =>
      data(
        client.POST("/api/sites/{site_id}/columns", {
          params: { path: { site_id: siteId } },
          body: { ...said, mark_at: said.mark && said.mark_at ? said.mark_at : null },
        }),
      ),
    onSuccess: async (column) => {
      await again();
      setOpen(false);
      setSaid((now) => ({ ...now, name: "" }));
      made(column.id);
    },
  });
  const remove = useMutation({
    mutationFn: (id: number) =>
      data(
        client.DELETE("/api/sites/{site_id}/columns/{column_id}", {
          params: { path: { site_id: siteId, column_id: id } },
        }),
      ),
    onSuccess: (_, id) =>
      offerUndo(queries, {
        siteId,
        kind: "column",
        id,
        says: "The column is deleted, for everybody in the workspace.",
        lists: ["lens", "pages", "sources"],
      }),
    onSettled: again,
  });
  const choices = Object.entries(MEASURES).map(([value, text]) => (
    <option key={value} value={value}>
      {text}
    </option>
  ));
  if (!open)
    return (
      <div className="mt-2 flex flex-col items-start gap-1 border-t pt-2">
        <TextButton onClick={() => setOpen(true)}>A column of your own</TextButton>
        {own.map((c) => (
          <span key={c.id} className="flex w-full items-baseline justify-between gap-2 text-small text-quiet">
            <bdi className="truncate">{c.name}</bdi>
            <TextButton aria-label={`Delete the column ${c.name}`} onClick={() => remove.mutate(c.id)}>
              delete
            </TextButton>
          </span>
        ))}
      </div>
    );
  return (
    <form
      className="mt-2 flex flex-col gap-2 border-t pt-3"
      onSubmit={(event) => {
        event.preventDefault();
        make.mutate();
      }}
    >
      <Field label="Name of the column" error={fieldError(make.error, "name")}>
        {(p) => (
          <Input {...p} value={said.name} maxLength={40} onChange={(e) => setSaid({ ...said, name: e.target.value })} />
        )}
      </Field>
      <Field label="Shows" error={fieldError(make.error, "numerator")}>
        {(p) => (
          <Select
            {...p}
            value={said.numerator}
            onChange={(e) => setSaid({ ...said, numerator: e.target.value as Measure })}
          >
            {choices}
          </Select>
        )}
      </Field>
      <Field label="over" error={fieldError(make.error, "denominator")}>
        {(p) => (
          <Select
            {...p}
            value={said.denominator}
            onChange={(e) => setSaid({ ...said, denominator: e.target.value as Measure })}
          >
            {choices}
          </Select>
        )}
      </Field>
      <Field
        label="Marked where it is"
        error={fieldError(make.error, "mark_at")}
        hint="Only where the evidence says so: all of its interval."
      >
        {(p) => (
          <span className="flex gap-2">
            <Select
              {...p}
              value={said.mark}
              onChange={(e) => setSaid({ ...said, mark: e.target.value as OwnColumn["mark"] })}
            >
              <option value="">never</option>
              <option value="under">under</option>
              <option value="over">over</option>
            </Select>
            {said.mark && (
              <Input
                aria-label="The number"
                inputMode="decimal"
                value={said.mark_at}
                onChange={(e) => setSaid({ ...said, mark_at: e.target.value.replace(",", ".") })}
              />
            )}
          </span>
        )}
      </Field>
      <FormProblem problem={make.error} fields={["name", "numerator", "denominator", "mark_at"]} />
      <div className="flex gap-2">
        <Button type="submit" kind="main" disabled={make.isPending}>
          Make it
        </Button>
        <Button onClick={() => setOpen(false)}>Not now</Button>
      </div>
    </form>
  );
}
