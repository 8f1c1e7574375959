/** For whom a test's difference holds, each group drawn towards the whole. */
import { useQuery } from "@tanstack/react-query";
import type { Schemas } from "../../api/client";
import { RangeMark } from "../../charts/RangeMark";
import { Scroll } from "../../components/Scroll";
import { type Column, Table } from "../../components/Table";
import { Letter } from "../../components/ui";
import { count, percent, plural, pValue, signed } from "../../lib/format";
import { groupsQuery } from "./queries";

type Group = Schemas["GroupOut"];

const WAYS: Record<Group["way"], string> = {
  device: "By device",
  channel: "By channel",
  visits: "By earlier visits",
  week: "First week and later",
  days: "By days of the week",
  test: "By variant of",
};
const GROUPS: Record<string, string> = {
  phone: "phones",
  tablet: "tablets",
  desktop: "desktops",
  new: "first visit",
  returning: "been there before",
  first: "came in the first week",
  later: "came later",
  weekdays: "Monday to Friday",
  weekend: "weekend",
};

export function Groups({ siteId, r }: { siteId: number; r: Schemas["ResultOut"] }) {
  const groups = useQuery(groupsQuery(siteId, r.test.id));
  if (groups.isPending) return <p className="mt-3 text-quiet">Telling the visitors apart …</p>;
  if (!groups.data?.length) return <p className="mt-3 text-quiet">Too few have come to tell them apart.</p>;
  const flagged = groups.data.filter((g) => g.differs);
  const several = new Set(groups.data.map((g) => g.letter)).size > 1;
  const first = (g: Group, place: number) =>
    groups.data[place - 1]?.way !== g.way ||
    groups.data[place - 1]?.other !== g.other ||
    groups.data[place - 1]?.letter !== g.letter;
  const columns: Column<Group & { place: number }>[] = [
    {
      key: "way",
      head: "Visitors",
      text: true,
      cell: (g) => (
        <>
          {first(g, g.place) && (
            <span className="block text-small text-quiet">
              {WAYS[g.way]} {g.other && <bdi>“{g.other_name}”</bdi>}
            </span>
          )}
          {g.other ? <Letter letter={g.group} /> : (GROUPS[g.group] ?? g.group)}
        </>
      ),
    },
    ...(several
      ? [{ key: "letter", head: "Variant", text: true, cell: (g: Group) => <Letter letter={g.letter} /> }]
      : []),
    { key: "a", head: "A", className: "num", cell: (g) => <Share did={g.control_converted} of={g.control_visitors} /> },
    {
      key: "b",
      head: several ? "Variant" : groups.data[0]?.letter,
      className: "num",
      cell: (g) => <Share did={g.converted} of={g.visitors} />,
    },
    {
      key: "difference",
      head: (
        <>
          Difference per 100,
          <br />
          drawn towards all, 95 % at every look
        </>
      ),
      cell: (g) => (
        <span className="inline-flex items-center gap-2">
          <span className="num">
            {signed((g.shrunk.low ?? 0) * 100)} to {signed((g.shrunk.high ?? 0) * 100)}
          </span>
          <RangeMark low={g.shrunk.low ?? 0} high={g.shrunk.high ?? 0} tone={g.differs ? "brick" : "ink"} />
        </span>
      ),
    },
    {
      key: "differs",
      head: "Unlike the others?",
      text: true,
      cell: (g) =>
        g.differs ? (
          <span className="font-medium text-brick">{g.reversed ? "yes, the other way" : "yes"}</span>
        ) : (
          <span className="text-quiet">not seen</span>
        ),
    },
    { key: "p", head: "p at every look, after Holm", className: "num", cell: (g) => pValue(g.p_value) },
  ];
  return (
    <>
      <p className="mt-1 max-w-4xl">
        {flagged.length
          ? `The difference in ${plural(r.category)} is not the same for everybody: see the groups marked below.`
          : "No group is seen to differ from the others. That is no proof that none does: a group takes many more visitors than the whole."}{" "}
        <span className="text-quiet">
          Each group is drawn towards the whole by how little it tells, and marked only where that survives looking at
          all of them.
        </span>
      </p>
      <Scroll label="Groups of visitors" className="mt-2">
        <Table
          rows={groups.data.map((g, place) => ({ ...g, place }))}
          rowKey={(g) => `${g.letter}${g.way}${g.other}${g.group}`}
          columns={columns}
        />
      </Scroll>
    </>
  );
}

function Share({ did, of }: { did: number; of: number }) {
  return (
    <>
      {percent(did / of)}
      <span className="block text-small text-quiet">
        {count(did)} of {count(of)}
      </span>
    </>
  );
}
