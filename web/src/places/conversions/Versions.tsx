import { useQuery } from "@tanstack/react-query";
import { client, data, type Schemas } from "../../api/client";
import { day } from "../../parts/format";
import { COUNTINGS, type Conversion } from "./Conversions";

type Content = Schemas["ConversionIn"];

interface Props {
  siteId: number;
  rule: Conversion;
  use: (content: Content) => void;
}

/** What the rule said before, to read and to take up again. */
export function Versions({ siteId, rule, use }: Props) {
  const versions = useQuery({
    queryKey: ["versions", siteId, rule.id, rule.version],
    queryFn: () =>
      data(
        client.GET("/api/sites/{site_id}/conversions/{rule_id}/versions", {
          params: { path: { site_id: siteId, rule_id: rule.id } },
        }),
      ),
  });
  const older = versions.data?.filter((v) => v.version !== rule.version) ?? [];
  if (!older.length) return null;
  return (
    <details className="border-t pt-2">
      <summary className="font-medium text-plum">
        {older.length} older version{older.length === 1 ? "" : "s"}
      </summary>
      <ul className="mt-2 flex flex-col gap-2">
        {older.map((v) => {
          const content = v.content as unknown as Content;
          return (
            <li key={v.version}>
              <span className="text-quiet">
                {day(v.made_at)}
                {v.made_by && `, ${v.made_by}`}:
              </span>{" "}
              {content.rule.page.match} <bdi className="num break-all">{content.rule.page.value}</bdi>,{" "}
              {COUNTINGS[content.counting]}.{" "}
              <button type="button" className="text-plum underline" onClick={() => use(content)}>
                Take this up again
              </button>
            </li>
          );
        })}
      </ul>
    </details>
  );
}
