/** One visitor: found, what they did, and how they stand with every audience. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { digest } from "../../../../tag/src/identity";
import { client, data, type Schemas } from "../../api/client";
import { Button, cx, Failed, Field, fieldError, Input, Loading, TextButton } from "../../components/ui";
import { ago, count, day, hour } from "../../lib/format";
import { useSite } from "../../lib/session";
import { makeStale, REPORTS } from "../../lib/stale";
import { foundQuery, visitorQuery } from "./queries";

export function Person({ siteId, shownFirst }: { siteId: number; shownFirst?: number }) {
  const [text, setText] = useState("");
  const [find, setFind] = useState("");
  const [visitor, setVisitor] = useState(shownFirst);
  const found = useQuery(foundQuery(siteId, find));
  const only = found.data?.length === 1 ? found.data[0]?.visitor : undefined;
  const shown = visitor ?? only;
  return (
    <div className="flex flex-col gap-5">
      <form
        className="flex max-w-xl items-start gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          setVisitor(undefined);
          setFind(text.includes("@") ? (digest("email", text) ?? text) : text);
        }}
      >
        <div className="flex-1">
          <Field
            label="Find a visitor"
            hint="By an order number, an e-mail address (hashed here, never sent), or the beginning of a visitor's id (six characters or more); Live shows both."
            error={fieldError(found.error, "find")}
          >
            {(p) => (
              <Input
                {...p}
                className="num"
                value={text}
                onChange={(e) => setText(e.target.value)}
                placeholder="BH-1042"
              />
            )}
          </Field>
        </div>
        <Button type="submit" className="mt-[26px]">
          Find
        </Button>
      </form>
      {find && found.data?.length === 0 && (
        <p>Nobody is known by that. Ids are hexadecimal; an order number is written as the site sends it.</p>
      )}
      {(found.data?.length ?? 0) > 1 && (
        <ul className="max-w-xl">
          {found.data?.map((v) => (
            <li key={v.visitor} className="flex items-baseline gap-4 border-b py-1.5">
              <TextButton onClick={() => setVisitor(v.visitor)} className="num">
                {v.key.slice(0, 12)}
              </TextButton>
              <span className="text-quiet">
                {count(v.visits)} {v.visits === 1 ? "visit" : "visits"}, last seen {ago(v.last_at)}
              </span>
            </li>
          ))}
        </ul>
      )}
      {shown && <Known siteId={siteId} visitorId={shown} hold={() => setVisitor(shown)} />}
    </div>
  );
}

interface KnownProps {
  siteId: number;
  visitorId: number;
  /** Called where what is done would make others be found as well. */
  hold: () => void;
}

function Known({ siteId, visitorId, hold }: KnownProps) {
  const known = useQuery(visitorQuery(siteId, visitorId));
  if (known.isPending) return <Loading what="what they did" />;
  if (known.isError) return <Failed error={known.error} retry={known.refetch} />;
  const { key, first_at, last_at, visits, history, more, audiences } = known.data;
  return (
    <section aria-label={`Visitor ${key.slice(0, 6)}`}>
      <h2 className="text-title">
        Visitor <span className="num">{key.slice(0, 12)}</span>
      </h2>
      <p className="text-quiet">
        {count(visits)} {visits === 1 ? "visit" : "visits"}, from {hour(first_at)} to {hour(last_at)}.
      </p>
      <Together siteId={siteId} known={known.data} hold={hold} />
      <Forget siteId={siteId} visitorId={visitorId} />
      <div className="mt-3 grid gap-8 lg:grid-cols-2">
        <div>
          <h3 className="text-lead">In these audiences, and why</h3>
          {audiences.map((a) => (
            <details key={a.audience} open={a.member} className="border-b py-2">
              <summary>
                <span className={cx("mr-2 inline-block w-14", a.member ? "font-semibold text-fern" : "text-quiet")}>
                  {a.member ? "in" : "not in"}
                </span>
                {a.name}
              </summary>
              <ul className="mt-1 ml-14 flex flex-col gap-1 border-l pl-3">
                {a.lines.map((line, place) => (
                  // biome-ignore lint/suspicious/noArrayIndexKey: a definition's lines have no identity but their place.
                  <li key={place} className="text-small">
                    <span className={line.met === line.excluded ? "text-brick" : ""}>
                      {line.excluded && "left out if: "}
                      {line.says} {line.when}
                    </span>
                    : <strong>{line.met ? "yes" : line.times ? `${line.times} of ${line.asked} times` : "no"}</strong>
                    {line.by && (
                      <span className="text-quiet">
                        {", "}
                        {line.met ? "" : "last "}
                        {hour(line.by)}
                      </span>
                    )}
                    {line.until && <span className="text-quiet">, until {day(line.until)}</span>}
                  </li>
                ))}
              </ul>
            </details>
          ))}
          {!audiences.length && <p className="text-quiet">There is no audience yet.</p>}
        </div>
        <div>
          <h3 className="text-lead">What they did, the newest first</h3>
          <ol>
            {history.map((h, place) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: two things may happen in the same moment.
              <li key={place} className="grid grid-cols-[124px_84px_minmax(0,1fr)] gap-2 border-b py-1 text-small">
                <span className="num text-quiet">{hour(h.at)}</span>
                <span>{h.what}</span>
                <span className="break-words">{h.where}</span>
              </li>
            ))}
          </ol>
          {more > 0 && <p className="mt-2 text-quiet">and {count(more)} before that.</p>}
        </div>
      </div>
    </section>
  );
}

