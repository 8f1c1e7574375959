/** The pages that a test of content is on besides the one it is written on. */
import type { Schemas } from "../../api/client";
import { Button, Input, Select, TextButton } from "../../components/ui";

export type Where = Schemas["PlaceIn"];
const MOST = 10;

interface Props {
  pages: Where[];
  set: (pages: Where[]) => void;
  error: (name: string) => string | undefined;
}

export function MorePages({ pages, set, error }: Props) {
  const put = (place: number, part: Partial<Where>) => set(pages.map((p, i) => (i === place ? { ...p, ...part } : p)));
  return (
    <div className="-mt-1 flex flex-col gap-2">
      {pages.map((page, place) => {
        const wrong = error(`pages[${place}].value`) ?? error(`pages[${place}].match`);
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: it has no identity but its place
          <div key={place}>
            <p className="text-small text-quiet">{place ? "or" : "and wherever the address"}</p>
            <div className="flex items-center gap-2">
              <Select
                aria-label="How the address compares"
                className="w-40! shrink-0"
                value={page.match}
                onChange={(e) => put(place, { match: e.target.value as Where["match"] })}
              >
                <option value="begins">begins with</option>
                <option value="contains">contains</option>
                <option value="equals">is</option>
              </Select>
              <Input
                aria-label="What it compares with"
                aria-invalid={Boolean(wrong)}
                className="num min-w-0 flex-1"
                placeholder="/kits"
                value={page.value}
                onChange={(e) => put(place, { value: e.target.value })}
              />
              <Button
                kind="quiet"
                aria-label="Leave these pages out"
                onClick={() => set(pages.filter((_, i) => i !== place))}
              >
                out
              </Button>
            </div>
            {wrong && (
              <p role="alert" className="text-small text-brick">
                {wrong}
              </p>
            )}
          </div>
        );
      })}
      {pages.length < MOST && (
        <p className="text-small">
          <TextButton onClick={() => set([...pages, { match: "begins", value: "" }])}>
            {pages.length ? "Yet more pages" : "On more pages than this one"}
          </TextButton>
        </p>
      )}
    </div>
  );
}

const COMPARES = { begins: "begins with", contains: "contains", equals: "is" };

/** The same in words, after the page that the test is written on. */
export function AlsoOn({ test }: { test: Schemas["SplitTestOut"] }) {
  const host = test.variants[0]?.host ?? "";
  return (
    <>
      {" "}
      and wherever the address{" "}
      {test.pages.map((p, i) => (
        <span key={p.match + p.value}>
          {i > 0 && " or "}
          {COMPARES[p.match]}{" "}
          <bdi className="num break-all text-title!">
            {p.value.startsWith(`${host}/`) ? p.value.slice(host.length) : p.value}
          </bdi>
        </span>
      ))}
    </>
  );
}
