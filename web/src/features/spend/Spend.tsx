import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate, useSearch } from "@tanstack/react-router";
import { type ReactNode, useRef, useState } from "react";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { Scroll } from "../../components/Scroll";
import { useSimulated } from "../../components/Simulated";
import { Table } from "../../components/Table";
import { Tabs } from "../../components/Tabs";
import { Button, cx, Empty, Failed, FormProblem, Head, Loading } from "../../components/ui";
import { count, day, money } from "../../lib/format";
import { useSite } from "../../lib/session";
import { makeStale, REPORTS } from "../../lib/stale";
import { upload } from "../../lib/upload";
import { useSiteId } from "../../lib/useSiteId";
import { Channels } from "../channels/Channels";
import { Links } from "../links/Links";
import { Budgets } from "./Budgets";
import { CheckFile } from "./CheckFile";
import { spendQuery } from "./queries";

type State = Schemas["SpendOut"];
type Import = Schemas["ImportOut"];
type Check = Schemas["CheckOut"];

const PARTS = { spent: "What was spent", budgets: "Budgets", channels: "Channels", links: "Links" };
export type SpendPart = keyof typeof PARTS;

export default function Spend() {
  const siteId = useSiteId();
  const navigate = useNavigate();
  const { part = "spent" } = useSearch({ strict: false }) as { part?: SpendPart };
  const parts = (
    <Tabs
      label="Parts of spend"
      tabs={PARTS}
      chosen={part}
      choose={(chosen) => navigate({ to: ".", search: chosen === "spent" ? {} : { part: chosen } })}
    >
      {part === "budgets" && <Budgets siteId={siteId} />}
      {part === "channels" && <Channels siteId={siteId} />}
      {part === "links" && <Links siteId={siteId} />}
    </Tabs>
  );
  if (part === "spent") return <Spent parts={parts} />;
  return (
    <>
      <Head
        title="Spend"
        lead={
          part === "budgets"
            ? "What a month of ads may cost, and what this one should come to."
            : part === "channels"
              ? "Where the ads run: whom each place knows, what it is told of conversions, and what it cost."
              : "Links for ads, tagged so what they bring can be reported and joined with what they cost."
        }
      />
      {parts}
    </>
  );
}

function Spent({ parts }: { parts: ReactNode }) {
  const siteId = useSiteId();
  const site = useSite(siteId);
  const queries = useQueryClient();
  const picker = useRef<HTMLInputElement>(null);
  const [share, setShare] = useState(0);
  const [over, setOver] = useState(false);
  const spend = useQuery(spendQuery(siteId));
  const simulated = useSimulated(siteId);
  const take = useMutation({
    mutationFn: (file: File) => upload<Check>(`/api/sites/${siteId}/spend/files`, file, setShare),
  });
  const undo = useMutation({
    mutationFn: (b: Import) =>
      data(
        client.POST("/api/sites/{site_id}/spend/files/{import_id}/undo", {
          params: { path: { site_id: siteId, import_id: b.id } },
        }),
      ),
    onSuccess: (_, b) => toast(`${count(b.rows)} rows of ${b.file_name} are removed.`),
    onError: (error) => toast.error(error.message),
    onSettled: () => makeStale(queries, siteId, ...REPORTS),
  });
  const choose = () => picker.current?.click();

  if (take.data) return <CheckFile siteId={siteId} first={take.data} close={() => take.reset()} />;
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: dropping a file is a shortcut for the button
    <div
      className={cx("min-h-[80vh]", over && "outline-2 outline-plum outline-dashed")}
      onDragOver={(e) => {
        e.preventDefault();
        setOver(site.canEdit);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault();
        setOver(false);
        const file = e.dataTransfer.files[0];
        if (file && site.canEdit) take.mutate(file);
      }}
    >
      <Head
        title="Spend"
        lead="What the ads cost, by day and ad, from the files that ad channels export. Drop a file anywhere here."
        actions={
          site.canEdit && (
            <>
              <input
                ref={picker}
                type="file"
                aria-label="Spend file"
                className="sr-only"
                tabIndex={-1}
                accept=".csv,.tsv,.txt,.xlsx,text/csv,text/plain"
                onChange={(e) => {
                  const file = e.target.files?.[0];
                  if (file) take.mutate(file);
                  e.target.value = "";
                }}
              />
              <Button kind="main" onClick={choose} disabled={take.isPending}>
                {take.isPending
                  ? `Reading the file … ${share < 1 ? `${Math.round(share * 100)} %` : ""}`
                  : "Look at a file"}
              </Button>
            </>
          )
        }
      />
      {parts}
      <div className="mt-3">
        <FormProblem problem={take.error} fields={[]} />
      </div>
      {spend.isPending && <Loading what="the spend" />}
      {spend.isError && <Failed error={spend.error} retry={spend.refetch} />}
      {spend.data &&
        (spend.data.imports.length ? (
          <>
            <Joined now={spend.data} />
            <Imports now={spend.data} simulated={simulated} canEdit={site.canEdit} undo={(b) => undo.mutate(b)} />
          </>
        ) : (
          <div className="mt-5">
            <Empty title="No spend has been imported yet.">
              <p>
                Export a report by day from where your ads run: day, campaign, ad group, ad, impressions, clicks, cost.
                CSV, with commas, semicolons or tabs, or an Excel workbook (.xlsx). Nothing is imported before you have
                seen how it is read.
              </p>
              {site.canEdit && (
                <Button kind="main" onClick={choose}>
                  Look at a file
                </Button>
              )}
            </Empty>
          </div>
        ))}
    </div>
  );
}

