/** What can be done with a test in the state that it is in. */
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { toast } from "sonner";
import { client, data, type Schemas } from "../../api/client";
import { Checkbox } from "../../components/Checkbox";
import { Confirm } from "../../components/Confirm";
import { Form, Lines, Ticked, Unplaced, useServerForm, Written } from "../../components/form";
import { Radios } from "../../components/Radios";
import { Button, Field, Input, Letter } from "../../components/ui";
import { Window } from "../../components/Window";
import { makeStale, REPORTS } from "../../lib/stale";
import { offerUndo } from "../../lib/undo";
import { z } from "../../lib/zod";

type Test = Schemas["SplitTestOut"];
type Deed = "start" | "pause" | "resume" | "end" | "hand-over";

const DONE: Record<Deed, string> = {
  start: "It runs. Visitors of the page are shared out from now on.",
  pause: "Paused. Everybody sees the control. What was counted stays.",
  resume: "Resumed. Everybody sees what they saw before.",
  end: "It has ended: everybody sees the control again, and the result stays.",
  "hand-over": "Clabo shows the winner no longer: the page itself has it.",
};

/** What all that is done to a test has in common. */
function useDeeds(siteId: number, testId: number) {
  const queries = useQueryClient();
  const path = { params: { path: { site_id: siteId, test_id: testId } } };
  const stale = () => makeStale(queries, siteId, ...REPORTS);
  const failed = (error: Error) => toast.error(error.message);
  return { path, stale, failed };
}

interface Props {
  siteId: number;
  r: Schemas["ResultOut"];
  change: () => void;
}

export function Life({ siteId, r, change }: Props) {
  const { test } = r;
  const navigate = useNavigate();
  const queries = useQueryClient();
  const { path, stale, failed } = useDeeds(siteId, test.id);
  const done = useMutation({
    mutationFn: (deed: Deed) => data(client.POST(`/api/sites/{site_id}/tests/{test_id}/${deed}`, path)),
    onSuccess: async (_, deed) => {
      await stale();
      toast(DONE[deed]);
    },
    onError: failed,
  });
  const archive = useMutation({
    mutationFn: () =>
      data(client.POST("/api/sites/{site_id}/tests/{test_id}/archive", { ...path, body: { away: !test.archived } })),
    onSuccess: async () => {
      await stale();
      toast(test.archived ? "It is in the list again." : "It is out of the list, and found there among all.");
    },
    onError: failed,
  });
  const copy = useMutation({
    mutationFn: () => data(client.POST("/api/sites/{site_id}/tests/{test_id}/copy", path)),
    onSuccess: async (made) => {
      await stale();
      toast("This is the copy: a draft that nobody sees.");
      await navigate({ to: "/s/$siteId/tests/$testId", params: { siteId: String(siteId), testId: String(made.id) } });
    },
    onError: failed,
  });
  const remove = useMutation({
    mutationFn: () => data(client.DELETE("/api/sites/{site_id}/tests/{test_id}", path)),
    onSuccess: async () => {
      await navigate({ to: "/s/$siteId/tests", params: { siteId: String(siteId) } });
      await stale();
      offerUndo(queries, {
        siteId,
        kind: "test",
        id: test.id,
        says: `${test.name} is deleted.`,
        lists: ["tests", "rail"],
      });
    },
    onError: failed,
  });
  const act = (deed: Deed, text: string, kind: "plain" | "main" = "plain") => (
    <Button kind={kind} onClick={() => done.mutate(deed)} disabled={done.isPending}>
      {text}
    </Button>
  );
  const under = test.state === "running" || test.state === "paused";
  const decided = r.verdict.kind !== "too_early" && r.verdict.kind !== "no_data";
  return (
    <div className="flex flex-wrap gap-2">
      {test.state === "draft" && (
        <>
          <Confirm name="Delete the draft" kind="against" act={() => remove.mutate()}>
            The draft “{test.name}” is deleted. For 30 days it can be restored, under Deleted. No visitor has been in
            it.
          </Confirm>
          <Button onClick={change}>Edit</Button>
        </>
      )}
      {test.state !== "draft" && (
        <Window name="Edit">{(close) => <Label siteId={siteId} test={test} close={close} />}</Window>
      )}
      <Button onClick={() => copy.mutate()} disabled={copy.isPending}>
        Duplicate
      </Button>
      {!under && (
        <Button onClick={() => archive.mutate()} disabled={archive.isPending}>
          {test.archived ? "Restore" : "Archive"}
        </Button>
      )}
      {test.state === "draft" && act("start", "Start the test", "main")}
      {test.state === "running" && act("pause", "Pause")}
      {test.state === "paused" && act("resume", "Resume", "main")}
      {under && (
        <Confirm
          name="End the test"
          kind={decided && r.verdict.kind !== "adopt" ? "main" : "plain"}
          act={() => done.mutate("end")}
        >
          Everybody sees the control again, and no further visitor is counted. The result stays. An ended test cannot be
          started again.
        </Confirm>
      )}
      {(under || test.state === "ended") && (
        <Window name="Adopt a variant" kind={r.verdict.kind === "adopt" ? "main" : "plain"}>
          {(close) => <Adopt siteId={siteId} r={r} close={close} />}
        </Window>
      )}
      {test.shown && act("hand-over", "The page has it now", "main")}
    </div>
  );
}

