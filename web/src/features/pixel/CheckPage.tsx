/** Fetches one page and says what is to be seen of the tag on it. */
import { useQueryClient } from "@tanstack/react-query";
import { Check, TriangleAlert } from "lucide-react";
import { useEffect } from "react";
import { client, data, type Schemas } from "../../api/client";
import { Form, Unplaced, useServerForm, Written } from "../../components/form";
import { Button } from "../../components/ui";
import { ago, count } from "../../lib/format";
import { makeStale } from "../../lib/stale";
import { filled, z } from "../../lib/zod";

type Found = Schemas["CheckedOut"];
type Finding = Schemas["TagFindingOut"];

const SAYS: Record<Finding["verdict"], (more: string, found: Found) => string> = {
  found: () => "The tag is in the page.",
  missing: (_, found) =>
    found.stopped
      ? "The tag is gone from the page. Paste the line from Install into its head again."
      : found.last_hit_at
        ? "The tag is not in the page’s text, but hits come from it: another script puts it in, or it was removed since the last one."
        : "The tag is not in the page. Paste the line from Install into its head.",
  twice: (more) => `The tag is in the page ${more}. Remove all but one.`,
  old_key: (more) => `A tag with the key ${more} is in the page. It is not this site’s: remove it.`,
  in_body: () => "The tag is in the body instead of the head. It works, a moment later; split tests may flash.",
  blocked: (more) => `The page’s own security policy keeps the tag out (${more}). Add the sources from Install.`,
  gated: (more) =>
    more
      ? "Nothing is sent before the visitor consents, by this site’s own setting."
      : "A consent tool holds the tag back until the visitor agrees. Before that, nothing is counted.",
  not_async: () => "The tag holds the page up while it loads: copy the line again, with async.",
};

export function CheckPage({ siteId, start }: { siteId: number; start: string }) {
  const queries = useQueryClient();
  const form = useServerForm({
    schema: z.object({ url: filled("Say which page.") }),
    values: { url: start },
    send: (body) =>
      data(client.POST("/api/sites/{site_id}/check-page", { params: { path: { site_id: siteId } }, body })),
    done: () => makeStale(queries, siteId, "coverage"),
  });
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, for the page it was opened with.
  useEffect(() => {
    if (start) form.submit();
  }, []);
  return (
    <section aria-labelledby="check" className="panel p-3">
      <Form form={form} className="flex flex-wrap items-end gap-3">
        <div className="min-w-0 flex-1 basis-72">
          <h2 id="check" className="sr-only">
            Check a page
          </h2>
          <Written form={form} name="url" label="Check a page" className="num" placeholder="/order/thank-you" />
        </div>
        <Button type="submit" className="mb-1" disabled={form.pending}>
          {form.pending ? "Looking …" : "Look for the tag"}
        </Button>
      </Form>
      <Unplaced form={form} />
      {form.result && <Result found={form.result} />}
    </section>
  );
}

function Result({ found }: { found: Found }) {
  return (
    <div role="status" className="mt-1 border-t pt-2">
      <p>
        <bdi className="num break-all">{found.url}</bdi>
        {found.title && <bdi className="text-quiet"> {found.title}</bdi>}
        {found.redirects.length > 0 && <span className="text-quiet">, after {found.redirects.length} redirects</span>}
      </p>
      <ul className="mt-1 flex flex-col gap-1">
        {found.status >= 400 && (
          <Line good={false} text={`The server answers ${found.status}: this is not the page that visitors see.`} />
        )}
        {found.findings.map((f) => (
          <Line
            key={f.verdict}
            good={f.good || (f.verdict === "missing" && found.last_hit_at != null && !found.stopped)}
            text={SAYS[f.verdict](f.more ?? "", found)}
          />
        ))}
        <Line
          good={found.last_hit_at != null && !found.stopped}
          text={
            found.last_hit_at
              ? `The last hit from it came ${ago(found.last_hit_at)}${found.stopped ? ", longer ago than it is ever quiet" : ""}.`
              : "No hit has come from it yet: nobody has opened it with the tag on it."
          }
        />
        {found.frames.length > 0 && (
          <Line
            good
            text={`It shows ${count(found.frames.length)} frame${found.frames.length > 1 ? "s" : ""} of another origin: ${found.frames
              .map((f) => new URL(f).origin)
              .join(", ")}. A form in there needs a rule “a frame says so”, or the line for a form’s own page.`}
          />
        )}
      </ul>
      {found.new_links > 0 && (
        <p className="mt-1 text-quiet">{count(found.new_links)} pages that it links to are new in the list below.</p>
      )}
    </div>
  );
}

function Line({ good, text }: { good: boolean; text: string }) {
  return (
    <li className="flex gap-2">
      {good ? (
        <Check className="mt-0.5 size-4 shrink-0 text-fern" role="img" aria-label="fine" />
      ) : (
        <TriangleAlert className="mt-0.5 size-4 shrink-0 text-marigold" role="img" aria-label="to do" />
      )}
      <bdi className="min-w-0 break-words">{text}</bdi>
    </li>
  );
}
