/** Ten people on either side of the edge, each with the reason. */
import { Link } from "@tanstack/react-router";
import type { Schemas } from "../../api/client";
import { ago } from "../../lib/format";

type One = Schemas["ExampleOut"];

export function Examples({ siteId, found }: { siteId: number; found: Schemas["ExamplesOut"] }) {
  return (
    <div className="grid gap-6 sm:grid-cols-2">
      <List siteId={siteId} title="Came in last" none="Nobody is in." some={found.inside} />
      <List siteId={siteId} title="Just outside" none="Nobody is near." some={found.outside} />
    </div>
  );
}

function List({ siteId, title, none, some }: { siteId: number; title: string; none: string; some: One[] }) {
  return (
    <section>
      <h2 className="text-lead">{title}</h2>
      {!some.length && <p className="text-small text-quiet">{none}</p>}
      <ul>
        {some.map((one) => (
          <li key={one.visitor} className="flex items-baseline gap-3 border-b py-1.5 text-small">
            <Link
              to="/s/$siteId/audiences"
              params={{ siteId: String(siteId) }}
              search={{ visitor: one.visitor }}
              className="num text-plum underline decoration-line underline-offset-4"
            >
              {one.key.slice(0, 6)}
            </Link>
            <span className="min-w-0 flex-1">{one.reason}</span>
            {one.at && <span className="num whitespace-nowrap text-quiet">{ago(one.at)}</span>}
          </li>
        ))}
      </ul>
    </section>
  );
}
