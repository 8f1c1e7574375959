/** The kit for somebody without an account: read only, for a while, with a tick when the first hit comes in. */
import { useQuery } from "@tanstack/react-query";
import { useParams } from "@tanstack/react-router";
import { Check } from "lucide-react";
import { Failed, Head, Loading } from "../../components/ui";
import { ago, day } from "../../lib/format";
import { Kit } from "./Kit";
import { sharedKitQuery } from "./queries";

export default function SharedKit() {
  const { token } = useParams({ strict: false });
  const kit = useQuery(sharedKitQuery(token ?? ""));
  const now = kit.data;
  return (
    <main className="mx-auto max-w-5xl p-6">
      {kit.isPending && <Loading what="the kit" />}
      {kit.isError && <Failed error={kit.error} />}
      {now && (
        <>
          <Head
            title={`One line for ${now.site}`}
            lead={`${now.asked_by || "A colleague"} asks you to put Clabo’s tag on the pages of ${now.hosts.join(", ")}. This page can be read until ${day(now.expires_at)}.`}
          />
          {now.note && (
            <blockquote className="mt-3 border-l-4 border-line pl-3">
              <bdi>{now.note}</bdi>
            </blockquote>
          )}
          <p role="status" className="my-4 flex items-center gap-2 text-lead">
            {now.first_at ? (
              <>
                <Check className="size-5 text-fern" aria-hidden />
                <span>
                  <strong>It has arrived.</strong> First hit {ago(now.first_at)}, last {ago(now.last_at)}.
                </span>
              </>
            ) : (
              <>
                <span className="size-3 animate-pulse rounded-full bg-marigold" aria-hidden />
                <span>No hit yet. Paste the line, open a page in a browser, and this turns to a tick by itself.</span>
              </>
            )}
          </p>
          <Kit pieces={now.pieces} />
        </>
      )}
    </main>
  );
}
