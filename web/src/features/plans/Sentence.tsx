/** A plan as one sentence; its underlined words are what can be changed. */
import { useQuery } from "@tanstack/react-query";
import type { Schemas } from "../../api/client";
import { Checkbox } from "../../components/Checkbox";
import { Word } from "../../components/LensSentence";
import { SentenceWord } from "../../components/SentenceWord";
import { Input, TextButton } from "../../components/ui";
import { count, day, money, several } from "../../lib/format";
import { ForWhom } from "./ForWhom";
import { capWords, many, type PlanForm, until } from "./model";
import { choicesQuery } from "./queries";
import { Sharing } from "./Sharing";

interface Props {
  siteId: number;
  form: PlanForm;
  change: (part: Partial<PlanForm>) => void;
  audiences: Schemas["AudienceOut"][];
  rules: Schemas["ConversionOut"][];
  channels: Schemas["AdChannelOut"][];
  currency: string;
  /** What has been shown stays: only money, cap, end and who is left out are words to change. */
  running: boolean;
  toCreatives: () => void;
}

const CAPS = [1, 2, 3, 5, 7, 0];

export function Sentence(props: Props) {
  const { form, change, rules, channels, currency, running } = props;
  const aim = rules.find((r) => r.id === form.aim);
  const channel = channels.find((c) => c.id === form.channel);
  const able = channels.filter((c) => c.plans);
  return (
    <>
      <h1 className="max-w-4xl font-head text-head leading-[1.45] font-normal">
        For{" "}
        {running ? (
          <strong className="font-semibold">{several(aim?.name ?? "a conversion that is gone")}</strong>
        ) : (
          <Word
            label="Aim"
            text={aim ? several(aim.name) : "which conversion?"}
            value={String(form.aim)}
            choices={rules.map((r) => ({ value: String(r.id), text: several(r.name) }))}
            choose={(id) => change({ aim: Number(id) })}
          />
        )}
        : show{" "}
        <button
          type="button"
          onClick={props.toCreatives}
          aria-label={`Creatives: ${many(form.creatives.length, "creative")}. Change`}
          className="border-b-2 border-plum/40 font-semibold text-plum hover:border-plum"
        >
          {form.creatives.length ? many(form.creatives.length, "creative") : "what?"}
        </button>{" "}
        to <ForWhom {...props} />, leave out <LeftOut {...props} />, at most{" "}
        <Word
          label="Cap"
          text={capWords(form.cap)}
          value={String(form.cap)}
          choices={[...new Set([...CAPS, form.cap])]
            .sort((a, b) => (a || 1e6) - (b || 1e6))
            .map((n) => ({ value: String(n), text: capWords(n) }))}
          choose={(n) => change({ cap: Number(n) })}
        />{" "}
        each, for{" "}
        <Amount
          label="Daily budget"
          text={`${money(form.dailyBudget, currency, wholeOrCents(form.dailyBudget))} a day`}
          hint="The most that a day may cost."
          value={form.dailyBudget}
          set={(dailyBudget) => change({ dailyBudget })}
        />{" "}
        and{" "}
        <Amount
          label="Highest bid"
          text={`${money(form.highestClick, currency)} a click`}
          hint="What a click may cost at most. You pay what it takes to be first, which is less."
          value={form.highestClick}
          set={(highestClick) => change({ highestClick })}
        />{" "}
        at most, and lead them to <LeadsTo {...props} />.
      </h1>
      <p className="mt-1 text-lead">
        {!running && (
          <>
            From{" "}
            <SentenceWord label="First day" text={form.first ? day(form.first) : "its start"} className="p-3">
              {(close) => (
                <OneDay
                  label="First day"
                  value={form.first}
                  none="from its start"
                  set={(first) => {
                    change({ first });
                    close();
                  }}
                />
              )}
            </SentenceWord>{" "}
          </>
        )}
        <SentenceWord label="Last day" text={running ? upper(until(form)) : until(form)} className="p-3">
          {(close) => (
            <OneDay
              label="Last day"
              value={form.last}
              none="until it is ended"
              set={(last) => {
                change({ last });
                close();
              }}
            />
          )}
        </SentenceWord>
        , <Places {...props} /> of{" "}
        {running || able.length < 2 ? (
          <strong className="font-semibold">{channel?.name ?? "a channel"}</strong>
        ) : (
          <Word
            label="Channel"
            text={channel?.name ?? "which channel?"}
            value={String(form.channel)}
            choices={able.map((c) => ({ value: String(c.id), text: c.name }))}
            choose={(id) => change({ channel: Number(id), placements: [] })}
          />
        )}
        .{form.lines.length + form.creatives.length > 2 && <BudgetWord {...props} />}
      </p>
    </>
  );
}

/** How the budget lies among several; what was begun may still be changed. */
function BudgetWord({ form, change }: Props) {
  return (
    <>
      {" "}
      The budget is{" "}
      <SentenceWord
        label="How it is shared"
        text={form.sharing === "shared" ? "shared, and moves to what does better" : "fixed for each"}
        className="w-96 p-3"
      >
        {() => <Sharing form={form} change={change} />}
      </SentenceWord>
      .
    </>
  );
}