const LABEL = z.object({
  name: z.string().check(z.minLength(1, "Give the test a name that says what is different.")),
  notes: z.string(),
  ends_on: z.string(),
  ends_decided: z.boolean(),
  ends_on_harm: z.boolean(),
});

/** What may be changed of a test at any time. */
function Label({ siteId, test, close }: { siteId: number; test: Test; close: () => void }) {
  const { path, stale } = useDeeds(siteId, test.id);
  const under = test.state === "running" || test.state === "paused";
  const form = useServerForm({
    schema: LABEL,
    values: { ...test, ends_on: test.ends_on ?? "" },
    send: (values: z.infer<typeof LABEL>) =>
      data(
        client.PUT("/api/sites/{site_id}/tests/{test_id}/label", {
          ...path,
          body: { ...values, ends_on: values.ends_on || null },
        }),
      ),
    done: async () => {
      await stale();
      close();
    },
  });
  return (
    <Form form={form}>
      <Written form={form} name="name" label="Name" />
      <Lines
        form={form}
        name="notes"
        label="Notes"
        hint="Why it was made, and what was learnt: found again by the search in the list."
        rows={4}
      />
      {under && (
        <>
          <Written
            form={form}
            name="ends_on"
            label="Ends by itself after"
            type="date"
            hint="Empty: it is ended by hand."
          />
          <Ticked form={form} name="ends_decided" label="Ends by itself once it is decided" />
          <Ticked form={form} name="ends_on_harm" label="Ends by itself once a challenger is worse for sure" />
        </>
      )}
      <Unplaced form={form} />
      <Button type="submit" kind="main" disabled={form.pending} className="self-start">
        Keep
      </Button>
    </Form>
  );
}

/** Which variant is adopted, and how visitors come to see it. */
function Adopt({ siteId, r, close }: { siteId: number; r: Schemas["ResultOut"]; close: () => void }) {
  const { test } = r;
  const { path, stale, failed } = useDeeds(siteId, test.id);
  const [letter, setLetter] = useState(r.verdict.kind === "adopt" && r.verdict.letter ? r.verdict.letter : "A");
  const [shown, setShown] = useState(true);
  const [held, setHeld] = useState("0");
  const adopt = useMutation({
    mutationFn: () =>
      data(
        client.POST("/api/sites/{site_id}/tests/{test_id}/adopt", {
          ...path,
          body: { letter, shown: shown && letter !== "A", held_back: letter === "A" ? 0 : Number(held) },
        }),
      ),
    onSuccess: async () => {
      await stale();
      toast(`${letter} is adopted.`);
      close();
    },
    onError: failed,
  });
  const control = test.variants[0];
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        adopt.mutate();
      }}
    >
      <Radios
        label="Which one"
        chosen={letter}
        choose={setLetter}
        choices={Object.fromEntries(
          test.variants.map((v) => [
            v.letter,
            <span key={v.letter} className="flex items-center gap-2">
              <Letter letter={v.letter} />
              <bdi className="min-w-0 break-words">
                {v.letter === "A" ? "the page stays as it is" : v.says.join("; ") || v.path}
              </bdi>
            </span>,
          ]),
        )}
      />
      {r.verdict.kind !== "adopt" && letter !== "A" && (
        <p className="border-l-4 border-marigold pl-3">
          The evidence does not ask for {letter} by now. It is yours to decide.
        </p>
      )}
      {letter !== "A" && (
        <>
          <Checkbox
            label="Clabo shows it to everybody until the page itself has it"
            hint={
              test.what === "content"
                ? "The tag goes on making the changes. Say so here once the page has them."
                : `The tag goes on leading visitors of ${control?.path} there. Say so here once your server does.`
            }
            checked={shown}
            set={setShown}
          />
          <Field
            label="Held back, % of everybody"
            hint={`They go on seeing the control, so that a test of its own says whether the difference lasts. At most ${Math.min(50, control?.share ?? 0)}; 0 for nobody.`}
          >
            {(p) => (
              <Input
                {...p}
                type="number"
                min={0}
                max={Math.min(50, control?.share ?? 0)}
                className="num w-24!"
                value={held}
                onChange={(e) => setHeld(e.target.value)}
              />
            )}
          </Field>
        </>
      )}
      <Button type="submit" kind="main" disabled={adopt.isPending} className="self-start">
        Take {letter} over
      </Button>
    </form>
  );
}
