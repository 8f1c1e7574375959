/** A return on ad spend with its limits, against break-even. */
import { SpreadBar } from "../../charts/SpreadBar";
import { returnScale, type Scale } from "../../charts/scale";
import { times } from "../../lib/format";
import type { Part } from "./queries";

type Row = Pick<Part, "roas" | "roas_interval">;

/** The scale for all of these. */
export const roasScale = (rows: (Row & { thin?: boolean })[], breakEven?: number | null) =>
  returnScale(
    rows.map((p) => ({ estimate: p.roas == null ? null : Number(p.roas), thin: p.thin })),
    breakEven,
  );

interface Props {
  roas: Row["roas"];
  interval: Row["roas_interval"];
  scale: Scale;
  breakEven?: number;
  thin?: boolean;
}

export function RoasBar({ roas, interval, scale, breakEven, thin }: Props) {
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
        scale={scale}
        thin={thin}
        width={64}
        tone={pays ? "fern" : loses ? "brick" : "ink"}
        label={interval ? `${times(low)} to ${high == null ? "no end" : times(high)}` : "no limits yet"}
      />
    </span>
  );
}
