/** Who is told of what is broken or decided, when, and what was sent. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { Checkbox } from "../../components/Checkbox";
import { Scroll } from "../../components/Scroll";
import { Table } from "../../components/Table";
import {
  Button,
  CopyLine,
  Empty,
  Failed,
  Field,
  FormProblem,
  Head,
  Input,
  Loading,
  Select,
  TextButton,
} from "../../components/ui";
import { ago } from "../../lib/format";
import { useSite } from "../../lib/session";
import { makeStale } from "../../lib/stale";
import { offerUndo } from "../../lib/undo";
import { useSiteId } from "../../lib/useSiteId";
import { ALL, KINDS, type Kind, kindsSaid, WHENS, type When } from "./kinds";
import { alertsQuery } from "./queries";

type Recipient = Schemas["AlertRecipientOut"];
type Message = Schemas["AlertMessageOut"];

export default function Alerts() {
  const siteId = useSiteId();
  const site = useSite(siteId);
  const found = useQuery({ ...alertsQuery(siteId), enabled: site.canEdit });
  const [editing, setEditing] = useState<Recipient | "new">();
  return (
    <>
      <Head
        title="Alerts"
        lead="Who is told when something breaks or is decided. Each thing is told once, until it is over and comes again."
        actions={
          site.canEdit &&
          !editing && (
            <Button kind="main" onClick={() => setEditing("new")}>
              New recipient
            </Button>
          )
        }
      />
      {!site.canEdit && <Empty title="Editors choose who is told.">Ask an editor to have alerts sent to you.</Empty>}
      {site.canEdit && found.isPending && <Loading what="the alerts" />}
      {found.isError && <Failed error={found.error} retry={found.refetch} />}
      {found.data && (
        <div className="mt-4 flex flex-col gap-6">
          {editing && (
            <Editor
              key={editing === "new" ? "new" : editing.id}
              siteId={siteId}
              of={editing === "new" ? undefined : editing}
              done={() => setEditing(undefined)}
            />
          )}
          {found.data.recipients.length ? (
            <Recipients siteId={siteId} rows={found.data.recipients} edit={setEditing} />
          ) : (
            !editing && (
              <Empty title="Nobody is told yet.">
                <p>
                  Send alerts to an e-mail address, or to a webhook of a system of yours. You choose of what, and
                  whether at once, at most hourly, or in the morning.
                </p>
              </Empty>
            )
          )}
          {found.data.log.length > 0 && <Log rows={found.data.log} />}
        </div>
      )}
    </>
  );
}

function Recipients({ siteId, rows, edit }: { siteId: number; rows: Recipient[]; edit: (r: Recipient) => void }) {
  const queries = useQueryClient();
  const path = (r: Recipient) => ({ params: { path: { site_id: siteId, recipient_id: r.id } } });
  const again = () => makeStale(queries, siteId, "alerts");
  const tryOut = useMutation({
    mutationFn: (r: Recipient) => data(client.POST("/api/sites/{site_id}/alerts/{recipient_id}/test", path(r))),
    onSuccess: (sent) =>
      sent.state === "sent"
        ? toast(`A trial is on its way to ${sent.to}.`)
        : toast.error(`${sent.to}: ${sent.failure}`),
    onError: (error) => toast.error(error.message),
    onSettled: again,
  });
  const remove = useMutation({
    mutationFn: (r: Recipient) => data(client.DELETE("/api/sites/{site_id}/alerts/{recipient_id}", path(r))),
    onSuccess: (_, r) =>
      offerUndo(queries, {
        siteId,
        kind: "alert",
        id: r.id,
        says: `${r.to} is told nothing more.`,
        lists: ["alerts"],
      }),
    onError: (error) => toast.error(error.message),
    onSettled: again,
  });
  return (
    <Scroll label="Table of recipients">
      <Table<Recipient>
        caption="Table of recipients"
        rows={rows}
        rowKey={(r) => r.id}
        columns={[
          {
            key: "to",
            head: "To",
            text: true,
            className: "whitespace-normal [overflow-wrap:anywhere] min-w-56",
            cell: (r) => (
              <>
                <bdi className="font-semibold">{r.to}</bdi>
                <span className="block text-small text-quiet">{r.by === "mail" ? "by mail" : "webhook"}</span>
                {r.secret && <CopyLine text={r.secret} label={`Key that messages to ${r.to} are signed with`} />}
              </>
            ),
          },
          { key: "when", head: "When", text: true, cell: (r) => WHENS[r.when] },
          { key: "kinds", head: "Of what", text: true, cell: (r) => kindsSaid(r.kinds) },
          { key: "told", head: "Last told", className: "num", cell: (r) => (r.told_at ? ago(r.told_at) : "not yet") },
          {
            key: "do",
            head: <span className="sr-only">Actions</span>,
            cell: (r) => (
              <span className="flex justify-end gap-3">
                <TextButton
                  disabled={tryOut.isPending}
                  aria-label={`Send a trial to ${r.to}`}
                  onClick={() => tryOut.mutate(r)}
                >
                  Send a trial
                </TextButton>
                <TextButton aria-label={`Edit ${r.to}`} onClick={() => edit(r)}>
                  Edit
                </TextButton>
                <TextButton aria-label={`Delete ${r.to}`} onClick={() => remove.mutate(r)}>
                  Delete
                </TextButton>
              </span>
            ),
          },
        ]}
      />
    </Scroll>
  );
}

function Editor({ siteId, of, done }: { siteId: number; of?: Recipient; done: () => void }) {
  const queries = useQueryClient();
  const [by, setBy] = useState<Recipient["by"]>(of?.by ?? "mail");
  const [to, setTo] = useState(of?.to ?? "");
  const [when, setWhen] = useState<When>(of?.when ?? "at_once");
  const [kinds, setKinds] = useState<Kind[]>(of?.kinds ?? ALL);
  const save = useMutation({
    mutationFn: async () => {
      if (of) {
        await data(
          client.PUT("/api/sites/{site_id}/alerts/{recipient_id}", {
            params: { path: { site_id: siteId, recipient_id: of.id } },
            body: { when, kinds },
          }),
        );
        return;
      }
      await data(
        client.POST("/api/sites/{site_id}/alerts", {
          params: { path: { site_id: siteId } },
          body: { by, to, when, kinds },
        }),
      );
    },
    onSuccess: async () => {
      await makeStale(queries, siteId, "alerts");
      done();
    },
  });
  const problem = save.error as { field?: string; message: string } | null;
  return (
    <form
      aria-label={of ? `Edit ${of.to}` : "New recipient"}
      className="panel flex max-w-2xl flex-col gap-3 p-4"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      {!of && (
        <div className="grid gap-3 sm:grid-cols-[9rem_1fr]">
          <Field label="By">
            {(p) => (
              <Select {...p} value={by} onChange={(e) => setBy(e.target.value as Recipient["by"])}>
                <option value="mail">mail</option>
                <option value="webhook">webhook</option>
              </Select>
            )}
          </Field>
          <Field
            label={by === "mail" ? "E-mail address" : "Address of the webhook"}
            hint={by === "mail" ? undefined : "It begins with https:// and gets signed JSON."}
            error={problem?.field === "to" ? problem.message : undefined}
          >
            {(p) => <Input {...p} value={to} required onChange={(e) => setTo(e.target.value)} />}
          </Field>
        </div>
      )}
      <Field label="When">
        {(p) => (
          <Select {...p} value={when} className="max-w-60" onChange={(e) => setWhen(e.target.value as When)}>
            {Object.entries(WHENS).map(([key, says]) => (
              <option key={key} value={key}>
                {says}
              </option>
            ))}
          </Select>
        )}
      </Field>
      <fieldset>
        <legend className="mb-1">Of what</legend>
        <div className="grid gap-1 sm:grid-cols-2">
          {ALL.map((kind) => (
            <Checkbox
              key={kind}
              label={KINDS[kind]}
              checked={kinds.includes(kind)}
              set={(on) => setKinds(ALL.filter((k) => (k === kind ? on : kinds.includes(k))))}
            />
          ))}
        </div>
        {!kinds.length && <p className="mt-1 text-small text-brick">Choose at least one.</p>}
      </fieldset>
      <FormProblem problem={save.error} fields={of ? [] : ["to"]} />
      <div className="flex gap-2">
        <Button type="submit" kind="main" disabled={save.isPending || !kinds.length}>
          {save.isPending ? "Saving …" : of ? "Save" : "Add recipient"}
        </Button>
        <Button type="button" onClick={done}>
          Cancel
        </Button>
      </div>
    </form>
  );
}

const STATES: Record<Message["state"], string> = {
  waiting: "not yet taken, will be tried again",
  sent: "sent",
  failed: "failed",
};

function Log({ rows }: { rows: Message[] }) {
  return (
    <section aria-labelledby="alert-log">
      <h2 id="alert-log" className="mb-2 text-title">
        What was sent
      </h2>
      <Scroll label="Table of messages" className="max-h-[50vh]">
        <Table<[number, Message]>
          caption="Table of messages"
          rows={rows.map((m, place) => [place, m])}
          rowKey={([place]) => place}
          columns={[
            { key: "when", head: "When", className: "num", cell: ([, m]) => ago(m.made_at) },
            {
              key: "to",
              head: "To",
              text: true,
              className: "max-w-56 truncate",
              cell: ([, m]) => <bdi title={m.to}>{m.to}</bdi>,
            },
            {
              key: "what",
              head: "What",
              text: true,
              className: "whitespace-normal min-w-64",
              cell: ([, m]) =>
                m.test
                  ? "A trial."
                  : m.says.map((says) => (
                      <bdi key={says} className="block">
                        {says}
                      </bdi>
                    )),
            },
            {
              key: "state",
              head: "State",
              text: true,
              className: "whitespace-normal min-w-40",
              cell: ([, m]) => (
                <>
                  <span className={m.state === "failed" ? "text-brick" : undefined}>{STATES[m.state]}</span>
                  {m.failure && (
                    <span className="block text-small text-quiet">
                      {m.failure} Tried {m.tries} {m.tries === 1 ? "time" : "times"}.
                    </span>
                  )}
                </>
              ),
            },
          ]}
        />
      </Scroll>
    </section>
  );
}