/** How much of the cost found its landing page, in one sentence and one bar. */
function Joined({ now }: { now: State }) {
  const [total, unjoined, byAddress] = [now.total, now.unjoined_cost, now.by_address].map(Number) as [
    number,
    number,
    number,
  ];
  if (!total) return <p className="mt-4 text-quiet">Nothing was spent in the last 90 days.</p>;
  const parts = [
    { name: "with visits that answer to the ad", value: total - unjoined - byAddress, colour: "var(--color-ink)" },
    { name: "by the file’s landing address only", value: byAddress, colour: "var(--color-quiet)" },
    { name: "joined to nothing", value: unjoined, colour: "var(--color-marigold)" },
  ].filter((p) => p.value > 0);
  return (
    <section aria-labelledby="joined" className="mt-4">
      <h2 id="joined" className="text-title">
        {money(total, now.currency)} in the last 90 days
      </h2>
      <div className="my-2 flex h-3 w-full gap-0.5" aria-hidden="true">
        {parts.map((p) => (
          <div key={p.name} style={{ width: `${(p.value / total) * 100}%`, background: p.colour, minWidth: 3 }} />
        ))}
      </div>
      <ul className="flex flex-wrap gap-x-6">
        {parts.map((p) => (
          <li key={p.name} className="flex items-center gap-2">
            <span aria-hidden="true" className="size-2.5" style={{ background: p.colour }} />
            <span className="num">{money(p.value, now.currency)}</span> {p.name}
          </li>
        ))}
      </ul>
      {now.unjoined.length > 0 && (
        <details className="mt-2" open={unjoined / total > 0.05}>
          <summary className="w-fit py-1 font-medium text-plum">What joined to nothing, and why</summary>
          <p className="my-1 max-w-3xl text-quiet">
            No visit in these days came with this source and campaign, and the file names no landing address that Clabo
            knows. Compare the spelling with the campaign parameters in the ad’s link.
          </p>
          <Scroll label="Spend that joined nothing" className="max-w-3xl">
            <Table
              columns={[
                { key: "source", head: "Source", text: true, cell: (u) => <bdi>{u.source}</bdi> },
                { key: "campaign", head: "Campaign", text: true, cell: (u) => <bdi>{u.campaign || "–"}</bdi> },
                { key: "rows", head: "Rows", className: "num", cell: (u) => count(u.rows) },
                { key: "clicks", head: "Clicks", className: "num", cell: (u) => count(u.clicks) },
                { key: "cost", head: "Cost", className: "num", cell: (u) => money(u.cost, now.currency) },
              ]}
              rows={now.unjoined}
              rowKey={(u) => `${u.source} ${u.campaign}`}
            />
          </Scroll>
        </details>
      )}
    </section>
  );
}

interface ImportsProps {
  now: State;
  simulated: string[];
  canEdit: boolean;
  undo: (b: Import) => void;
}

function Imports({ now, simulated, canEdit, undo }: ImportsProps) {
  return (
    <section aria-labelledby="imports" className="mt-6">
      <h2 id="imports" className="mb-2 text-title">
        Files taken in
      </h2>
      <Scroll label="Imported files">
        <Table
          columns={[
            {
              key: "file",
              head: "File",
              text: true,
              className: "max-w-[20rem]",
              cell: (b) => <bdi className="block truncate font-medium">{b.file_name}</bdi>,
            },
            {
              key: "source",
              head: "Source",
              text: true,
              cell: (b) => (
                <>
                  <bdi>{b.source || "from its column"}</bdi>
                  {simulated.includes(b.source.toLowerCase()) && (
                    <span className="text-small text-quiet">, a simulation</span>
                  )}
                </>
              ),
            },
            { key: "rows", head: "Rows", className: "num", cell: (b) => count(b.rows) },
            {
              key: "days",
              head: "Days",
              text: true,
              cell: (b) => (
                <>
                  {day(b.first_day)} to {day(b.last_day)}
                </>
              ),
            },
            { key: "cost", head: "Cost", className: "num", cell: (b) => money(b.cost, now.currency) },
            {
              key: "taken-in",
              head: "Taken in",
              text: true,
              cell: (b) => (
                <>
                  {day(b.made_at)}
                  {b.made_by && `, ${b.made_by}`}
                </>
              ),
            },
            {
              key: "undo",
              head: <span className="sr-only">Undo</span>,
              cell: (b) =>
                b.state === "undone" ? (
                  "undone"
                ) : canEdit ? (
                  <Button kind="quiet" aria-label={`Remove ${b.file_name}`} onClick={() => undo(b)}>
                    Remove
                  </Button>
                ) : null,
            },
          ]}
          rows={now.imports}
          rowKey={(b) => b.id}
          rowProps={(b) => ({ className: cx(b.state === "undone" && "text-quiet") })}
        />
      </Scroll>
    </section>
  );
}