const upper = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

const wholeOrCents = (amount: string) => (Number.isInteger(Number(amount)) ? 0 : 2);

function Amount({
  label,
  text,
  hint,
  value,
  set,
}: {
  label: string;
  text: string;
  hint: string;
  value: string;
  set: (value: string) => void;
}) {
  return (
    <SentenceWord label={label} text={text} className="w-64 p-3">
      {(close) => (
        <form
          className="flex flex-col gap-1.5"
          onSubmit={(e) => {
            e.preventDefault();
            close();
          }}
        >
          <label className="font-medium" htmlFor="plan-amount">
            {label}
          </label>
          <Input
            id="plan-amount"
            type="number"
            min={0.01}
            step={0.01}
            className="num"
            value={value}
            onChange={(e) => set(e.target.value)}
          />
          <p className="text-small text-quiet">{hint}</p>
        </form>
      )}
    </SentenceWord>
  );
}

function OneDay({
  label,
  value,
  none,
  set,
}: {
  label: string;
  value: string;
  none: string;
  set: (day: string) => void;
}) {
  return (
    <div className="flex flex-col gap-2">
      <label className="font-medium" htmlFor="plan-day">
        {label}
      </label>
      <Input id="plan-day" type="date" value={value} onChange={(e) => set(e.target.value)} />
      <TextButton className="self-start" onClick={() => set("")}>
        {none}
      </TextButton>
    </div>
  );
}

function LeftOut({ form, change, audiences }: Props) {
  const names = form.leftOut.map((id) => audiences.find((a) => a.id === id)?.name ?? "an audience that is gone");
  const shown = new Set(form.lines.map((l) => l.audience));
  const rest = audiences.filter((a) => !shown.has(a.id));
  return (
    <SentenceWord
      label="Left out"
      text={names.length > 2 ? `${names.length} audiences` : names.join(" and ") || "nobody"}
      className="flex w-80 flex-col gap-1.5 p-3"
    >
      {() => (
        <>
          <p className="text-small text-quiet">People in one of these do not see it.</p>
          {rest.map((a) => (
            <Checkbox
              key={a.id}
              label={a.name}
              hint={`${count(a.people)} people`}
              checked={form.leftOut.includes(a.id)}
              set={(on) => change({ leftOut: on ? [...form.leftOut, a.id] : form.leftOut.filter((id) => id !== a.id) })}
            />
          ))}
          {rest.length === 0 && <p>There is no other audience.</p>}
        </>
      )}
    </SentenceWord>
  );
}

const PLACES: Record<string, string> = {
  articles: "beside articles",
  stream: "in the stream",
  video: "before videos",
};

function Places({ siteId, form, change, running }: Props) {
  const choices = useQuery(choicesQuery(siteId, form.channel));
  const all = choices.data?.placements ?? form.placements;
  const chosen = form.placements.length ? form.placements : all;
  const text =
    chosen.length === all.length || !all.length ? "in all places" : chosen.map((p) => PLACES[p] ?? p).join(" and ");
  if (running) return <strong className="font-semibold">{text}</strong>;
  return (
    <SentenceWord label="Placements" text={text} className="flex w-64 flex-col gap-1.5 p-3">
      {() =>
        all.map((p) => (
          <Checkbox
            key={p}
            label={PLACES[p] ?? p}
            checked={chosen.includes(p)}
            disabled={chosen.length === 1 && chosen.includes(p)}
            set={(on) => {
              const now = all.filter((one) => (one === p ? on : chosen.includes(one)));
              change({ placements: now.length === all.length ? [] : now });
            }}
          />
        ))
      }
    </SentenceWord>
  );
}

function LeadsTo({ form, change, running }: Props) {
  const pages = [...new Set(form.creatives.map((c) => c.landing.trim()).filter(Boolean))];
  const text = pages.length > 1 ? `${pages.length} pages` : (pages[0] ?? "which page?");
  if (running) return <strong className="font-semibold">{text}</strong>;
  return (
    <SentenceWord label="Page" text={text} className="w-80 p-3">
      {(close) => (
        <form
          className="flex flex-col gap-1.5"
          onSubmit={(e) => {
            e.preventDefault();
            const landing = new FormData(e.currentTarget).get("landing") as string;
            change({ creatives: form.creatives.map((c) => ({ ...c, landing })) });
            close();
          }}
        >
          <label className="font-medium" htmlFor="plan-page">
            Page of all creatives
          </label>
          <Input
            id="plan-page"
            name="landing"
            className="num"
            list="known-pages"
            placeholder="/the-page"
            defaultValue={pages[0] ?? ""}
            disabled={!form.creatives.length}
          />
          <p className="text-small text-quiet">
            {form.creatives.length
              ? "Each creative may lead to a page of its own: say so at the creative. Enter sets it for all."
              : "Say first what is shown."}
          </p>
        </form>
      )}
    </SentenceWord>
  );
}
