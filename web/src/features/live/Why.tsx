/** One hit against every conversion: which conditions it meets, and what differs where it does not. */
import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { Check, X } from "lucide-react";
import type { Schemas } from "../../api/client";
import { Button, Failed, Loading } from "../../components/ui";
import { clock, words } from "../../lib/format";
import { useSite } from "../../lib/session";
import { visitorQuery } from "../audiences/queries";
import { useSetAside } from "../pixel/useSetAside";
import { happened, STANDINGS } from "./Hits";
import { whyQuery } from "./queries";
import type { Hit } from "./useLive";

type Reason = Schemas["WhyOut"];

export function Why({ siteId, hit }: { siteId: number; hit: Hit }) {
  const why = useQuery(whyQuery(siteId, hit.id));
  const told = Object.entries(hit.properties).filter(([key]) => key !== "reached");
  return (
    <div className="flex flex-col gap-4">
      <div>
        <bdi className="num block break-all">
          {hit.path}
          {hit.query && <span className="text-quiet">?{hit.query}</span>}
        </bdi>
        <bdi className="block">{happened(hit)}</bdi>
        <span className="text-quiet">
          at {clock(hit.time)}, visitor <span className="num">{hit.visitor}</span>,{" "}
          {hit.visit_number == null ? "no visit known" : `visit ${hit.visit_number}, page ${hit.views} of it`}
        </span>
        {hit.proven && <span className="block text-fern">Its order is signed by the site’s own server.</span>}
        <SetAside siteId={siteId} hit={hit} />
        <InAudiences siteId={siteId} hit={hit} />
        {STANDINGS[hit.standing] && <span className="block font-medium text-marigold">{STANDINGS[hit.standing]}</span>}
        {hit.element?.fields && hit.element.fields.length > 0 && (
          <span className="block text-quiet">
            its fields: <bdi>{hit.element.fields.join(", ")}</bdi>
          </span>
        )}
        {told.length > 0 && (
          <dl className="num mt-1 grid grid-cols-[auto_1fr] gap-x-3">
            {told.map(([key, value]) => (
              <div key={key} className="contents">
                <dt className="text-quiet">{key}</dt>
                <dd className="break-all">{String(value)}</dd>
              </div>
            ))}
          </dl>
        )}
      </div>
      {why.isPending && <Loading what="the reasons" />}
      {why.isError && <Failed error={why.error} retry={why.refetch} />}
      {why.data?.length === 0 && <p className="text-quiet">Nothing counts as a conversion on this site yet.</p>}
      {why.data?.map((reason) => (
        <Rule key={reason.rule} reason={reason} standing={hit.standing} />
      ))}
    </div>
  );
}

/** Where the visitor of a hit belongs by now. */
function InAudiences({ siteId, hit }: { siteId: number; hit: Hit }) {
  const known = useQuery(visitorQuery(siteId, hit.visitor_id));
  const member = known.data?.audiences.filter((a) => a.member) ?? [];
  if (!known.data?.audiences.length) return null;
  return (
    <span className="block">
      {member.length ? "In these audiences: " : "In no audience. "}
      {member.map((a, place) => (
        <span key={a.audience}>
          {place > 0 && ", "}
          {a.name}
        </span>
      ))}
      {member.length > 0 && ". "}
      <Link
        to="/s/$siteId/audiences"
        params={{ siteId: String(siteId) }}
        search={{ visitor: hit.visitor_id }}
        className="text-plum underline"
      >
        Why
      </Link>
    </span>
  );
}

/** The visitor of a hit can be taken out of all reports, and put back. */
function SetAside({ siteId, hit }: { siteId: number; hit: Hit }) {
  const site = useSite(siteId);
  const { aside } = useSetAside(siteId);
  if (!site.canEdit || hit.standing !== "counted") return null;
  return (
    <Button
      kind="quiet"
      disabled={aside.isPending || aside.isSuccess}
      onClick={() =>
        aside.mutate({
          what: { what: "visitor", network: "", visitor_id: hit.visitor_id },
          says: `Visitor ${hit.visitor} stands in no report within seconds; Pixel lists it.`,
        })
      }
    >
      Exclude this visitor
    </Button>
  );
}

function Rule({ reason, standing }: { reason: Reason; standing: Hit["standing"] }) {
  return (
    <section aria-label={words(reason.name)} className="border-t pt-2">
      <h3 className="text-lead">
        {words(reason.name)}:{" "}
        {reason.met ? (
          <span className="text-fern">
            {reason.counted
              ? standing === "counted"
                ? "met and counted"
                : "met, left out of reports"
              : "met, counted before"}
          </span>
        ) : (
          <span>not met</span>
        )}
      </h3>
      <ul className="mt-1 flex flex-col gap-1">
        {reason.checks.map((check) => (
          <li key={check.reading} className="flex gap-2">
            {check.why_not ? (
              <X className="mt-0.5 size-4 shrink-0 text-brick" role="img" aria-label="not met" />
            ) : (
              <Check className="mt-0.5 size-4 shrink-0 text-fern" role="img" aria-label="met" />
            )}
            <bdi className="min-w-0 break-words">{check.why_not || check.reading}</bdi>
          </li>
        ))}
      </ul>
    </section>
  );
}
