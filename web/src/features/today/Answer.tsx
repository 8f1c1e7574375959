/** What can be answered to a proposal: done, not now, or never with a reason. Each can be undone. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { type FormEvent, useState } from "react";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { Button, FormProblem, Input, TextButton } from "../../components/ui";
import { useSite } from "../../lib/session";
import { makeStale } from "../../lib/stale";

type Said = Omit<Schemas["AnswerIn"], "key">;

const SAYS: Record<Said["answer"], string> = {
  done: "Noted. What came of it stands below, from tomorrow on.",
  later: "It is asked again in a week.",
  never: "Dismissed, with your reason.",
};

export function Answer({ siteId, about }: { siteId: number; about: string }) {
  const site = useSite(siteId);
  const queries = useQueryClient();
  const [open, setOpen] = useState(false);
  const [reason, setReason] = useState("");
  const answer = useMutation({
    mutationFn: (said: Said) =>
      data(
        client.POST("/api/sites/{site_id}/decisions", {
          params: { path: { site_id: siteId } },
          body: { key: about, ...said },
        }),
      ),
    onSuccess: (_, said) => {
      setOpen(false);
      toast(SAYS[said.answer]);
      return makeStale(queries, siteId, "today", "decisions");
    },
  });
  if (!site.canEdit) return null;
  const busy = answer.isPending;
  const never = (event: FormEvent) => {
    event.preventDefault();
    answer.mutate({ answer: "never", days: 7, reason });
  };
  return (
    <p className="mt-1 flex flex-wrap items-center gap-x-4 gap-y-1 text-small">
      <TextButton disabled={busy} onClick={() => answer.mutate({ answer: "done", days: 7, reason: "" })}>
        Done
      </TextButton>
      <TextButton disabled={busy} onClick={() => answer.mutate({ answer: "later", days: 7, reason: "" })}>
        Remind me in a week
      </TextButton>
      <Popover.Root open={open} onOpenChange={setOpen}>
        <Popover.Trigger asChild>
          <TextButton>Dismiss</TextButton>
        </Popover.Trigger>
        <Popover.Portal>
          <Popover.Content
            align="start"
            sideOffset={6}
            aria-label="Dismiss this"
            className="z-30 w-80 rounded-box border bg-surface p-3"
          >
            <form onSubmit={never} className="flex flex-col gap-2">
              <label htmlFor="why-not">Why it is not to be proposed again</label>
              <Input id="why-not" value={reason} maxLength={300} onChange={(e) => setReason(e.target.value)} />
              <Button type="submit" disabled={!reason.trim() || busy}>
                Dismiss
              </Button>
              <FormProblem problem={answer.error} fields={[]} />
            </form>
          </Popover.Content>
        </Popover.Portal>
      </Popover.Root>
      {!open && <FormProblem problem={answer.error} fields={[]} />}
    </p>
  );
}
