/** The site's key is public: what can be proven, and what has been excluded. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, data, type Schemas } from "../../api/client";
import { Button, CopyLine, Failed, FormProblem, Loading } from "../../components/ui";
import { count, day, hour } from "../../lib/format";
import { makeStale } from "../../lib/stale";
import { exclusionsQuery, proofKeysQuery } from "./queries";
import { useSetAside } from "./useSetAside";

interface Props {
  siteId: number;
  canEdit: boolean;
}

export function Forgery({ siteId, canEdit }: Props) {
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-x-8 gap-y-6 lg:grid-cols-2">
      <Proof siteId={siteId} canEdit={canEdit} />
      <Aside siteId={siteId} canEdit={canEdit} />
    </div>
  );
}

const EXAMPLE = `told = "\\n".join(["BH-1042", "59.9", "EUR"])
proof = hmac.new(KEY.encode(), told.encode(), "sha256")
proof.hexdigest()`;

function Proof({ siteId, canEdit }: Props) {
  const queries = useQueryClient();
  const path = { site_id: siteId };
  const keys = useQuery(proofKeysQuery(siteId));
  const again = () => makeStale(queries, siteId, "proof-keys");
  const make = useMutation({
    mutationFn: () => data(client.POST("/api/sites/{site_id}/proof-keys", { params: { path } })),
    onSettled: again,
  });
  const end = useMutation({
    mutationFn: (id: number) =>
      data(client.DELETE("/api/sites/{site_id}/proof-keys/{key_id}", { params: { path: { ...path, key_id: id } } })),
    onSettled: again,
  });
  return (
    <section aria-labelledby="proof" className="flex flex-col gap-3">
      <h2 id="proof" className="text-title">
        Proven orders
      </h2>
      <p className="text-quiet">
        Anyone who reads your page can send what its tag sends. What nobody can make up is an order that your own server
        has signed. Your page passes the proof on with the order; a conversion can then ask for it.
      </p>
      {keys.isPending && <Loading what="the keys" />}
      {keys.isError && <Failed error={keys.error} retry={keys.refetch} />}
      {keys.data && (
        <ul className="flex flex-col gap-1.5">
          {keys.data.length === 0 && <li>No key yet: no order is proven.</li>}
          {keys.data.map((k) => (
            <li key={k.id} className="flex flex-wrap items-baseline gap-3">
              A key made {hour(k.made_at)} holds.
              {canEdit && (
                <Button kind="against" disabled={end.isPending} onClick={() => end.mutate(k.id)}>
                  End this key
                </Button>
              )}
            </li>
          ))}
        </ul>
      )}
      {make.data?.secret && (
        <div role="status">
          <p className="mb-1 font-medium">This is the key. It is shown only now: keep it on your server.</p>
          <CopyLine text={make.data.secret} label="the key" />
        </div>
      )}
      <FormProblem problem={make.error ?? end.error} fields={[]} />
      {canEdit && (
        <Button className="self-start" disabled={make.isPending} onClick={() => make.mutate()}>
          {keys.data?.length ? "Make a second key" : "Make a key"}
        </Button>
      )}
      <div>
        <p className="mb-1 font-medium">On your server, for example in Python</p>
        <pre className="num overflow-x-auto rounded-box border bg-surface px-3 py-2 text-small">{EXAMPLE}</pre>
        <p className="mt-2 mb-1 font-medium">On the page</p>
        <CopyLine
          text={`clabo.mark("order", {order: "BH-1042", value: 59.9, currency: "EUR", proof: "…"})`}
          label="the call on the page"
        />
        <p className="mt-1 text-small text-quiet">
          The value is written plainly, without trailing noughts; what is missing is an empty line. Two keys hold at a
          time, so that one can replace the other without a gap.
        </p>
      </div>
    </section>
  );
}

type Exclusion = Schemas["ExclusionOut"];

function what(e: Exclusion) {
  if (e.what === "network") return `Network ${e.network.slice(0, 6)}`;
  if (e.what === "visitor") return `Visitor ${e.visitor}`;
  return `Everything from ${hour(e.from_at)} to ${hour(e.until_at)}`;
}

function Aside({ siteId, canEdit }: Props) {
  const list = useQuery(exclusionsQuery(siteId));
  const { back } = useSetAside(siteId);
  return (
    <section aria-labelledby="aside" className="flex flex-col gap-3">
      <h2 id="aside" className="text-title">
        Excluded
      </h2>
      <p className="text-quiet">
        Networks, visitors and periods that are in no report. Their hits are kept and shown in Live. Included again,
        they count again as if nothing had been. Today proposes what looks forged. Exclude a visitor from Live.
      </p>
      {list.isPending && <Loading what="what is excluded" />}
      {list.isError && <Failed error={list.error} retry={list.refetch} />}
      {list.data?.length === 0 && <p>Nothing is excluded.</p>}
      <ul className="flex flex-col gap-2">
        {list.data?.map((e) => (
          <li key={e.id} className="flex flex-wrap items-baseline justify-between gap-3 border-b pb-2">
            <span>
              <span className="font-medium">{what(e)}</span>
              <span className="block text-small text-quiet">
                {e.visits == null ? "being excluded …" : `${count(e.visits)} visits`}; excluded {day(e.made_at)}
                {e.made_by && ` by ${e.made_by}`}
              </span>
            </span>
            {canEdit && (
              <Button disabled={back.isPending} onClick={() => back.mutate(e.id)}>
                Include again
              </Button>
            )}
          </li>
        ))}
      </ul>
      <FormProblem problem={back.error} fields={[]} />
    </section>
  );
}
