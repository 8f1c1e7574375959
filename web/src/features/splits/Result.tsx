import { useMutation, useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useParams, useSearch } from "@tanstack/react-router";
import { useState } from "react";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { Pictured } from "../../charts/Pictured";
import { RangeChart } from "../../charts/RangeChart";
import { SpreadBar } from "../../charts/SpreadBar";
import { scaleEnd } from "../../charts/scale";
import { OriginAndDevice, PeopleWord } from "../../components/LensSentence";
import { Scroll } from "../../components/Scroll";
import { type Column, Table } from "../../components/Table";
import { cx, Failed, Letter, Loading, TextButton } from "../../components/ui";
import { count, day, hour, money, percent, plural, several, signed, times, words } from "../../lib/format";
import type { Lens } from "../../lib/lens";
import { useSite } from "../../lib/session";
import { useSiteId } from "../../lib/useSiteId";
import { changed } from "../../words/changed";
import { lensChoicesQuery } from "../pages/queries";
import { Checklist } from "./Checklist";
import { Draft } from "./Draft";
import { Facts } from "./Facts";
import { Groups } from "./Groups";
import { HeldOut } from "./HeldOut";
import { Hindrance } from "./Hindrance";
import { Life } from "./Life";
import { Log } from "./Log";
import { Measures } from "./Measures";
import { AlsoOn } from "./MorePages";
import { looksQuery, resultQuery } from "./queries";
import { verdictWords } from "./verdict";

type Result = Schemas["ResultOut"];
type Test = Result["test"];

const ran = (t: Test) => `ran from ${day(t.started_at)} to ${day(t.ended_at)}`;
const STANDS: Record<Test["state"], (t: Test) => string> = {
  draft: () => "draft",
  running: (t) => `running since ${day(t.started_at)}${t.ends_on ? `, ends after ${day(t.ends_on)}` : ""}`,
  paused: (t) => `paused; started on ${day(t.started_at)}`,
  ended: ran,
  adopted: (t) => `${ran(t)}; ${t.adopted} adopted${t.shown ? ", shown by Clabo" : ""}`,
};

