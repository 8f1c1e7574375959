/** How up to six audiences overlap: a row for each, a column for each combination that has people. */
import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { Checkbox } from "../../components/Checkbox";
import { Failed, Loading } from "../../components/ui";
import { count, percent } from "../../lib/format";
import type { Audience } from "./model";
import { overlapQuery } from "./queries";

const MOST = 6;
const [WIDE, HIGH, BAR] = [44, 34, 130];

export function Overlap({ siteId, audiences }: { siteId: number; audiences: Audience[] }) {
  const [chosen, setChosen] = useState<number[]>(audiences.slice(0, 3).map((a) => a.id));
  const found = useQuery(overlapQuery(siteId, chosen));
  const those = chosen.flatMap((id) => audiences.filter((a) => a.id === id));
  const toggle = (id: number) =>
    setChosen(chosen.includes(id) ? chosen.filter((c) => c !== id) : [...chosen, id].slice(-MOST));
  return (
    <div className="grid gap-6 lg:grid-cols-[300px_minmax(0,1fr)]">
      <fieldset className="flex flex-col gap-1.5">
        <legend className="mb-1 font-medium">Two to six audiences</legend>
        {audiences.map((a) => (
          <Checkbox
            key={a.id}
            label={a.name}
            hint={`${count(a.people)} people`}
            checked={chosen.includes(a.id)}
            set={() => toggle(a.id)}
          />
        ))}
      </fieldset>
      {chosen.length < 2 ? (
        <p className="text-quiet">Choose one more to see what they share.</p>
      ) : found.isPending ? (
        <Loading what="the overlap" />
      ) : found.isError ? (
        <Failed error={found.error} retry={found.refetch} />
      ) : (
        <Matrix siteId={siteId} those={those} found={found.data} />
      )}
    </div>
  );
}

interface MatrixProps {
  siteId: number;
  those: Audience[];
  found: { people: number[]; combinations: { inside: boolean[]; people: number }[]; together: number };
}

function Matrix({ siteId, those, found }: MatrixProps) {
  const top = Math.max(1, ...found.combinations.map((c) => c.people));
  const names = (inside: boolean[], is: boolean) => those.filter((_, i) => inside[i] === is);
  // While another choice is being counted, what stands belongs to the one before.
  if (found.people.length !== those.length) return <Loading what="the overlap" />;
  return (
    <div className="min-w-0">
      <p>
        <strong className="num">{count(found.together)}</strong> people are in at least one of these. Each column is of
        people who are in exactly the marked audiences and in none of the others.
      </p>
      <div className="mt-3 overflow-x-auto">
        <table className="border-collapse text-left">
          <caption className="sr-only">People by the combination of audiences they are in</caption>
          <thead>
            <tr>
              <th className="pr-4 align-bottom text-fine font-normal text-quiet" scope="col">
                Audience, people
              </th>
              {found.combinations.map(({ inside, people }) => (
                <th
                  key={inside.join()}
                  scope="col"
                  style={{ width: WIDE, height: BAR + 26 }}
                  className="align-bottom font-normal"
                  aria-label={`${count(people)} only in ${names(inside, true)
                    .map((a) => a.name)
                    .join(" and ")}`}
                >
                  <div className="flex flex-col items-center">
                    <span className="num text-fine">{count(people)}</span>
                    <span className="w-4 bg-ink" style={{ height: Math.max(1, (people / top) * BAR) }} />
                  </div>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {those.map((audience, row) => (
              <tr key={audience.id} className="border-t">
                <th scope="row" className="pr-4 font-normal">
                  {audience.name} <span className="num text-quiet">{count(found.people[row])}</span>
                </th>
                {found.combinations.map(({ inside }) => (
                  <td key={inside.join()} style={{ height: HIGH }} className="text-center">
                    <span className="sr-only">{inside[row] ? "in" : "not in"}</span>
                    {inside[row] ? (
                      <span aria-hidden className="inline-block h-[14px] w-5 bg-plum align-middle" />
                    ) : (
                      <span aria-hidden className="inline-block h-[2px] w-5 bg-line align-middle" />
                    )}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <h2 className="mt-5 text-lead">The exclusive parts</h2>
      <ul className="mt-1">
        {found.combinations.map(({ inside, people }) => (
          <li key={inside.join()} className="flex flex-wrap items-baseline gap-x-3 border-b py-1.5">
            <span className="num w-16 text-right">{count(people)}</span>
            <span className="num w-16 text-right text-quiet">{percent(people / found.together, 1)}</span>
            <span className="min-w-0 flex-1">
              {names(inside, true)
                .map((a) => a.name)
                .join(" and ")}
              {names(inside, false).length > 0 && " only"}
            </span>
            <Link
              to="/s/$siteId/audiences/$audienceId"
              params={{ siteId: String(siteId), audienceId: "new" }}
              search={{
                all: names(inside, true)
                  .map((a) => a.id)
                  .join(),
                none: names(inside, false)
                  .map((a) => a.id)
                  .join(),
              }}
              className="text-small text-plum underline"
            >
              Make it an audience
            </Link>
          </li>
        ))}
      </ul>
    </div>
  );
}
