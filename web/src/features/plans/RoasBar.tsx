/** A return on ad spend with its limits, against break-even. */
import { SpreadBar, scaleEnd } from "../../charts/SpreadBar";
import { times } from "../../lib/format";
import type { Part } from "./queries";

type Row = Pick<Part, "roas" | "roas_interval">;

/** The end of a scale for all of these; beyond 12 there is nothing more to be told apart. */
export const roasEnd = (rows: Row[]) =>
  scaleEnd(rows.map((p) => Math.min(p.roas_interval?.high ?? Number(p.roas ?? 0), 12)));

interface Props {
  roas: Row["roas"];
  interval: Row["roas_interval"];
  end: number;
  breakEven?: number;
  thin?: boolean;
}

export function RoasBar({ roas, interval, end, breakEven, thin }: Props) {
  const { low, high } = interval ?? {};
  const pays = breakEven !== undefined && low != null && low > breakEven;
  const loses = breakEven !== undefined && high != null && high < breakEven;
  return (
    <span className="inline-flex items-center gap-2">
      {times(roas)}
      <SpreadBar
        low={low}
        estimate={roas == null ? null : Number(roas)}
        high={high}
        max={end}
        thin={thin}
        width={64}
        tone={pays ? "fern" : loses ? "brick" : "ink"}
        label={interval ? `${times(low)} to ${high == null ? "no end" : times(high)}` : "no limits yet"}
      />
    </span>
  );
}
