/** A link while it is written: its address, and what of it would not join later. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { toast } from "sonner";
import { client, data } from "../../api/client";
import { KnownPages } from "../../components/KnownPages";
import { Button, CopyLine, Field, fieldError, Input, TextButton } from "../../components/ui";
import { makeStale } from "../../lib/stale";
import { Code } from "./Code";
import { type LinkIn, lookQuery, type Naming } from "./queries";

const NAMES = {
  source: ["Source", "Where the ad runs."],
  medium: ["Medium", "cpc, display, email …"],
  campaign: ["Campaign", ""],
  ad_group: ["Ad group", ""],
  ad: ["Ad", ""],
} as const;
type Name = keyof typeof NAMES;
const NOTHING: LinkIn = {
  destination: "",
  source: "",
  medium: "cpc",
  campaign: "",
  ad_group: "",
  ad: "",
  sub_ids: {},
};
const SUBS = ["sub1", "sub2", "sub3", "sub4", "sub5"];

export function Builder({ siteId, naming, canEdit }: { siteId: number; naming: Naming; canEdit: boolean }) {
  const queries = useQueryClient();
  const [link, setLink] = useState(NOTHING);
  const [subs, setSubs] = useState(0);
  const asked = useDeferredValue(link);
  const look = useQuery(lookQuery(siteId, asked));
  const keep = useMutation({
    mutationFn: () =>
      data(client.POST("/api/sites/{site_id}/links", { params: { path: { site_id: siteId } }, body: link })),
    onSuccess: () => toast("Kept. What comes through it stands below."),
    onSettled: () => makeStale(queries, siteId, "links"),
  });
  const set = (part: Partial<LinkIn>) => {
    keep.reset();
    setLink({ ...link, ...part });
  };
  const begun = link.destination.trim() !== "";
  // What is still to be written is no error while nothing was.
  const wrong = (name: string) => (begun && link === asked ? fieldError(look.error, name) : undefined);
  return (
    <div className="mt-2 grid grid-cols-[minmax(0,1fr)] items-start gap-6 lg:grid-cols-2">
      <div className="panel grid grid-cols-2 gap-x-3 gap-y-2 p-3 md:grid-cols-3">
        <KnownPages siteId={siteId} />
        <div className="col-span-full">
          <Field label="Leads to" error={wrong("destination")}>
            {(p) => (
              <Input
                {...p}
                list="known-pages"
                className="num"
                placeholder="a page of this site, or https://…"
                value={link.destination}
                onChange={(e) => set({ destination: e.target.value })}
              />
            )}
          </Field>
        </div>
        {(Object.keys(NAMES) as Name[]).map((name) => (
          <Field
            key={name}
            label={NAMES[name][0] + (naming.required.includes(name) ? "" : " (if any)")}
            hint={NAMES[name][1] || undefined}
            error={wrong(name)}
          >
            {(p) => (
              <Input {...p} className="num" value={link[name]} onChange={(e) => set({ [name]: e.target.value })} />
            )}
          </Field>
        ))}
        {SUBS.slice(0, subs).map((sub) => (
          <Field key={sub} label={sub} error={wrong("sub_ids")}>
            {(p) => (
              <Input
                {...p}
                className="num"
                value={link.sub_ids?.[sub] ?? ""}
                onChange={(e) => set({ sub_ids: { ...link.sub_ids, [sub]: e.target.value } })}
              />
            )}
          </Field>
        ))}
        {subs < SUBS.length && (
          <p className="col-span-full">
            <TextButton onClick={() => setSubs(subs + 1)}>One more sub-ID</TextButton>
          </p>
        )}
      </div>
      <div aria-live="polite">
        {!begun && (
          <p className="text-quiet">
            Say where it leads and what it is an ad of. Names are written by this site’s rules:{" "}
            {naming.lower ? "in small letters" : "as given"},{" "}
            {naming.space === " " ? "spaces stay" : `“${naming.space}” for a space`}.
          </p>
        )}
        {begun && look.isError && link === asked && (
          <p className="text-quiet">The link stands here once what is missing on the left is there.</p>
        )}
        {begun && look.data && !look.isError && (
          <div className="flex flex-col gap-3">
            <CopyLine text={look.data.address} label="the link" />
            {look.data.doubts.length ? (
              <ul className="flex flex-col gap-2">
                {look.data.doubts.map((doubt) => (
                  <li key={doubt} className="border-l-4 border-marigold pl-3">
                    {doubt}
                  </li>
                ))}
              </ul>
            ) : (
              <p className="border-l-4 border-fern pl-3">
                Its visits will be seen, and its cost joins them as long as the ad side spells the names the same.
              </p>
            )}
            {canEdit && !keep.data && (
              <div>
                <Button kind="main" disabled={keep.isPending || link !== asked} onClick={() => keep.mutate()}>
                  Keep it
                </Button>
              </div>
            )}
            {keep.isError && (
              <p role="alert" className="text-brick">
                {keep.error.message}
              </p>
            )}
            {keep.data && <Code siteId={siteId} link={keep.data} bare />}
          </div>
        )}
      </div>
    </div>
  );
}
