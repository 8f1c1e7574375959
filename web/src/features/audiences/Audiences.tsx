/** Audiences: who they are, how many, how that moves; how they overlap; and one person. */
import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { useState } from "react";
import { type ListColumn, ListTable } from "../../components/ListTable";
import { Tabs } from "../../components/Tabs";
import { Button, cx, Empty, Failed, Head, Loading } from "../../components/ui";
import { count } from "../../lib/format";
import { useSite } from "../../lib/session";
import { useSiteId } from "../../lib/useSiteId";
import { type AudienceUse, usesQuery } from "../channels/queries";
import { WhoIsThere } from "../channels/Standing";
import { ENOUGH, Moved } from "./enough";
import { Lists } from "./Lists";
import type { Audience } from "./model";
import { Overlap } from "./Overlap";
import { Person } from "./Person";
import { audiencesQuery } from "./queries";

const TABS = { all: "Audiences", overlap: "Overlap", person: "One person", lists: "Lists" };

export default function Audiences() {
  const siteId = useSiteId();
  const site = useSite(siteId);
  const navigate = useNavigate();
  const { visitor } = useSearch({ strict: false }) as { visitor?: number };
  const [tab, setTab] = useState<keyof typeof TABS>(visitor ? "person" : "all");
  const audiences = useQuery(audiencesQuery(siteId));
  const uses = useQuery(usesQuery(siteId));
  const params = (audienceId: string) => ({ siteId: String(siteId), audienceId });
  const make = () => navigate({ to: "/s/$siteId/audiences/$audienceId", params: params("new") });
  const columns: ListColumn<Audience>[] = [
    {
      key: "name",
      head: "Audience",
      text: true,
      order: (a) => a.name,
      className: "whitespace-normal!",
      cell: (a) => (
        <>
          <Link
            to="/s/$siteId/audiences/$audienceId"
            params={params(String(a.id))}
            className="font-semibold text-plum underline decoration-line underline-offset-4 hover:decoration-plum"
          >
            {a.name}
          </Link>
          <div className="max-w-2xl text-small text-quiet">{a.sentence}</div>
        </>
      ),
    },
    {
      key: "people",
      head: "People now",
      hint: "Exact, as of this moment. Own visits, bots and excluded hits are in no audience.",
      cell: (a) => <span className="num font-semibold">{count(a.people)}</span>,
      order: (a) => a.people,
    },
    { key: "week", head: "In a week", hint: "Against the end of the day a week ago.", cell: (a) => <Moved of={a} /> },
    {
      key: "enough",
      head: "To advertise to",
      text: true,
      cell: (a) => <span className={cx("whitespace-nowrap", ENOUGH[a.enough].tone)}>{ENOUGH[a.enough].says}</span>,
    },
    {
      key: "used",
      head: "Used by",
      text: true,
      className: "whitespace-normal!",
      cell: (a) => <UsedBy audience={a} uses={uses.data?.filter((use) => use.audience === a.id) ?? []} />,
    },
  ];
  return (
    <>
      <Head
        title="Audiences"
        lead="People described by what they did and did not do; counted exactly while you describe them."
        actions={
          site.canEdit && (
            <Button kind="main" onClick={make}>
              New audience
            </Button>
          )
        }
      />
      <Tabs label="Audiences" tabs={TABS} chosen={tab} choose={setTab}>
        <div className="mt-4">
          {tab === "lists" ? (
            <Lists siteId={siteId} />
          ) : tab === "person" ? (
            <Person siteId={siteId} shownFirst={visitor} />
          ) : audiences.isPending ? (
            <Loading what="audiences" />
          ) : audiences.isError ? (
            <Failed error={audiences.error} retry={audiences.refetch} />
          ) : tab === "overlap" ? (
            <Overlap siteId={siteId} audiences={audiences.data} />
          ) : audiences.data.length ? (
            <ListTable
              of="audiences"
              columns={columns}
              rows={audiences.data}
              rowKey={(a) => a.id}
              says={(a) => [a.name, a.sentence, ...a.used_by].join("\n")}
            />
          ) : (
            <Empty title="No audience yet">
              <p>Say who is meant, for example people who saw a page in the last three weeks and did not order.</p>
              {site.canEdit && (
                <Button kind="main" onClick={make}>
                  New audience
                </Button>
              )}
            </Empty>
          )}
        </div>
      </Tabs>
    </>
  );
}

function UsedBy({ audience, uses }: { audience: Audience; uses: AudienceUse[] }) {
  return (
    <div className="text-small text-quiet">
      {uses.map((use) => (
        <div key={use.id}>
          <span className="text-ink">{use.channel_name}</span>: <WhoIsThere use={use} />
        </div>
      ))}
      {audience.used_by.join(", ")}
      {!uses.length && !audience.used_by.length && "nothing yet"}
    </div>
  );
}
