/** A path's steps as columns: of the visits that entered on a page, how many got so far. */
import type { Schemas } from "../../api/client";
import { scaleEnd } from "../../charts/scale";
import { count, percent } from "../../lib/format";
import { bound, Rate } from "../report/columns";
import type { AnyRow, Column, Row } from "./columns";

export const stepColumns = ({ says, briefly }: Schemas["AlongOut"], rows: Row[]): Column[] =>
  says.map((step, place) => {
    const rate = (r: AnyRow | undefined) => r?.steps[place]?.rate ?? null;
    const end = Math.min(1, scaleEnd(rows.map((r) => (r.thin ? rate(r)?.estimate : rate(r)?.high))));
    const before = (r: AnyRow) => (place ? (r.steps[place - 1]?.reached ?? 0) : r.entries);
    return {
      key: `step:${place}`,
      name: step,
      brief: `to ${briefly[place]}`,
      head: () => (
        <span className="inline-block max-w-36 whitespace-normal" title={step}>
          {place ? "then " : ""}
          {step}
          <br />
          <span className="num text-mark">0 – {percent(end, end < 0.1 ? 1 : 0)}</span>
        </span>
      ),
      order: (r, down) => bound(rate(r), down),
      cell: (r, f) => (
        <Rate
          rate={rate(r)}
          was={rate(f.was(r))}
          end={end}
          of={`${count(r.steps[place]?.reached)} of ${count(before(r))} ${place ? "at the step before" : "entries"}`}
          width={f.bars ?? 46}
        />
      ),
    };
  });
