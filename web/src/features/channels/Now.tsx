/** A channel as it stands: who is there, what it was told, what it cost. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { client, csrfToken, data } from "../../api/client";
import { Button, Field, Input, TextButton } from "../../components/ui";
import { count, dayOf, hour, words } from "../../lib/format";
import { makeStale, REPORTS } from "../../lib/stale";
import type { AdChannel } from "./queries";
import { Answering, Told, WhoIsThere } from "./Standing";

interface Props {
  siteId: number;
  channel: AdChannel;
  canEdit: boolean;
}

const DAY = 86_400_000;

export function Now({ siteId, channel, canEdit }: Props) {
  const queries = useQueryClient();
  const at = { params: { path: { site_id: siteId, channel_id: channel.id } } };
  const again = () => makeStale(queries, siteId, "channels", "uses");
  const check = useMutation({
    mutationFn: () => data(client.POST("/api/sites/{site_id}/channels/{channel_id}/check", at)),
    onSuccess: () => toast(`${channel.name} answers.`),
    onError: (error) => toast.error(error.message),
    onSettled: again,
  });
  const end = useMutation({
    mutationFn: (useId: number) =>
      data(
        client.DELETE("/api/sites/{site_id}/uses/{use_id}", { params: { path: { site_id: siteId, use_id: useId } } }),
      ),
    onSuccess: () => toast("All of them are being removed there; then the channel is deleted."),
    onError: (error) => toast.error(error.message),
    onSettled: again,
  });
  const send = useMutation({
    mutationFn: (useId: number) =>
      data(
        client.POST("/api/sites/{site_id}/uses/{use_id}/send", {
          params: { path: { site_id: siteId, use_id: useId } },
        }),
      ),
    onSuccess: () => toast("It is compared with what is there, and what differs is sent."),
    onError: (error) => toast.error(error.message),
    onSettled: again,
  });
  const file = (useId: number, what: "all" | "changes", name: string) =>
    take(`/api/sites/${siteId}/uses/${useId}/file?what=${what}`, name).then(again, (e: Error) =>
      toast.error(e.message),
    );
  return (
    <div className="flex flex-col gap-5">
      <p>
        <Answering channel={channel} />{" "}
        {channel.kind === "http" && canEdit && (
          <TextButton disabled={check.isPending} onClick={() => check.mutate()}>
            Ask it now
          </TextButton>
        )}
      </p>
      <section aria-labelledby="there">
        <h3 id="there" className="text-lead">
          Audiences there
        </h3>
        {!channel.agreed_at && (
          <p className="text-quiet">
            None goes there: nobody has said that people agreed to it. That is said under “Set up”.
          </p>
        )}
        {channel.agreed_at && !channel.uses.length && (
          <p className="text-quiet">None yet. Open an audience and give it to {channel.name}.</p>
        )}
        <ul>
          {channel.uses.map((use) => (
            <li key={use.id} className="border-b py-2">
              <strong>{use.audience_name}</strong>
              <p className="text-small">
                <WhoIsThere use={use} />.{" "}
                {use.people != null && use.wanted != null && (
                  <span className="text-quiet">
                    Of <span className="num">{count(use.people)}</span> people,{" "}
                    <span className="num">{count(use.wanted)}</span> e-mail addresses and customer ids are known here.
                  </span>
                )}
              </p>
              {canEdit && (
                <p className="mt-1 flex flex-wrap gap-4">
                  {use.kind === "http" ? (
                    <TextButton onClick={() => send.mutate(use.id)}>Compare now</TextButton>
                  ) : (
                    <>
                      <TextButton onClick={() => file(use.id, "all", use.audience_name)}>
                        All of them, as a file
                      </TextButton>
                      <TextButton onClick={() => file(use.id, "changes", use.audience_name)}>
                        Only what changed
                      </TextButton>
                    </>
                  )}
                  {!use.ending && <TextButton onClick={() => end.mutate(use.id)}>Take away from it</TextButton>}
                </p>
              )}
            </li>
          ))}
        </ul>
      </section>
      <section aria-labelledby="told">
        <h3 id="told" className="text-lead">
          Conversions that it is told of
        </h3>
        {channel.rules.length ? (
          <>
            <p>
              {channel.rules.map((r) => words(r.name)).join(", ")}, since {hour(channel.since)}. In seven days:{" "}
              <Told of={channel.feedback} />.
            </p>
            {channel.feedback.reasons.length > 0 && (
              <ul className="mt-1 text-small">
                {channel.feedback.reasons.map((r) => (
                  <li key={r.reason}>
                    <span className="num">{count(r.count)}</span> refused: {r.says}
                  </li>
                ))}
              </ul>
            )}
            {channel.kind === "files" && canEdit && (
              <TextButton
                onClick={() =>
                  take(`/api/sites/${siteId}/channels/${channel.id}/conversions-file`, channel.name).then(
                    again,
                    (e: Error) => toast.error(e.message),
                  )
                }
              >
                What is new, as a file
              </TextButton>
            )}
          </>
        ) : (
          <p className="text-quiet">None. What an ad program is not told of it cannot learn from.</p>
        )}
      </section>
      {channel.kind === "http" && <Spend siteId={siteId} channel={channel} canEdit={canEdit} />}
    </div>
  );
}

function Spend({ siteId, channel, canEdit }: Props) {
  const queries = useQueryClient();
  const [first, setFirst] = useState(dayOf(new Date(Date.now() - 3 * DAY)));
  const [last, setLast] = useState(dayOf(new Date()));
  const read = useMutation({
    mutationFn: () =>
      data(
        client.POST("/api/sites/{site_id}/channels/{channel_id}/spend", {
          params: { path: { site_id: siteId, channel_id: channel.id } },
          body: { first, last },
        }),
      ),
    onSettled: () => makeStale(queries, siteId, "channels", ...REPORTS),
  });
  return (
    <section aria-labelledby="spend-in">
      <h3 id="spend-in" className="text-lead">
        What it cost
      </h3>
      <p className="text-quiet">
        {channel.reads_spend
          ? "Read each morning, the last three days anew, for ad sides correct themselves. Each day is a file under “What was spent”."
          : "Read when you ask for it."}
      </p>
      {canEdit && (
        <form
          className="mt-2 flex flex-wrap items-end gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            read.mutate();
          }}
        >
          <Field label="From">
            {(p) => (
              <Input {...p} type="date" className="num" value={first} onChange={(e) => setFirst(e.target.value)} />
            )}
          </Field>
          <Field label="To">
            {(p) => <Input {...p} type="date" className="num" value={last} onChange={(e) => setLast(e.target.value)} />}
          </Field>
          <Button type="submit" disabled={read.isPending}>
            {read.isPending ? "Reading …" : "Read it now"}
          </Button>
        </form>
      )}
      <p role="status" className={read.isError ? "mt-2 text-brick" : "mt-2"}>
        {read.error?.message}
        {read.data &&
          (read.data.days
            ? `${count(read.data.rows)} rows of ${count(read.data.days)} ${read.data.days === 1 ? "day is" : "days are"} in; ${count(read.data.unchanged)} unchanged.`
            : !read.data.unchanged
              ? "It says of no spend on these days."
              : `Nothing new: ${count(read.data.unchanged)} ${read.data.unchanged === 1 ? "day is" : "days are"} as before.`)}
      </p>
    </section>
  );
}

/** Have a file made and given to the browser to keep. */
async function take(address: string, name: string) {
  const answer = await fetch(address, { method: "POST", headers: { "X-CSRFToken": csrfToken() } });
  if (!answer.ok) throw new Error((await answer.json()).detail ?? "The file could not be made.");
  const link = document.createElement("a");
  link.href = URL.createObjectURL(await answer.blob());
  link.download = `${name}.csv`;
  link.click();
  URL.revokeObjectURL(link.href);
}