const STATED = { email: "e-mail address", id: "customer id" };

/** Which browsers are theirs, by what was stated in them; and taking them apart. */
function Together({ siteId, known, hold }: { siteId: number; known: Schemas["VisitorOut"]; hold: () => void }) {
  const site = useSite(siteId);
  const queries = useQueryClient();
  const turn = useMutation({
    mutationFn: ({ identity, off }: { identity: number; off: boolean }) =>
      data(
        client.PUT("/api/sites/{site_id}/identities/{identity_id}", {
          params: { path: { site_id: siteId, identity_id: identity } },
          body: { off },
        }),
      ),
    onSuccess: async () => {
      hold();
      await makeStale(queries, siteId, "visitors", "audiences", "conversions", ...REPORTS);
    },
    onError: (error) => toast(error.message),
  });
  if (!known.identities.length) return null;
  return (
    <div className="mt-2">
      {known.browsers.length > 1 && (
        <p>
          {known.browsers.length} browsers are theirs:{" "}
          <span className="num">{known.browsers.map((key) => key.slice(0, 6)).join(", ")}</span>. Their visits are
          counted as one person's.
        </p>
      )}
      <ul>
        {known.identities.map((i) => (
          <li key={i.identity} className="flex flex-wrap items-baseline gap-x-3">
            <span>
              A page has stated the {STATED[i.kind]} <span className="num">{i.hash.slice(0, 12)}…</span>
              {i.browsers > 1 && ` in ${count(i.browsers)} browsers`}
              {i.browsers > i.most && `, which is more than ${i.most}: it joins none of them`}
              {i.off && ", which joins nobody because a colleague said so"}.
            </span>
            {site.canEdit && i.browsers > 1 && i.browsers <= i.most && (
              <TextButton
                className="text-small"
                disabled={turn.isPending}
                onClick={() => turn.mutate({ identity: i.identity, off: !i.off })}
              >
                {i.off ? "Join them again" : "Take them apart"}
              </TextButton>
            )}
          </li>
        ))}
      </ul>
    </div>
  );
}

/** Everything that is kept of somebody, removed; asked twice, for it cannot be undone. */
function Forget({ siteId, visitorId }: { siteId: number; visitorId: number }) {
  const site = useSite(siteId);
  const queries = useQueryClient();
  const [asked, setAsked] = useState(false);
  const forget = useMutation({
    mutationFn: () =>
      data(
        client.POST("/api/sites/{site_id}/visitors/{visitor_id}/forget", {
          params: { path: { site_id: siteId, visitor_id: visitorId } },
        }),
      ),
    onSuccess: async (removed) => {
      toast(
        `Forgotten: ${count(removed.events)} events, ${count(removed.visits)} visits, ${count(removed.conversions)} conversions, ${count(removed.exposures)} exposures, ${count(removed.identities)} identities and ${count(removed.entries)} entries in lists. Reports are what they would be without them.`,
      );
      await makeStale(queries, siteId, "visitors", "audiences", "conversions", ...REPORTS);
    },
    onError: (error) => toast(error.message),
  });
  if (site.role !== "owner") return null;
  return asked ? (
    <p className="mt-2 flex flex-wrap items-center gap-3">
      All events, visits, conversions, exposures, identities and entries in lists go, for good.
      <Button kind="against" disabled={forget.isPending} onClick={() => forget.mutate()}>
        Forget them
      </Button>
      <TextButton onClick={() => setAsked(false)}>Keep them</TextButton>
    </p>
  ) : (
    <TextButton className="mt-1 text-small" onClick={() => setAsked(true)}>
      Forget this person …
    </TextButton>
  );
}
