/** What Clabo has looked at before a start. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Check, CircleAlert, CircleHelp } from "lucide-react";
import type { ReactNode } from "react";
import { client, data, type Schemas } from "../../api/client";
import { TextButton } from "../../components/ui";
import { count, several } from "../../lib/format";
import { checklistQuery } from "./queries";

type Item = Schemas["StartCheckOut"];

function Names({ of }: { of: string[] }) {
  return <bdi className="num break-words">{of.join(", ")}</bdi>;
}

const SAYS: Record<Item["what"], (c: Item) => ReactNode> = {
  tag: (c) =>
    c.ok ? (
      "The tag is on every page of it."
    ) : (
      <>
        No hit has come from <Names of={c.names} /> yet. Put the tag there and open the page once.
      </>
    ),
  lately: (c) =>
    c.ok ? (
      "Every page has been seen in the last week."
    ) : (
      <>
        Nobody has been seen on <Names of={c.names} /> for a week. Is it still there?
      </>
    ),
  conversion: (c) =>
    c.ok ? (
      "What decides it has been counted in the last four weeks."
    ) : (
      <>
        No {several(c.names[0] ?? "")} have been counted for four weeks: rehearse it first, or the test waits for
        nothing.
      </>
    ),
  circle: (c) =>
    c.ok ? (
      "No variant leads back to the control."
    ) : (
      <>
        <Names of={c.names} /> leads back to the control. Mend the redirect.
      </>
    ),
  elements: (c) =>
    c.ok == null ? (
      <>
        {c.reason
          ? "Clabo could not open the page by itself. "
          : "Clabo’s own browser looks at the page after each saving; it has not yet. "}
        Or open “see it” of each variant above, on a phone too, and look whether <Names of={c.names} /> is there.
      </>
    ) : c.ok ? (
      <>
        The page has every element that is changed.
        {c.partly.length > 0 && (
          <>
            {" "}
            Only as a desktop or only as a phone: <Names of={c.partly} />.
          </>
        )}
      </>
    ) : (
      <>
        The page has nothing for <Names of={c.names} />, neither as a desktop nor as a phone. Choose another element, or
        write the variant on the page.
      </>
    ),
  traffic: (c) =>
    c.days == null
      ? "Nobody was seen on the control in the last four weeks, so nobody knows how long it takes."
      : c.ok
        ? `At today’s traffic it takes about ${count(c.days)} days.`
        : `At today’s traffic it takes about ${count(c.days)} days, longer than most offers live.`,
  clash: (c) =>
    c.ok ? (
      c.names.length ? (
        <>
          It stands beside <bdi>{c.names.join(", ")}</bdi>, as you have said.
        </>
      ) : (
        "No other test is on its pages."
      )
    ) : (
      <>
        <bdi className="font-medium">{c.names.join(", ")}</bdi> is on its pages too. Say under Change whether nobody is
        to be in both, or everybody may be.
      </>
    ),
};

export function Checklist({ siteId, testId }: { siteId: number; testId: number }) {
  const checks = useQuery(checklistQuery(siteId, testId));
  if (checks.isPending) return <p className="mt-4 text-quiet">Looking at the pages …</p>;
  if (!checks.data) return null;
  return (
    <section aria-label="Before the start" className="mt-5 max-w-3xl">
      <h2 className="mb-1 font-semibold">Before the start</h2>
      <ul className="panel">
        {checks.data.map((c) => (
          <li key={c.what} className="flex items-start gap-2 border-b px-3 py-1.5 last:border-b-0">
            <Mark ok={c.ok} />
            <span>
              {SAYS[c.what](c)}
              {c.what === "elements" && c.names.length + c.partly.length > 0 && (
                <LookNow siteId={siteId} testId={testId} />
              )}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

function LookNow({ siteId, testId }: { siteId: number; testId: number }) {
  const queries = useQueryClient();
  const look = useMutation({
    mutationFn: () =>
      data(
        client.POST("/api/sites/{site_id}/tests/{test_id}/elements", {
          params: { path: { site_id: siteId, test_id: testId } },
        }),
      ),
    // The browser takes some seconds, and waits for those before it.
    onSuccess: () => {
      for (const seconds of [3, 6, 10, 20, 40])
        setTimeout(
          () => queries.invalidateQueries({ queryKey: checklistQuery(siteId, testId).queryKey }),
          seconds * 1000,
        );
    },
  });
  return (
    <>
      {" "}
      <TextButton onClick={() => look.mutate()}>{look.isSuccess ? "Checking …" : "Check again"}</TextButton>
    </>
  );
}

function Mark({ ok }: { ok: boolean | null }) {
  const [Sign, tone, says] =
    ok == null
      ? ([CircleHelp, "text-quiet", "to be looked at by you"] as const)
      : ok
        ? ([Check, "text-fern", "in order"] as const)
        : ([CircleAlert, "text-brick", "to be mended"] as const);
  return <Sign size={16} role="img" aria-label={says} className={`mt-[3px] shrink-0 ${tone}`} />;
}
