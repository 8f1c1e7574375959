/** Who may be in a test, written as the end of a sentence; and how it stands to other tests on its page. */
import { useQuery } from "@tanstack/react-query";
import type { Schemas } from "../../api/client";
import { Checkbox } from "../../components/Checkbox";
import { Button, Field, Input, Select, TextButton } from "../../components/ui";
import { audiencesQuery } from "../audiences/queries";

export type Who = Schemas["EntrantsIn"];
type Way = Schemas["WayIn"];
export const EVERYBODY: Who = { devices: [], visits: null, came: [], audience: null };
const DEVICES = ["phone", "tablet", "desktop"] as const;
const BLANK: Way = { source: "", medium: "", campaign: "", referrer: "" };
const PARTS: [keyof Way, string, string][] = [
  ["source", "Source", "utm_source"],
  ["medium", "Medium", "utm_medium"],
  ["campaign", "Campaign", "utm_campaign"],
  ["referrer", "Linked from", "partner.example"],
];

/** Ways in which nothing is written are none. */
export const written = (who: Who): Who => ({
  ...who,
  came: who.came?.filter((way) => Object.values(way).some((text) => text?.trim())),
});

export type Moment = Schemas["MomentIn"];
export const AT_ONCE: Moment = { after: 0, scrolled: 0, leaving: false, once: false };

interface WhenProps {
  moment: Moment;
  set: (moment: Moment) => void;
  error: (name: string) => string | undefined;
}

/** When it begins for somebody who has come. */
function When({ moment, set, error }: WhenProps) {
  const chosen = moment.after ? "after" : moment.scrolled ? "scrolled" : moment.leaving ? "leaving" : "";
  const wrong = ["moment", "moment.after", "moment.scrolled", "moment.once"].map(error).find(Boolean);
  return (
    <>
      <div className="grid grid-cols-[minmax(0,1fr)_6rem] items-end gap-2">
        <Field label="Begins" error={wrong}>
          {(p) => (
            <Select
              {...p}
              value={chosen}
              onChange={(e) => {
                const { once } = moment;
                const next = {
                  "": AT_ONCE,
                  after: { ...AT_ONCE, once, after: 10 },
                  scrolled: { ...AT_ONCE, once, scrolled: 50 },
                  leaving: { ...AT_ONCE, once, leaving: true },
                }[e.target.value];
                set(next ?? AT_ONCE);
              }}
            >
              <option value="">at once, before anything is seen</option>
              <option value="after">after some seconds on the page</option>
              <option value="scrolled">once a part of the page has been scrolled</option>
              <option value="leaving">when a visitor is about to leave (with a mouse)</option>
            </Select>
          )}
        </Field>
        {(chosen === "after" || chosen === "scrolled") && (
          <Input
            type="number"
            aria-label={chosen === "after" ? "Seconds on the page" : "Per cent of the page"}
            min={1}
            max={chosen === "after" ? 600 : 100}
            className="num"
            value={moment[chosen]}
            onChange={(e) => set({ ...moment, [chosen]: Number(e.target.value) })}
          />
        )}
      </div>
      {chosen && (
        <Checkbox label="once a visit" checked={moment.once ?? false} set={(once) => set({ ...moment, once })} />
      )}
    </>
  );
}

interface Props {
  siteId: number;
  who: Who;
  set: (who: Who) => void;
  beside: "" | "apart" | "crossed";
  setBeside: (beside: Props["beside"]) => void;
  /** Of content: when it begins for somebody who has come. */
  moment?: Moment;
  setMoment: (moment: Moment) => void;
  error: (name: string) => string | undefined;
}

export function WhoIsIn({ siteId, who, set, beside, setBeside, moment, setMoment, error }: Props) {
  const ways = who.came ?? [];
  const audiences = useQuery(audiencesQuery(siteId)).data ?? [];
  const change = (place: number, part: Partial<Way>) =>
    set({ ...who, came: ways.map((way, i) => (i === place ? { ...way, ...part } : way)) });
  const wrong = ["who", "who.devices", "who.visits", "who.came", "beside"].map(error).find(Boolean);
  return (
    <fieldset className="flex flex-col gap-3 rounded-box border bg-surface p-3">
      <legend className="px-1 font-medium">Who is in it</legend>
      <div className="flex flex-wrap gap-x-5 gap-y-2">
        {DEVICES.map((device) => (
          <Checkbox
            key={device}
            label={`${device}s`}
            checked={!who.devices?.length || who.devices.includes(device)}
            set={(on) => {
              const now = who.devices?.length ? who.devices : [...DEVICES];
              const next = DEVICES.filter((d) => (d === device ? on : now.includes(d)));
              // Without any device it would be a test of nobody.
              set({ ...who, devices: next.length === DEVICES.length || !next.length ? [] : next });
            }}
          />
        ))}
      </div>
      <Field label="Visits">
        {(p) => (
          <Select
            {...p}
            value={who.visits ?? ""}
            onChange={(e) => set({ ...who, visits: (e.target.value || null) as Who["visits"] })}
          >
            <option value="">the first or a later one</option>
            <option value="new">only who has never been there before</option>
            <option value="returning">only who has been there before</option>
          </Select>
        )}
      </Field>
      {moment && audiences.length > 0 && (
        <Field
          label="Audience"
          hint="The server is asked once a visit; who is not known in time sees the page as it is."
          error={error("who.audience")}
        >
          {(p) => (
            <Select
              {...p}
              value={who.audience ?? ""}
              onChange={(e) => set({ ...who, audience: Number(e.target.value) || null })}
            >
              <option value="">anyone</option>
              {audiences.map((a) => (
                <option key={a.id} value={a.id}>
                  only who is in {a.name}
                </option>
              ))}
            </Select>
          )}
        </Field>
      )}
      {ways.map((way, place) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a way is what stands at its place
        <div key={place} className="flex flex-col gap-2 border-l-2 pl-3">
          <div className="flex items-center justify-between">
            <span className="text-small text-quiet">{place ? "or who came" : "who came"}</span>
            <TextButton onClick={() => set({ ...who, came: ways.filter((_, i) => i !== place) })}>
              leave out<span className="sr-only"> this way of coming</span>
            </TextButton>
          </div>
          <div className="grid grid-cols-2 gap-2">
            {PARTS.map(([name, label, hint]) => (
              <Field key={name} label={label} error={error(`who.came[${place}].${name}`)}>
                {(p) => (
                  <Input
                    {...p}
                    className="num"
                    placeholder={hint}
                    value={way[name] ?? ""}
                    onChange={(e) => change(place, { [name]: e.target.value })}
                  />
                )}
              </Field>
            ))}
          </div>
        </div>
      ))}
      <Button kind="quiet" className="self-start" onClick={() => set({ ...who, came: [...ways, BLANK] })}>
        {ways.length ? "Or who came otherwise" : "Only who came by …"}
      </Button>
      <p className="text-small text-quiet">A visitor who has been in it once stays in it.</p>
      {moment && <When moment={moment} set={setMoment} error={error} />}
      <Field label="If another test is on the same page">
        {(p) => (
          <Select {...p} value={beside} onChange={(e) => setBeside(e.target.value as Props["beside"])}>
            <option value="">it cannot start</option>
            <option value="apart">nobody is in both</option>
            {(moment || beside === "crossed") && <option value="crossed">everybody may be in both</option>}
          </Select>
        )}
      </Field>
      {wrong && (
        <p role="alert" className="text-small text-brick">
          {wrong}
        </p>
      )}
    </fieldset>
  );
}
