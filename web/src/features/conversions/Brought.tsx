/** What a bridge link brought: who followed it from where, and what they bought there. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { SpreadBar } from "../../charts/SpreadBar";
import { scaleEnd } from "../../charts/scale";
import { Scroll } from "../../components/Scroll";
import { type Column, Table } from "../../components/Table";
import { cx, Empty, Failed, Loading, Select } from "../../components/ui";
import { count, money, percent } from "../../lib/format";
import { broughtQuery } from "./queries";

type Followed = Schemas["FollowedOut"];
const BY: Record<string, string> = { page: "page it stood on", source: "source", campaign: "campaign", ad: "ad" };
const UNSAID: Record<string, string> = { campaign: "no campaign", ad: "no ad" };

export function Brought({ siteId, linkId }: { siteId: number; linkId: number }) {
  const [by, setBy] = useState("page");
  const [days, setDays] = useState(28);
  const brought = useQuery(broughtQuery(siteId, linkId, by, days));
  const now = brought.data;
  if (brought.isPending) return <Loading what="what it brought" />;
  if (brought.isError || !now) return <Failed error={brought.error} retry={brought.refetch} />;
  const end = scaleEnd(now.rows.map((r) => (r.thin ? r.rate : r.high)));
  // Pages that share their host are told apart by their paths.
  const hosts = new Set(now.by === "page" ? now.rows.map((r) => r.label.split("/", 1)[0]) : []);
  const shown = (label: string) => (hosts.size === 1 ? label.slice(label.indexOf("/")) : label);
  const all = "\n";
  const columns: Column<Followed>[] = [
    {
      key: "by",
      head: BY[now.by] ?? now.by,
      text: true,
      className: (r) =>
        cx("min-w-24 max-w-64 whitespace-normal", now.by === "page" && r.label !== all && "num text-left!"),
      cell: (r) => (
        <bdi className="break-words">{r.label === all ? "All" : shown(r.label) || (UNSAID[now.by] ?? "not said")}</bdi>
      ),
    },
    {
      key: "bought",
      head: (
        <>
          Bought, of
          <br />
          who followed
        </>
      ),
      className: "num",
      cell: (r) => `${count(r.sold)} of ${count(r.steps)}`,
    },
    {
      key: "share",
      head: (
        <>
          Share bought
          <br />
          <span className="num text-mark">0 – {percent(end, 0)}</span>
        </>
      ),
      cell: (r) => (
        <span className="inline-flex items-center gap-2">
          <span className="num">{percent(r.rate, 1)}</span>
          <SpreadBar
            low={r.low}
            estimate={r.rate}
            high={r.high}
            scale={end}
            thin={r.thin}
            width={44}
            label={`${percent(r.rate, 1)}, between ${percent(r.low, 1)} and ${percent(r.high, 1)}: ${count(r.sold)} of ${count(r.steps)}`}
          />
        </span>
      ),
    },
    {
      key: "sales",
      head: (
        <>
          Sales
          <br />
          <span className="num text-mark">{now.currency}</span>
        </>
      ),
      className: "num",
      cell: (r) => money(r.value, undefined, 0),
    },
  ];
  return (
    <div aria-busy={brought.isPlaceholderData} className="pt-3">
      <div className="mb-2 flex flex-wrap items-center gap-2">
        By
        <Select aria-label="By" className="w-auto! py-0.5" value={by} onChange={(e) => setBy(e.target.value)}>
          {now.choices.map((choice) => (
            <option key={choice} value={choice}>
              {BY[choice] ?? choice}
            </option>
          ))}
        </Select>
        in the last
        <Select
          aria-label="Days"
          className="w-auto! py-0.5"
          value={days}
          onChange={(e) => setDays(Number(e.target.value))}
        >
          {[7, 28, 90, 180].map((d) => (
            <option key={d} value={d}>
              {d} days
            </option>
          ))}
        </Select>
      </div>
      {now.whole.steps === 0 ? (
        <Empty title="Nobody has followed it in these days." />
      ) : (
        <>
          <Scroll label="What it brought" className="max-h-[50vh]">
            <Table
              dense
              columns={columns}
              rows={now.rows}
              apart={now.rows.length > 1 ? [{ ...now.whole, label: all }] : []}
              rowKey={(r) => r.label}
              rowProps={(r) => ({ className: r.label === all ? "font-semibold" : undefined })}
            />
          </Scroll>
          <p className="mt-2 text-small text-quiet">
            Each click counts once, and a sale belongs to the click it was reported for; late ones may still come. Own
            visits, rehearsals and bots are left out.
            {now.whole.foreign > 0 &&
              ` ${count(now.whole.foreign)} sale${now.whole.foreign > 1 ? "s" : ""} in another currency ${now.whole.foreign > 1 ? "are" : "is"} in no sum.`}
            {now.cut && " The latest 100,000 clicks were looked at."}
          </p>
        </>
      )}
    </div>
  );
}
