/** What a bridge link brought: who followed it from where, and what they bought there. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { SpreadBar, scaleEnd } from "../../charts/SpreadBar";
import { Scroll } from "../../components/Scroll";
import { Empty, Failed, Loading, Select } from "../../components/ui";
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
  const row = (r: Followed, label: string) => (
    <tr key={r.label} className={label === "All" ? "font-semibold" : undefined}>
      <td
        className={`text min-w-24 max-w-64 whitespace-normal ${now.by === "page" && label !== "All" ? "num text-left!" : ""}`}
      >
        <bdi className="break-words">{label}</bdi>
      </td>
      <td className="num">
        {count(r.sold)} of {count(r.steps)}
      </td>
      <td>
        <span className="inline-flex items-center gap-2">
          <span className="num">{percent(r.rate, 1)}</span>
          <SpreadBar
            low={r.low}
            estimate={r.rate}
            high={r.high}
            max={end}
            thin={r.thin}
            width={44}
            label={`${percent(r.rate, 1)}, between ${percent(r.low, 1)} and ${percent(r.high, 1)}: ${count(r.sold)} of ${count(r.steps)}`}
          />
        </span>
      </td>
      <td className="num">{money(r.value, undefined, 0)}</td>
    </tr>
  );
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
            <table className="bench bench-dense">
              <thead>
                <tr>
                  <th className="text">{BY[now.by] ?? now.by}</th>
                  <th>
                    Bought, of
                    <br />
                    who followed
                  </th>
                  <th>
                    Share bought
                    <br />
                    <span className="num text-[11.5px]">0 – {percent(end, 0)}</span>
                  </th>
                  <th>
                    Sales
                    <br />
                    <span className="num text-[11.5px]">{now.currency}</span>
                  </th>
                </tr>
              </thead>
              <tbody>
                {now.rows.map((r) => row(r, shown(r.label) || (UNSAID[now.by] ?? "not said")))}
                {now.rows.length > 1 && row({ ...now.whole, label: "\n" }, "All")}
              </tbody>
            </table>
          </Scroll>
          <p className="mt-2 text-[13px] text-quiet">
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