export default function ResultPlace() {
  const siteId = useSiteId();
  const site = useSite(siteId);
  const testId = Number(useParams({ from: "/s/$siteId/tests/$testId" }).testId);
  const search = useSearch({ from: "/s/$siteId/tests/$testId" });
  const navigate = useNavigate({ from: "/s/$siteId/tests/$testId" });
  const [changing, setChanging] = useState(false);
  const { origin, device } = search;
  const result = useQuery(resultQuery(siteId, testId, search));
  const lens = useQuery(lensChoicesQuery(siteId, search));
  if (result.isPending) return <Loading what="the test" />;
  if (!result.data) return <Failed error={result.error} retry={result.refetch} />;
  const r = result.data;
  if (changing) return <Draft siteId={siteId} test={r.test} close={() => setChanging(false)} />;
  const part = (origin && origin !== "any") || (device && device !== "any");
  const said = verdictWords(r);
  return (
    <>
      <header className="flex flex-wrap items-start justify-between gap-3 border-b-2 border-ink pb-3">
        <div className="max-w-[50rem]">
          <p className="text-small text-quiet">
            <Link to="/s/$siteId/tests" params={{ siteId: String(siteId) }} className="text-plum underline">
              Split tests
            </Link>
            {" · "}
            {STANDS[r.test.state](r.test)}
            {r.test.archived && ", archived"}
          </p>
          <h1 className="font-head text-head leading-[1.4] font-normal">
            <bdi className="font-semibold">{r.test.name}</bdi>: {several(r.test.conversion_name)} per visitor to{" "}
            <bdi
              className={cx("num text-title!", (r.arms[0]?.path.length ?? 0) < 32 ? "whitespace-nowrap" : "break-all")}
            >
              {r.arms[0]?.path}
            </bdi>
            {r.test.pages.length > 0 && <AlsoOn test={r.test} />}
            {r.test.who_says && (
              <>
                , visitors <bdi>{r.test.who_says}</bdi>
              </>
            )}
            {r.test.moment_says && `, ${r.test.moment_says}`}
            {lens.data && (
              <>
                {lens.data.audiences.length > 0 && ", "}
                <PeopleWord
                  read={lens.data}
                  change={(words) => navigate({ search: (now: Lens) => ({ ...now, ...words }) })}
                />
                {lens.data.audiences.length === 0 && ", "}
                <OriginAndDevice
                  read={lens.data}
                  change={(words) => navigate({ search: (now: Lens) => ({ ...now, ...words }) })}
                />
                , money from the moment of the exposure
              </>
            )}
            .
          </h1>
        </div>
        {site.canEdit && <Life siteId={siteId} r={r} change={() => setChanging(true)} />}
      </header>
      <section aria-label="Verdict" className="py-3">
        <p className="font-head text-say leading-tight font-semibold">{said.head}</p>
        <p className="mt-1 max-w-4xl text-lead">
          {said.reason} <Worth r={r} />
        </p>
        {r.window_days > 0 && r.test.state !== "draft" && (
          <p className="mt-1 border-l-4 border-marigold pl-3">
            Conversions take time on this site. Compared are conversions within {r.window_days} day
            {r.window_days === 1 ? "" : "s"} of the first view, of visitors who came at least that long ago:{" "}
            {r.compared.map((c) => `${c.letter} ${count(c.converted)} of ${count(c.visitors)}`).join(", ")}. The table
            below counts everything so far.
          </p>
        )}
        {lens.data?.audience && (
          <p className="mt-1 border-l-4 border-marigold pl-3">
            Only of who is in <bdi>{lens.data.audience.name}</bdi> now. A variant may itself have moved people in or
            out: this describes them, and decides nothing.
          </p>
        )}
        {r.changes.map((c) => (
          <p key={c.version} className="mt-1 border-l-4 border-marigold pl-3">
            The rule of {words(r.test.conversion_name)} was changed on {day(c.made_at)}
            {c.added == null ? "; the past is being counted again" : `: ${changed(c)}`}. All variants are counted by the
            rule as it is now.
          </p>
        ))}
        {r.test.variants
          .filter((v) => v.led_back > 0)
          .map((v) => (
            <p key={v.letter} className="mt-1 border-l-4 border-brick pl-3">
              <bdi className="num">{v.path}</bdi> leads back to <bdi className="num">{r.arms[0]?.path}</bdi>:{" "}
              {count(v.led_back)} visitor{v.led_back === 1 ? "" : "s"} sent there came back at once, last{" "}
              {hour(v.led_back_at)}. They see the control. Mend the redirect, or end the test.
            </p>
          ))}
        {r.test.variants.flatMap((v) =>
          v.hindrances.map((h) => (
            <p
              key={v.letter + h.why + h.selector}
              className={`mt-1 border-l-4 pl-3 ${h.why === "late" ? "border-marigold" : "border-brick"}`}
            >
              <Hindrance letter={v.letter} of={h} />
            </p>
          )),
        )}
        {part && (
          <p className="mt-1 font-medium text-marigold">
            This looks at a part of the visitors only; the test was planned for all of them.
          </p>
        )}
      </section>
      {r.test.state !== "draft" && r.visitors > 0 && (
        <div className="grid grid-cols-[minmax(0,1fr)] gap-6 lg:grid-cols-[minmax(0,1fr)_360px]">
          <Ranges r={r} />
          <Facts r={r} />
        </div>
      )}
      <Arms siteId={siteId} r={r} canEdit={site.canEdit} />
      {r.test.state !== "draft" && r.held && <HeldOut r={r} held={r.held} />}
      {r.test.state !== "draft" && <Measures r={r} />}
      {r.visitors > 0 && <ForWhom siteId={siteId} r={r} />}
      {r.test.state === "draft" && <Checklist siteId={siteId} testId={testId} />}
      <Log r={r} />
    </>
  );
}

