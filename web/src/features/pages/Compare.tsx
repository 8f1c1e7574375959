/** Two landing pages side by side, the difference with its interval, and one sentence. */
import { useQuery } from "@tanstack/react-query";
import type { Schemas } from "../../api/client";
import { Failed, Loading } from "../../components/ui";
import { count, per100, percent, plural, pValue, signed } from "../../lib/format";
import type { Lens } from "../../lib/lens";
import type { Frame } from "./columns";
import { compareQuery } from "./queries";
import { pageName, SideBySide } from "./SideBySide";

type Comparison = Schemas["ComparisonOut"];

interface Props {
  siteId: number;
  lens: Lens;
  a: number;
  b: number;
  frame: Frame;
}

export function Compare({ siteId, lens, a, b, frame }: Props) {
  const compared = useQuery(compareQuery(siteId, lens, a, b));
  if (compared.isPending) return <Loading what="both pages" />;
  if (compared.isError) return <Failed error={compared.error} retry={compared.refetch} />;
  const found = compared.data;
  return (
    <>
      <Sentence found={found} many={plural(frame.read.conversion?.category)} />
      <SideBySide siteId={siteId} rows={[found.a, found.b]} currency={frame.read.currency} />
      <h3 className="mt-4 mb-1 text-lead">The difference</h3>
      <Difference found={found} />
      <h3 className="mt-4 mb-1 text-lead">With the same traffic on both</h3>
      <Fair found={found} />
      <p className="mt-4 text-small text-quiet">
        Nobody drew lots for who lands where, so other things may differ too. A split test settles it.
      </p>
    </>
  );
}

function Sentence({ found, many }: { found: Comparison; many: string }) {
  const d = found.difference;
  if (!d || d.low == null || d.high == null)
    return <p className="mb-3">One of the two has no visits under this lens.</p>;
  const better = d.low > 0 ? found.b : d.high < 0 ? found.a : null;
  const other = better === found.b ? found.a : found.b;
  if (!better)
    return (
      <p className="mb-3 text-lead">
        <strong>These visits do not tell the two apart.</strong> {pageName(found.b)} may bring anything from{" "}
        {signed(d.low * 100)} to {signed(d.high * 100)} {many} per 100 visits against {pageName(found.a)}.
      </p>
    );
  const [low, high] = d.low > 0 ? [d.low, d.high] : [-d.high, -d.low];
  return (
    <p className="mb-3 text-lead">
      {pageName(better)}{" "}
      <strong className="text-fern">
        brings {per100(low)} to {per100(high)} more {many} per 100 visits
      </strong>{" "}
      than {pageName(other)}.
    </p>
  );
}

function Difference({ found }: { found: Comparison }) {
  const [d, r] = [found.difference, found.ratio];
  const points = (v: number | null | undefined) => (v == null ? "–" : signed(v * 100));
  const lift = (v: number | null | undefined) => (v == null ? "no limit" : `${signed((v - 1) * 100, 0)} %`);
  return (
    <dl className="grid grid-cols-[1fr_auto] gap-x-3 gap-y-1">
      <dt>Percentage points, 95 % interval</dt>
      <dd className="num text-right">
        {points(d?.estimate)} ({points(d?.low)} to {points(d?.high)})
      </dd>
      <dt>Relative, 95 % interval</dt>
      <dd className="num text-right">
        {r?.estimate == null ? "–" : lift(r.estimate)} ({lift(r?.low)} to {lift(r?.high)})
      </dd>
      <dt>p-value, {found.method === "score" ? "score test" : "Boschloo’s exact test (few conversions)"}</dt>
      <dd className="num text-right">{pValue(found.p_value)}</dd>
    </dl>
  );
}

function Fair({ found }: { found: Comparison }) {
  const { fair } = found;
  const d = fair.difference;
  if (!d || d.low == null || d.high == null)
    return <p>The two have no source and device in common, so nothing can be evened out.</p>;
  return (
    <>
      <p>
        If both had the same mix of sources and devices, <span className="num">{percent(fair.a_rate)}</span> and{" "}
        <span className="num">{percent(fair.b_rate)}</span> would convert: a difference of{" "}
        <span className="num">{signed((d.estimate ?? 0) * 100)}</span> points ({signed(d.low * 100)} to{" "}
        {signed(d.high * 100)}).
        {fair.reversed && (
          <strong className="block text-marigold">
            That is the opposite of the plain difference: the traffic makes it, not the page.
          </strong>
        )}
        {fair.heterogeneity_p != null && fair.heterogeneity_p < 0.05 && (
          <span className="block">
            It is not the same everywhere (p {pValue(fair.heterogeneity_p)}): look at sources and devices one by one.
          </span>
        )}
      </p>
      <p className="text-small text-quiet">
        {count(fair.strata)} combinations of source and device seen on both: {count(fair.sources)} sources by themselves
        {fair.pooled > 0 &&
          `, and those with under 20 entries on either page taken together in ${count(fair.pooled)} channel${fair.pooled > 1 ? "s" : ""}`}
        .{fair.left_out.length > 0 && ` Seen on one side only and left out: ${fair.left_out.join(", ")}.`}
      </p>
    </>
  );
}
