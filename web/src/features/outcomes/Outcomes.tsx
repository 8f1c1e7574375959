/** What became of leads and orders: the stages, files that tell of them, and what belongs to nobody yet. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useRef, useState } from "react";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { Confirm } from "../../components/Confirm";
import { Scroll } from "../../components/Scroll";
import { Table } from "../../components/Table";
import { Button, Empty, Failed, FormProblem, Loading, TextButton } from "../../components/ui";
import { ago, count, day, money } from "../../lib/format";
import { useSite } from "../../lib/session";
import { makeStale, REPORTS } from "../../lib/stale";
import { upload } from "../../lib/upload";
import { conversionsQuery } from "../conversions/queries";
import { CheckOutcomes } from "./CheckOutcomes";
import { EFFECTS } from "./effects";
import { outcomesQuery } from "./queries";
import { Stages } from "./Stages";

type Stage = Schemas["StageOut"];
type Import = Schemas["OutcomeImportOut"];
type Check = Schemas["OutcomeCheckOut"];
type Waiting = Schemas["WaitingOut"];

const BY: Record<Waiting["by"], string> = { order: "order", email: "an e-mail address", customer: "a customer id" };
const LISTS = ["outcomes", "conversions", ...REPORTS];

export function Outcomes({ siteId }: { siteId: number }) {
  const site = useSite(siteId);
  const queries = useQueryClient();
  const picker = useRef<HTMLInputElement>(null);
  const [editing, setEditing] = useState(false);
  const found = useQuery(outcomesQuery(siteId));
  const take = useMutation({
    mutationFn: (file: File) => upload<Check>(`/api/sites/${siteId}/outcomes/files`, file),
  });
  if (take.data)
    return (
      <CheckOutcomes
        siteId={siteId}
        first={take.data}
        stages={found.data?.stages ?? []}
        close={() => {
          take.reset();
          makeStale(queries, siteId, ...LISTS);
        }}
      />
    );
  if (found.isPending) return <Loading what="the outcomes" />;
  if (found.isError)
    return (
      <div className="mt-4">
        <Failed error={found.error} retry={found.refetch} />
      </div>
    );
  const { stages, imports, waiting, waiting_count } = found.data;
  const told = stages.some((s) => s.told);
  return (
    <div className="mt-3 flex flex-col gap-6">
      <div className="flex flex-wrap items-start justify-between gap-3">
        <p className="max-w-3xl text-quiet">
          What became of leads and orders: qualified, sold, refunded. Bring in a file, or have your own system tell it
          (docs/api.md). Each is put down to the visits that led to its lead or order. A refund takes its amount from
          the value of the order.
        </p>
        {site.canEdit && (
          <>
            <input
              ref={picker}
              type="file"
              accept=".csv,.tsv,.txt,.xlsx"
              aria-label="Outcome file"
              className="sr-only"
              tabIndex={-1}
              onChange={(e) => {
                const [file] = e.target.files ?? [];
                if (file) take.mutate(file);
                e.target.value = "";
              }}
            />
            <Button kind="main" disabled={take.isPending} onClick={() => picker.current?.click()}>
              {take.isPending ? "Reading the file …" : "Import outcomes"}
            </Button>
          </>
        )}
      </div>
      {take.error && <FormProblem problem={take.error} fields={[]} />}
      {!told && (
        <Empty title="No outcome has been told yet.">
          <p>
            A file needs a column with the order number, e-mail address or customer id, and one with the stage. A date
            and an amount may stand beside them.
          </p>
        </Empty>
      )}
      <section aria-labelledby="stages">
        <div className="mb-2 flex items-baseline gap-4">
          <h2 id="stages" className="text-title">
            Stages
          </h2>
          {site.canEdit && !editing && <TextButton onClick={() => setEditing(true)}>Edit stages</TextButton>}
        </div>
        {editing ? (
          <Stages siteId={siteId} stages={stages} done={() => setEditing(false)} />
        ) : (
          <StageTable siteId={siteId} stages={stages} canEdit={site.canEdit} />
        )}
      </section>
      {imports.length > 0 && <Imports siteId={siteId} imports={imports} canEdit={site.canEdit} />}
      {waiting_count > 0 && <Unmatched rows={waiting} all={waiting_count} currency={site.currency} />}
    </div>
  );
}

function StageTable({ siteId, stages, canEdit }: { siteId: number; stages: Stage[]; canEdit: boolean }) {
  const queries = useQueryClient();
  const conversions = useQuery(conversionsQuery(siteId)).data;
  const params = { siteId: String(siteId) };
  const counting = useMutation({
    mutationFn: (stage: Stage) =>
      data(
        client.POST("/api/sites/{site_id}/conversions", {
          params: { path: { site_id: siteId } },
          body: {
            name: stage.name.toLowerCase(),
            category: "other",
            rule: { outcome: { stage: stage.key } },
            counting: "every",
            value_property: stage.with_value ? "value" : "",
          },
        }),
      ),
    onSuccess: (made) => toast(`${made.name} is a conversion now. Choose it in any report.`),
    onError: (error) => toast.error(error.message),
    onSettled: () => makeStale(queries, siteId, ...LISTS),
  });
  const named = (id: number) => conversions?.find((c) => c.id === id)?.name ?? "its conversion";
  return (
    <Scroll label="Table of stages">
      <Table<Stage>
        caption="Table of stages"
        rows={stages}
        rowKey={(s) => s.key}
        columns={[
          {
            key: "stage",
            head: "Stage",
            text: true,
            cell: (s) => (
              <>
                <bdi className="font-semibold">{s.name}</bdi>
                <span className="num block text-fine text-quiet">{s.key}</span>
              </>
            ),
          },
          { key: "effect", head: "What it does", text: true, cell: (s) => EFFECTS[s.effect] },
          {
            key: "told",
            head: "Told",
            className: "num",
            hint: "Outcomes that were told, without those that were withdrawn or undone.",
            cell: (s) => count(s.told),
          },
          {
            key: "matched",
            head: "Lead or order known",
            className: "num",
            cell: (s) =>
              s.told ? `${count(s.matched)} (${Math.floor((100 * s.matched) / s.told)} % of ${count(s.told)})` : "–",
          },
          { key: "last", head: "Last", className: "num", cell: (s) => (s.last_at ? ago(s.last_at) : "–") },
          {
            key: "counted",
            head: "Counted as",
            text: true,
            cell: (s) => {
              if (s.effect !== "reached") return <span className="text-quiet">changes what it is of</span>;
              if (s.conversion != null)
                return (
                  <Link
                    to="/s/$siteId/conversions/$conversionId"
                    params={{ ...params, conversionId: String(s.conversion) }}
                    search={true}
                    className="text-plum underline decoration-line underline-offset-4"
                  >
                    {named(s.conversion)}
                  </Link>
                );
              if (!canEdit) return "no conversion";
              return (
                <TextButton
                  disabled={counting.isPending}
                  aria-label={`Count ${s.name} as a conversion`}
                  onClick={() => counting.mutate(s)}
                >
                  Count as a conversion
                </TextButton>
              );
            },
          },
        ]}
      />
    </Scroll>
  );
}

function Imports({ siteId, imports, canEdit }: { siteId: number; imports: Import[]; canEdit: boolean }) {
  const queries = useQueryClient();
  const undo = useMutation({
    mutationFn: (b: Import) =>
      data(
        client.POST("/api/sites/{site_id}/outcomes/files/{file_id}/undo", {
          params: { path: { site_id: siteId, file_id: b.id } },
        }),
      ),
    onSuccess: (_, b) => toast(`What ${b.file_name} told counts no more.`),
    onError: (error) => toast.error(error.message),
    onSettled: () => makeStale(queries, siteId, ...LISTS),
  });
  return (
    <section aria-labelledby="outcome-files">
      <h2 id="outcome-files" className="mb-2 text-title">
        Files
      </h2>
      <Scroll label="Table of outcome files">
        <Table<Import>
          caption="Table of outcome files"
          rows={imports}
          rowKey={(b) => b.id}
          columns={[
            { key: "file", head: "File", text: true, cell: (b) => <bdi>{b.file_name}</bdi> },
            { key: "when", head: "Taken in", className: "num", cell: (b) => day(b.made_at) },
            { key: "by", head: "By", text: true, cell: (b) => <bdi>{b.made_by}</bdi> },
            {
              key: "rows",
              head: "New outcomes",
              className: "num",
              hint: "Rows that said something that was not known.",
              cell: (b) => count(b.rows),
            },
            {
              key: "undo",
              head: <span className="sr-only">Undo</span>,
              cell: (b) =>
                b.state === "undone" ? (
                  <span className="text-quiet">undone</span>
                ) : (
                  canEdit && (
                    <Confirm name="Undo" kind="quiet" act={() => undo.mutate(b)}>
                      What <bdi>{b.file_name}</bdi> told counts no more: {count(b.rows)} outcomes. What earlier files
                      said of the same leads and orders holds again.
                    </Confirm>
                  )
                ),
            },
          ]}
        />
      </Scroll>
    </section>
  );
}

function Unmatched({ rows, all, currency }: { rows: Waiting[]; all: number; currency: string }) {
  return (
    <section aria-labelledby="unmatched">
      <h2 id="unmatched" className="text-title">
        {all === 1 ? "One outcome has no lead or order yet" : `${count(all)} outcomes have no lead or order yet`}
      </h2>
      <p className="mb-2 max-w-3xl text-quiet">
        They count nowhere. They are tried again every hour, for the lead or order may come later.
        {all > rows.length && ` These are the last ${count(rows.length)}.`}
      </p>
      <Scroll label="Table of outcomes without a lead or order" className="max-h-96">
        <Table<[number, Waiting]>
          caption="Table of outcomes without a lead or order"
          rows={rows.map((w, place) => [place, w])}
          rowKey={([place]) => place}
          columns={[
            {
              key: "by",
              head: "Known by",
              text: true,
              cell: ([, w]) => (w.by === "order" ? <bdi className="num">{w.order}</bdi> : BY[w.by]),
            },
            { key: "stage", head: "Stage", text: true, cell: ([, w]) => <bdi>{w.stage}</bdi> },
            { key: "at", head: "When", className: "num", cell: ([, w]) => (w.at ? day(w.at) : "–") },
            {
              key: "value",
              head: "Amount",
              className: "num",
              cell: ([, w]) => (w.value == null ? "–" : money(w.value, w.currency || currency)),
            },
            {
              key: "why",
              head: "Why",
              text: true,
              className: "whitespace-normal",
              cell: ([, w]) => w.why || "Not looked up yet.",
            },
            { key: "from", head: "From", text: true, cell: ([, w]) => <bdi>{w.file_name || "a call"}</bdi> },
          ]}
        />
      </Scroll>
    </section>
  );
}
