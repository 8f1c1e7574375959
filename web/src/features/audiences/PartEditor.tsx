/** One part: what happened, when, how often. */
import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Field, Input, Select } from "../../components/ui";
import { words } from "../../lib/format";
import { Builder } from "../conversions/builder/Builder";
import { Condition } from "../conversions/builder/Condition";
import { blank, CONDITIONS } from "../conversions/builder/conditions";
import { asGroup, type ConditionKey, isGroup, isNot, keyOf, type Leaf, type Rule } from "../conversions/builder/rule";
import { conversionsQuery } from "../conversions/queries";
import { testsQuery } from "../splits/queries";
import { type Came, isTimed, keyOfWhat, LONGEST, type OwnKey, type Part, type What } from "./model";
import { audiencesQuery, listsQuery } from "./queries";

const OWN = {
  conversion: "Made a conversion",
  came: "Came from somewhere",
  device: "Came on a device",
  visit: "Came at all, first or again",
  variant: "Saw a variant of a split test",
  audience: "Is in another audience",
  list: "Is on a list",
} as const satisfies Record<OwnKey, string>;
const CHANNELS = ["paid", "email", "affiliate", "social", "search", "referral", "direct", "other"] as const;
const CAME: Record<Exclude<keyof Came, "channel">, string> = {
  source: "Source",
  medium: "Medium",
  campaign: "Campaign",
  ad_group: "Ad group",
  ad: "Ad",
  sub1: "sub1",
  sub2: "sub2",
  sub3: "sub3",
  sub4: "sub4",
  sub5: "sub5",
};

const STARTS: Record<OwnKey, What> = {
  conversion: { conversion: 0 },
  came: { came: { channel: "paid" } },
  device: { device: "phone" },
  visit: { visit: "any" },
  variant: { variant: { test: 0, letter: "A" } },
  audience: { audience: 0 },
  list: { list: 0 },
};

interface Props {
  siteId: number;
  part: Part;
  set: (part: Part) => void;
  /** A step of a sequence happens once. */
  once: boolean;
  /** The audience that is written, which cannot rest on itself. */
  own?: number;
  error: (field: string) => string | undefined;
  aside?: ReactNode;
}

export function PartEditor({ siteId, part, set, once, own, error, aside }: Props) {
  const what = part.what;
  const key = keyOfWhat(what);
  const nested = key === "rule" && (isGroup(what as Rule) || isNot(what as Rule));
  const choose = (name: string) =>
    set({ ...part, what: name in OWN ? STARTS[name as OwnKey] : (blank(name as ConditionKey) as What) });
  const number = (name: "from" | "to" | "times", text: string) => set({ ...part, [name]: Number(text) });
  return (
    <div className="flex flex-col gap-3">
      <div className="flex items-end gap-3">
        <div className="flex-1">
          <Field label="What they did">
            {(p) => (
              <Select
                {...p}
                value={nested ? "nested" : key === "rule" ? keyOf(what as Leaf) : key}
                onChange={(e) => choose(e.target.value)}
              >
                {nested && <option value="nested">Several, joined</option>}
                {Object.entries(CONDITIONS).map(([name, { says }]) => (
                  <option key={name} value={name}>
                    {says}
                  </option>
                ))}
                {Object.entries(OWN).map(([name, says]) => (
                  <option key={name} value={name}>
                    {says}
                  </option>
                ))}
              </Select>
            )}
          </Field>
        </div>
        {aside}
      </div>
      {key === "rule" && !nested && (
        <Condition
          siteId={siteId}
          leaf={what as Leaf}
          change={(leaf) => set({ ...part, what: leaf as What })}
          error={error}
        />
      )}
      {nested && (
        <Builder
          siteId={siteId}
          rule={asGroup(what as Rule)}
          change={(rule) => set({ ...part, what: rule as What })}
          error={error}
        />
      )}
      <Fields siteId={siteId} what={what} set={(changed) => set({ ...part, what: changed })} own={own} />
      {isTimed(what) && (
        <div className="grid grid-cols-3 gap-3">
          <Field label="From, days ago" hint="0 is today" error={error("from")}>
            {(p) => (
              <Input
                {...p}
                className="num"
                type="number"
                min={0}
                max={LONGEST - 1}
                value={part.from ?? 0}
                onChange={(e) => number("from", e.target.value)}
              />
            )}
          </Field>
          <Field label="To, days" hint={`not included; at most ${LONGEST}`} error={error("to")}>
            {(p) => (
              <Input
                {...p}
                className="num"
                type="number"
                min={1}
                max={LONGEST}
                value={part.to ?? LONGEST}
                onChange={(e) => number("to", e.target.value)}
              />
            )}
          </Field>
          {!once && (
            <Field label="At least, times" error={error("times")}>
              {(p) => (
                <Input
                  {...p}
                  className="num"
                  type="number"
                  min={1}
                  max={1000}
                  value={part.times ?? 1}
                  onChange={(e) => number("times", e.target.value)}
                />
              )}
            </Field>
          )}
        </div>
      )}
    </div>
  );
}