/** Asked for by opening it: telling a large test's visitors apart takes a while. */
function ForWhom({ siteId, r }: { siteId: number; r: Result }) {
  const [open, setOpen] = useState(false);
  return (
    <details className="mt-5" open={open} onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="cursor-pointer font-semibold">For whom it holds</summary>
      {open && <Groups siteId={siteId} r={r} />}
    </details>
  );
}

/** What adopting the winner is worth in money, as a range, at today's traffic. */
function Worth({ r }: { r: Result }) {
  const against = r.against.find((a) => a.letter === r.verdict.letter);
  const v = against?.value_range;
  if (r.verdict.kind !== "adopt" || v?.low == null || v.high == null || r.arms[0]?.value_per_visitor == null)
    return null;
  const month = r.visitors_per_day * 30;
  const [low, high] = [v.low * month, v.high * month];
  return (
    <>
      At {count(Math.round(r.visitors_per_day))} visitors a day that is{" "}
      {low > 0
        ? `${money(low, r.currency, 0)} to ${money(high, r.currency, 0)} more`
        : `between ${money(low, r.currency, 0)} and ${money(high, r.currency, 0)}`}{" "}
      a month in value.
    </>
  );
}

function Ranges({ r }: { r: Result }) {
  const letters = r.against.map((a) => a.letter);
  const [letter, setLetter] = useState(r.verdict.letter ?? letters[0]);
  const unit = `${plural(r.category)} per 100 visitors, ${letter} minus A`;
  return (
    <figure>
      <figcaption className="mb-2 flex items-baseline justify-between gap-3 font-semibold">
        <span>
          <span className="capitalize">{unit.charAt(0)}</span>
          {unit.slice(1)}: where the true difference lies, day by day
        </span>
        {letters.length > 1 && (
          <span className="flex gap-1">
            {letters.map((l) => (
              <button
                key={l}
                type="button"
                aria-pressed={l === letter}
                aria-label={`Show ${l}`}
                onClick={() => setLetter(l)}
                className={cx("rounded-box p-0.5", l === letter && "bg-plum-wash")}
              >
                <Letter letter={l} />
              </button>
            ))}
          </span>
        )}
      </figcaption>
      <Pictured name="honest-range">
        <div className="panel">
          <RangeChart
            days={r.days
              .filter((d) => d.letter === letter)
              .map((d) => ({ day: d.day, visitors: d.visitors, ...d.range }))}
            worth={r.worth}
            decided={letter === r.verdict.letter ? r.decided_on : null}
            unit={unit}
            changes={r.changes.map((c) => c.made_at)}
          />
        </div>
      </Pictured>
    </figure>
  );
}

function Lifetime({ children }: { children: React.ReactNode }) {
  return <span className="block text-mark leading-tight text-quiet">lifetime {children}</span>;
}

type Arm = Schemas["ArmOut"];

/** Opens the page itself with the editor; what is written there comes back into the draft. */
function WriteOnPage({ siteId, testId, letter }: { siteId: number; testId: number; letter: string }) {
  const link = useMutation({
    mutationFn: () =>
      data(
        client.POST("/api/sites/{site_id}/tests/{test_id}/editor", {
          params: { path: { site_id: siteId, test_id: testId } },
          body: { letter },
        }),
      ),
    onSuccess: ({ address }) => {
      const tab = open(address, "_blank");
      if (tab) tab.opener = null;
      // One that is opened later than the click may be kept closed.
      else toast("Your browser keeps new tabs closed. Allow them for Clabo.");
    },
    onError: (error) => toast.error(error.message),
  });
  return (
    <>
      {" · "}
      <TextButton
        onClick={() => link.mutate()}
        title="Opens the page with an editor on it, for two hours and for you. Nothing of it is counted."
      >
        write it on the page<span className="sr-only">, variant {letter}</span>
      </TextButton>
    </>
  );
}

