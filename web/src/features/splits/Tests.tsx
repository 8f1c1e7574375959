import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { Checkbox } from "../../components/Checkbox";
import { Scroll } from "../../components/Scroll";
import { Table } from "../../components/Table";
import { Button, cx, Empty, Failed, Head, Input, Letter, Loading } from "../../components/ui";
import { count, day, several } from "../../lib/format";
import { useSite } from "../../lib/session";
import { useSiteId } from "../../lib/useSiteId";
import { Draft } from "./Draft";
import { testsQuery } from "./queries";
import { shortVerdict } from "./verdict";

type Summary = Schemas["SplitTestSummary"];
const STATES: Record<Summary["state"], string> = {
  draft: "draft",
  running: "running",
  paused: "paused",
  ended: "ended",
  adopted: "adopted",
};

export default function Tests() {
  const siteId = useSiteId();
  const site = useSite(siteId);
  const [making, setMaking] = useState(false);
  const tests = useQuery(testsQuery(siteId));
  if (making) return <Draft siteId={siteId} close={() => setMaking(false)} />;
  const make = site.canEdit && (
    <Button kind="main" onClick={() => setMaking(true)}>
      New split test
    </Button>
  );
  return (
    <>
      <Head
        title="Split tests"
        lead="The same visitors, sent at random to one page or another. Which brings more, and is it sure yet?"
        actions={tests.data?.length ? make : undefined}
      />
      {tests.isPending && <Loading what="the split tests" />}
      {tests.isError && <Failed error={tests.error} retry={tests.refetch} />}
      {tests.data &&
        (tests.data.length ? (
          <List siteId={siteId} tests={tests.data} />
        ) : (
          <div className="mt-5">
            <Empty title="No split test has been made yet.">
              <p>
                You need two pages at two addresses, both with the tag, and a conversion that says which one did better.
              </p>
              {make}
            </Empty>
          </div>
        ))}
    </>
  );
}

/** All that may be searched for of a test: also what was learnt. */
const saidOf = (t: Summary) =>
  [t.name, t.notes, t.conversion_name, shortVerdict(t).text, ...t.variants.flatMap((v) => [v.path, ...v.says])]
    .join("\n")
    .toLowerCase();

function List({ siteId, tests }: { siteId: number; tests: Summary[] }) {
  const [wanted, setWanted] = useState("");
  const [away, setAway] = useState(false);
  const parts = wanted.toLowerCase().split(/\s+/).filter(Boolean);
  // A search looks through the archive too.
  const rows = tests.filter((t) => (parts.length ? parts.every((p) => saidOf(t).includes(p)) : away || !t.archived));
  const hidden = tests.filter((t) => t.archived).length;
  return (
    <>
      <div className="mt-4 flex flex-wrap items-center gap-x-5 gap-y-2">
        <Input
          type="search"
          aria-label="Search the tests"
          placeholder="A name, a page, words of the notes or of the verdict"
          className="max-w-xl"
          value={wanted}
          onChange={(e) => setWanted(e.target.value)}
        />
        {hidden > 0 && !parts.length && (
          <Checkbox label={`with ${count(hidden)} archived`} checked={away} set={setAway} />
        )}
      </div>
      {rows.length ? <Rows siteId={siteId} tests={rows} /> : <p className="mt-4 text-quiet">No test says that.</p>}
    </>
  );
}

function Rows({ siteId, tests }: { siteId: number; tests: Summary[] }) {
  return (
    <Scroll label="All split tests" className="mt-3">
      <Table
        rows={tests}
        rowKey={(t) => t.id}
        columns={[
          {
            key: "test",
            head: "Test",
            text: true,
            className: "whitespace-normal",
            cell: (t) => (
              <>
                <Link
                  to="/s/$siteId/tests/$testId"
                  params={{ siteId: String(siteId), testId: String(t.id) }}
                  className="font-semibold text-plum underline decoration-line underline-offset-4 hover:decoration-plum"
                >
                  {t.name}
                </Link>
                {t.who_says && (
                  <bdi className="block max-w-60 text-small leading-tight text-quiet">visitors {t.who_says}</bdi>
                )}
              </>
            ),
          },
          {
            key: "pages",
            head: "Variants",
            text: true,
            cell: (t) =>
              t.variants.map((v) => (
                <span key={v.letter} className="flex items-center gap-2 py-0.5">
                  <Letter letter={v.letter} />
                  {v.says.length ? (
                    <bdi className="max-w-60 truncate" title={v.says.join("; ")}>
                      {v.says.join("; ")}
                    </bdi>
                  ) : (
                    <bdi className="num max-w-60 truncate">{v.path}</bdi>
                  )}
                  <span className="num text-quiet">{v.share} %</span>
                </span>
              )),
          },
          { key: "counting", head: "Counting", text: true, cell: (t) => several(t.conversion_name) },
          {
            key: "state",
            head: "State",
            text: true,
            cell: (t) => (
              <>
                {STATES[t.state]}
                {t.archived && ", archived"}
                <span className="block text-small leading-tight text-quiet">
                  {t.started_at && !t.ended_at && `since ${day(t.started_at)}`}
                  {t.ended_at && `${day(t.started_at)} to ${day(t.ended_at)}`}
                </span>
              </>
            ),
          },
          {
            key: "visitors",
            head: (
              <>
                Visitors,
                <br />
                of plan
              </>
            ),
            className: "num",
            cell: (t) => (
              <>
                {count(t.visitors)}
                <span className="block text-quiet">{count(t.needed)}</span>
              </>
            ),
          },
          {
            key: "verdict",
            head: "Verdict",
            text: true,
            className: (t) => cx("font-medium whitespace-normal", TONES[shortVerdict(t).tone]),
            cell: (t) => shortVerdict(t).text,
          },
        ]}
      />
    </Scroll>
  );
}
const TONES = { fern: "text-fern", brick: "text-brick", ink: "text-ink", quiet: "text-quiet" };
