/** Where ads run: what each place is given, what it is told, and whether it answers. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { ListTable } from "../../components/ListTable";
import { Sheet } from "../../components/Sheet";
import { Tabs } from "../../components/Tabs";
import { Button, Empty, Failed, Loading, TextButton } from "../../components/ui";
import { ago } from "../../lib/format";
import { useSite } from "../../lib/session";
import { ChannelForm } from "./ChannelForm";
import { Columns } from "./Columns";
import { Log } from "./Log";
import { Now } from "./Now";
import { channelsQuery } from "./queries";
import { Answering, Told, WhoIsThere } from "./Standing";

type Part = "now" | "log" | "columns" | "set";

export function Channels({ siteId }: { siteId: number }) {
  const site = useSite(siteId);
  const [open, setOpen] = useState<number | "new">();
  const [part, setPart] = useState<Part>("now");
  const channels = useQuery(channelsQuery(siteId));
  const one = channels.data?.find((c) => c.id === open);
  const make = () => setOpen("new");
  return (
    <div className="mt-4 flex flex-col gap-4 lg:flex-row">
      <div className="min-w-0 flex-1">
        {channels.isPending && <Loading what="the channels" />}
        {channels.isError && <Failed error={channels.error} retry={channels.refetch} />}
        {channels.data?.length === 0 && (
          <Empty title="No channel yet.">
            <p>
              A channel is a place your ads run. Given one, audiences go there and stay what they are here, conversions
              are reported to the click that they are credited to, and what was spent comes by itself.
            </p>
            {site.canEdit && (
              <Button kind="main" onClick={make}>
                New channel
              </Button>
            )}
          </Empty>
        )}
        {!!channels.data?.length && (
          <>
            <ListTable
              of="channels"
              says={(c) => [c.name, c.source, ...c.uses.map((use) => use.audience_name)].join("\n")}
              columns={[
                {
                  key: "name",
                  head: "Channel",
                  order: (c) => c.name,
                  text: true,
                  cell: (c) => (
                    <>
                      <TextButton
                        className="font-semibold decoration-line underline-offset-4"
                        onClick={() => {
                          setPart("now");
                          setOpen(c.id);
                        }}
                      >
                        {c.name}
                      </TextButton>
                      <div className="text-small text-quiet">
                        {c.simulation ? "a simulation" : c.kind === "http" ? "over HTTP" : "by files"}, source{" "}
                        <bdi className="num">{c.source}</bdi>
                      </div>
                    </>
                  ),
                },
                {
                  key: "audiences",
                  head: "Audiences there",
                  text: true,
                  className: "whitespace-normal! min-w-52",
                  cell: (c) =>
                    c.uses.length ? (
                      <ul className="flex flex-col gap-1.5">
                        {c.uses.map((use) => (
                          <li key={use.id}>
                            {use.audience_name}
                            <div className="text-small text-quiet">
                              <WhoIsThere use={use} />
                            </div>
                          </li>
                        ))}
                      </ul>
                    ) : (
                      <span className="text-quiet">none</span>
                    ),
                },
                {
                  key: "told",
                  head: "Conversions, 7 days",
                  text: true,
                  hint: "Those credited (last paid touch) to a click of this channel. Accepted, refused and waiting make up all that were sent.",
                  className: "whitespace-normal! min-w-44",
                  cell: (c) =>
                    c.rules.length ? <Told of={c.feedback} /> : <span className="text-quiet">not reported</span>,
                },
                {
                  key: "spend",
                  head: "Spend read",
                  text: true,
                  cell: (c) =>
                    c.kind === "files" ? (
                      <span className="text-quiet">from files</span>
                    ) : c.spend_read_at ? (
                      ago(c.spend_read_at)
                    ) : (
                      <span className="text-quiet">not yet</span>
                    ),
                },
                {
                  key: "state",
                  head: "State",
                  text: true,
                  className: "whitespace-normal! min-w-32",
                  cell: (c) => <Answering channel={c} />,
                },
              ]}
              rows={channels.data}
              rowKey={(c) => c.id}
            />
            {site.canEdit && (
              <Button className="mt-4" onClick={make}>
                New channel
              </Button>
            )}
          </>
        )}
      </div>
      {open === "new" && (
        <Sheet title="New channel" close={() => setOpen(undefined)}>
          <ChannelForm
            siteId={siteId}
            canEdit={site.canEdit}
            done={(made) => {
              setPart("now");
              setOpen(made?.id);
            }}
          />
        </Sheet>
      )}
      {one && (
        <Sheet title={one.name} close={() => setOpen(undefined)}>
          <Tabs<Part>
            label="Parts of the channel"
            chosen={part}
            choose={setPart}
            tabs={
              {
                now: "How it stands",
                log: "Log",
                ...(one.kind === "files" ? { columns: "Files" } : {}),
                set: "Set up",
              } as Record<Part, string>
            }
          >
            <div className="pt-3">
              {part === "now" && <Now siteId={siteId} channel={one} canEdit={site.canEdit} />}
              {part === "log" && <Log siteId={siteId} channel={one} canEdit={site.canEdit} />}
              {part === "columns" && <Columns siteId={siteId} channel={one} canEdit={site.canEdit} />}
              {part === "set" && (
                <ChannelForm
                  key={one.id}
                  siteId={siteId}
                  channel={one}
                  canEdit={site.canEdit}
                  done={(made) => setOpen(made?.id)}
                />
              )}
            </div>
          </Tabs>
        </Sheet>
      )}
    </div>
  );
}
