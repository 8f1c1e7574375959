/** What can be done with a kept audience: bands, files, versions, deleting. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { toast } from "sonner";
import { client, data } from "../../api/client";
import { Button, CopyLine, Field, fieldError, Input, Loading, TextButton } from "../../components/ui";
import { Window } from "../../components/Window";
import { count, day, hour } from "../../lib/format";
import { makeStale } from "../../lib/stale";
import { offerUndo } from "../../lib/undo";
import { channelsQuery } from "../channels/queries";
import { WhoIsThere } from "../channels/Standing";
import type { Audience } from "./model";
import { audienceVersionsQuery, takingsQuery } from "./queries";

interface Props {
  siteId: number;
  audience: Audience;
  canEdit: boolean;
}

export function Uses({ siteId, audience, canEdit }: Props) {
  return (
    <>
      <Window name="Versions">
        <Versions siteId={siteId} audience={audience} canEdit={canEdit} />
      </Window>
      {canEdit && (
        <>
          <Window name="Make bands">
            <Bands siteId={siteId} audience={audience} />
          </Window>
          <Window name="Give to a channel">
            <Give siteId={siteId} audience={audience} />
          </Window>
          <Window name="Export">
            <Files siteId={siteId} audience={audience} />
          </Window>
          <Remove siteId={siteId} audience={audience} />
        </>
      )}
    </>
  );
}

function Give({ siteId, audience }: Omit<Props, "canEdit">) {
  const queries = useQueryClient();
  const channels = useQuery(channelsQuery(siteId));
  const give = useMutation({
    mutationFn: (channel: number) =>
      data(
        client.POST("/api/sites/{site_id}/audiences/{audience_id}/uses", {
          params: { path: { site_id: siteId, audience_id: audience.id } },
          body: { channel },
        }),
      ),
    onSuccess: (made) =>
      toast(
        made.kind === "files"
          ? `Its file for ${made.channel_name} is taken under Spend, Channels.`
          : `It is on its way to ${made.channel_name}, and stays there what it is here.`,
      ),
    onSettled: () => makeStale(queries, siteId, "channels", "uses"),
  });
  if (!channels.data) return <Loading what="the channels" />;
  if (!channels.data.length)
    return (
      <p>
        There is no channel yet. Set one up under{" "}
        <Link
          to="/s/$siteId/spend"
          params={{ siteId: String(siteId) }}
          search={{ part: "channels" }}
          className="text-plum underline"
        >
          Spend, Channels
        </Link>
        .
      </p>
    );
  return (
    <div className="flex flex-col gap-3">
      <p>
        Hashes of the e-mail addresses and customer ids of members who agreed go there. People who join or leave the
        audience do so there within minutes.
      </p>
      <ul>
        {channels.data.map((channel) => {
          const use = channel.uses.find((u) => u.audience === audience.id && !u.ending);
          return (
            <li key={channel.id} className="flex items-baseline justify-between gap-3 border-b py-2">
              <span>
                <strong>{channel.name}</strong>
                <span className="block text-small text-quiet">
                  {use ? (
                    <WhoIsThere use={use} />
                  ) : channel.agreed_at ? (
                    "not there"
                  ) : (
                    "nobody has said that people agreed to it"
                  )}
                </span>
              </span>
              {!use && channel.agreed_at && (
                <Button disabled={give.isPending} onClick={() => give.mutate(channel.id)}>
                  Give it
                </Button>
              )}
            </li>
          );
        })}
      </ul>
      {give.isError && (
        <p role="alert" className="text-brick">
          {give.error.message}
        </p>
      )}
    </div>
  );
}

function Bands({ siteId, audience }: Omit<Props, "canEdit">) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [text, setText] = useState("0, 14, 45, 120");
  const make = useMutation({
    mutationFn: () =>
      data(
        client.POST("/api/sites/{site_id}/audiences/{audience_id}/bands", {
          params: { path: { site_id: siteId, audience_id: audience.id } },
          body: {
            cuts: text
              .split(/[\s,;]+/)
              .filter(Boolean)
              .map(Number),
          },
        }),
      ),
    onSuccess: async (made) => {
      await makeStale(queries, siteId, "audiences", "rail");
      toast(`${made.length} bands are made.`);
      await navigate({ to: "/s/$siteId/audiences", params: { siteId: String(siteId) } });
    },
  });
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        make.mutate();
      }}
      className="flex flex-col items-start gap-3"
    >
      <p>
        An audience for each band of days since “{audience.name}” was fulfilled. Nobody is in two of them: people in a
        younger band are excluded from the older ones.
      </p>
      <Field
        label="Cuts, in days"
        hint="0, 14, 45 makes the bands 0–13 and 14–44."
        error={fieldError(make.error, "cuts") ?? make.error?.message}
      >
        {(p) => <Input {...p} className="num" value={text} onChange={(e) => setText(e.target.value)} />}
      </Field>
      <Button type="submit" kind="main" disabled={make.isPending}>
        Make them
      </Button>
    </form>
  );
}

const FORMS = { csv: "CSV", jsonl: "JSON lines", parquet: "Parquet" } as const;

function Files({ siteId, audience }: Omit<Props, "canEdit">) {
  const [since, setSince] = useState("");
  const at = { params: { path: { site_id: siteId, audience_id: audience.id } } };
  const takings = useQuery(takingsQuery(siteId, audience.id));
  const link = useMutation({
    mutationFn: () => data(client.POST("/api/sites/{site_id}/audiences/{audience_id}/link", at)),
  });
  const href = (form: string) =>
    `/api/sites/${siteId}/audiences/${audience.id}/members?form=${form}${since ? `&since=${since}` : ""}`;
  return (
    <div className="flex flex-col gap-4">
      <p>
        Every member by the id that Clabo's tag gave them, with the day they came in and the day they leave if nothing
        more happens.
      </p>
      <Field label="Only what has changed since" hint="Added and removed after that day; empty for everybody.">
        {(p) => <Input {...p} type="date" className="num" value={since} onChange={(e) => setSince(e.target.value)} />}
      </Field>
      <p className="flex gap-5">
        {Object.entries(FORMS).map(([form, says]) => (
          <a key={form} href={href(form)} download className="text-plum underline">
            {says}
          </a>
        ))}
      </p>
      {link.data ? (
        <div>
          <CopyLine text={link.data.url} label="the link" />
          <p className="mt-1 text-small text-quiet">
            Valid until {hour(link.data.until)}, for anyone who has it, as long as you may edit this site.
          </p>
        </div>
      ) : (
        <div>
          <TextButton onClick={() => link.mutate()} disabled={link.isPending}>
            Make a link to the CSV that ends after a day
          </TextButton>
        </div>
      )}
      {!!takings.data?.length && (
        <div>
          <h3 className="text-lead">Exported before</h3>
          <ul className="text-small">
            {takings.data.slice(0, 8).map((t) => (
              <li key={t.at} className="flex gap-3 border-b py-1">
                <span className="num text-quiet">{hour(t.at)}</span>
                <span className="flex-1">
                  {t.by_link ? "by a link of " : ""}
                  {t.by}
                  {t.since && `, since ${day(t.since)}`}
                </span>
                <span>{t.rows == null ? "broken off" : `${count(t.rows)} rows`}</span>
              </li>
            ))}
          </ul>
        </div>
      )}
    </div>
  );
}

function Versions({ siteId, audience, canEdit }: Props) {
  const queries = useQueryClient();
  const versions = useQuery(audienceVersionsQuery(siteId, audience.id, audience.version));
  const restore = useMutation({
    mutationFn: (version: number) =>
      data(
        client.POST("/api/sites/{site_id}/audiences/{audience_id}/versions/{version}/restore", {
          params: { path: { site_id: siteId, audience_id: audience.id, version } },
        }),
      ),
    onSuccess: () => makeStale(queries, siteId, "audiences"),
  });
  return (
    <ol>
      {versions.data?.map((v) => (
        <li key={v.version} className="border-b py-2">
          <div className="flex items-baseline justify-between gap-3">
            <span>
              <strong>Version {v.version}</strong>{" "}
              <span className="text-quiet">
                {hour(v.made_at)}
                {v.made_by && `, ${v.made_by}`}
              </span>
            </span>
            {v.version === audience.version ? (
              <span className="text-quiet">in force</span>
            ) : (
              canEdit && <TextButton onClick={() => restore.mutate(v.version)}>Restore</TextButton>
            )}
          </div>
          <p className="text-small">{v.sentence}</p>
        </li>
      ))}
    </ol>
  );
}

function Remove({ siteId, audience }: Omit<Props, "canEdit">) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const at = { params: { path: { site_id: siteId, audience_id: audience.id } } };
  const remove = useMutation({
    mutationFn: () => data(client.DELETE("/api/sites/{site_id}/audiences/{audience_id}", at)),
    onSuccess: async () => {
      await navigate({ to: "/s/$siteId/audiences", params: { siteId: String(siteId) } });
      offerUndo(queries, {
        siteId,
        kind: "audience",
        id: audience.id,
        says: `${audience.name} is deleted.`,
        lists: ["audiences", "rail"],
      });
    },
    onError: (error) => toast(error.message),
  });
  return (
    <Button kind="against" disabled={remove.isPending} onClick={() => remove.mutate()}>
      Delete
    </Button>
  );
}