function Arms({ siteId, r, canEdit }: { siteId: number; r: Result; canEdit: boolean }) {
  const writable = canEdit && r.test.state === "draft" && r.test.what === "content";
  const end = scaleEnd(r.arms.map((a) => a.rate.high));
  const draft = r.test.state === "draft";
  const looks = useQuery(looksQuery(siteId, r.test.id));
  const look = (letter: string) => looks.data?.find((l) => l.letter === letter)?.address;
  const value = (a: Arm) => r.against.find((x) => x.letter === a.letter)?.value_range;
  const planned: Column<Arm>[] = [
    {
      key: "variant",
      head: "Variant",
      text: true,
      cell: (a) => (
        <span className="flex items-center gap-3">
          <Letter letter={a.letter} />
          <span>
            {a.says.length ? (
              a.says.map((says) => (
                <bdi key={says} className="block max-w-80 whitespace-normal break-words">
                  {says}
                </bdi>
              ))
            ) : (
              <bdi className={a.letter === "A" || r.test.what === "address" ? "num block" : "block text-quiet"}>
                {a.letter === "A" || r.test.what === "address" ? a.path : "nothing yet"}
              </bdi>
            )}
            <span className="text-small text-quiet">
              {a.letter === "A" ? "control" : "challenger"}
              {look(a.letter) && (
                <>
                  {" · "}
                  <a
                    href={look(a.letter)}
                    target="_blank"
                    rel="noopener noreferrer"
                    className="text-plum underline"
                    title="Opens the page as it is in this variant. Nothing of it is counted. The link is good for two hours."
                  >
                    see it<span className="sr-only">, variant {a.letter}</span>
                  </a>
                </>
              )}
              {writable && a.letter !== "A" && <WriteOnPage siteId={siteId} testId={r.test.id} letter={a.letter} />}
            </span>
          </span>
        </span>
      ),
    },
    { key: "share", head: "Share", className: "num", cell: (a) => `${a.share} %` },
  ];
  const seen: Column<Arm>[] = [
    { key: "visitors", head: "Visitors", className: "num", cell: (a) => count(a.visitors) },
    { key: "converted", head: "Converted", className: "num", cell: (a) => count(a.converted) },
    {
      key: "rate",
      head: (
        <>
          Conversion rate
          <br />
          <span className="num text-mark">0 – {percent(end, end < 0.02 ? 1 : 0)}</span>
        </>
      ),
      cell: (a) => (
        <span className="inline-flex items-center gap-2">
          <span className="num">{percent(a.rate.estimate)}</span>
          <SpreadBar
            {...a.rate}
            scale={end}
            thin={a.thin}
            tone={r.verdict.kind === "adopt" && a.letter === r.verdict.letter ? "fern" : "ink"}
            width={120}
            label={`${percent(a.rate.estimate)}, between ${percent(a.rate.low)} and ${percent(a.rate.high)}: ${count(a.converted)} of ${count(a.visitors)} visitors`}
          />
        </span>
      ),
    },
    {
      key: "value",
      head: (
        <>
          Value per visitor
          <br />
          {r.currency}
        </>
      ),
      className: "num",
      cell: (a) => (
        <>
          {money(a.value_per_visitor)}
          {a.lifetime_value_per_visitor != null && <Lifetime>{money(a.lifetime_value_per_visitor)}</Lifetime>}
        </>
      ),
    },
    {
      key: "against",
      head: (
        <>
          Against A,
          <br />
          95 % at every look
        </>
      ),
      className: "num",
      cell: (a) => {
        const against = value(a);
        return a.value_per_visitor != null && against?.low != null && against.high != null
          ? `${signed(against.low)} to ${signed(against.high)}`
          : "–";
      },
    },
    {
      key: "spend",
      head: (
        <>
          Spend
          <br />
          {r.currency}
        </>
      ),
      className: "num",
      cell: (a) => (Number(a.spend) ? money(a.spend, undefined, 0) : "–"),
    },
    {
      key: "roas",
      head: "ROAS",
      className: "num",
      cell: (a) => (
        <>
          {times(a.roas)}
          {a.lifetime_roas != null && <Lifetime>{times(a.lifetime_roas)}</Lifetime>}
        </>
      ),
    },
  ];
  return (
    <Scroll label="Table of variants" className="mt-5">
      <Table caption="Variants" rows={r.arms} rowKey={(a) => a.letter} columns={[...planned, ...(draft ? [] : seen)]} />
    </Scroll>
  );
}