function Fields({ siteId, what, set, own }: { siteId: number; what: What; set: (what: What) => void; own?: number }) {
  const conversions = useQuery({ ...conversionsQuery(siteId), enabled: "conversion" in what });
  const audiences = useQuery({ ...audiencesQuery(siteId), enabled: "audience" in what });
  const lists = useQuery({ ...listsQuery(siteId), enabled: "list" in what });
  const tests = useQuery({ ...testsQuery(siteId), enabled: "variant" in what });
  if ("conversion" in what)
    return (
      <Chosen
        label="Conversion"
        value={what.conversion}
        choices={(conversions.data ?? []).map((c) => [c.id, words(c.name)])}
        choose={(conversion) => set({ conversion })}
      />
    );
  if ("audience" in what)
    return (
      <Chosen
        label="Audience"
        value={what.audience}
        choices={(audiences.data ?? []).filter((a) => a.id !== own).map((a) => [a.id, a.name])}
        choose={(audience) => set({ audience })}
      />
    );
  if ("list" in what)
    return (
      <Chosen
        label="List"
        value={what.list}
        choices={(lists.data ?? []).map((l) => [l.id, l.name])}
        choose={(list) => set({ list })}
        none="There is no list yet. Bring one under Audiences, Lists."
      />
    );
  if ("variant" in what) {
    const ran = (tests.data ?? []).filter((t) => t.state !== "draft");
    const { test, letter } = what.variant;
    const letters = ran.find((t) => t.id === test)?.variants.map((v) => v.letter) ?? [letter];
    return (
      <div className="grid grid-cols-[minmax(0,1fr)_96px] gap-3">
        <Chosen
          label="Split test"
          value={test}
          choices={ran.map((t) => [t.id, t.name])}
          choose={(chosen) => set({ variant: { test: chosen, letter: "A" } })}
          none="No split test has run yet."
        />
        <Field label="Variant">
          {(p) => (
            <Select
              {...p}
              value={letter}
              onChange={(e) => set({ variant: { test, letter: e.target.value as typeof letter } })}
            >
              {letters.map((each) => (
                <option key={each}>{each}</option>
              ))}
            </Select>
          )}
        </Field>
      </div>
    );
  }
  if ("device" in what)
    return (
      <Field label="Device">
        {(p) => (
          <Select {...p} value={what.device} onChange={(e) => set({ device: e.target.value as "phone" })}>
            {["desktop", "phone", "tablet"].map((device) => (
              <option key={device}>{device}</option>
            ))}
          </Select>
        )}
      </Field>
    );
  if ("visit" in what)
    return (
      <Field label="Which visits">
        {(p) => (
          <Select {...p} value={what.visit} onChange={(e) => set({ visit: e.target.value as "any" })}>
            <option value="any">any visit</option>
            <option value="new">their first</option>
            <option value="returning">a later one</option>
          </Select>
        )}
      </Field>
    );
  if ("came" in what) {
    const came = what.came;
    const put = (name: keyof Came, text: string) => {
      const rest = Object.fromEntries(Object.entries(came).filter(([key]) => key !== name));
      set({ came: { ...rest, ...(text ? { [name]: text } : {}) } as Came });
    };
    const shown = (name: string) => !name.startsWith("sub") || name === "sub1" || came[name as "sub2"];
    return (
      <div className="grid grid-cols-2 gap-3 sm:grid-cols-3">
        <Field label="Channel">
          {(p) => (
            <Select {...p} value={came.channel ?? ""} onChange={(e) => put("channel", e.target.value)}>
              <option value="">any</option>
              {CHANNELS.map((channel) => (
                <option key={channel}>{channel}</option>
              ))}
            </Select>
          )}
        </Field>
        {Object.entries(CAME)
          .filter(([name]) => shown(name))
          .map(([name, label]) => (
            <Field key={name} label={label}>
              {(p) => (
                <Input
                  {...p}
                  placeholder="any"
                  value={came[name as "source"] ?? ""}
                  onChange={(e) => put(name as "source", e.target.value)}
                />
              )}
            </Field>
          ))}
      </div>
    );
  }
  return null;
}

interface ChosenProps {
  label: string;
  value: number;
  choices: [number, string][];
  choose: (id: number) => void;
  /** What to do where there is none. */
  none?: string;
}

function Chosen({ label, value, choices, choose, none }: ChosenProps) {
  return (
    <Field label={label} hint={choices.length ? undefined : none}>
      {(p) => (
        <Select {...p} value={value} onChange={(e) => choose(Number(e.target.value))}>
          <option value={0} disabled>
            choose one
          </option>
          {choices.map(([id, name]) => (
            <option key={id} value={id}>
              {name}
            </option>
          ))}
        </Select>
      )}
    </Field>
  );
}
