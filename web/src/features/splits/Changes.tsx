/** What a variant changes on the page, written by hand: an element, and what becomes of it. */
import type { Schemas } from "../../api/client";
import { Button, Field, Input, Select } from "../../components/ui";
import { OwnPicture } from "./OwnPicture";

export type Change = Schemas["Change"];
type KeysOf<T> = T extends unknown ? keyof T : never;
type Kind = KeysOf<Change>;
type Values = Record<string, string>;

interface Asked {
  name: string;
  label: string;
  placeholder?: string;
  choices?: Record<string, string>;
  long?: boolean;
  /** Several lines of code. */
  area?: boolean;
  /** A picture, which may be a file of one's own. */
  file?: boolean;
}

const PLACES = { before: "before it", after: "after it" };
const ELEMENT: Asked = { name: "selector", label: "Element, as a CSS selector", placeholder: "h1, #order, .cta" };
const FALLBACK: Asked = { name: "fallback", label: "Or, if there is none", placeholder: "none" };
const STYLES = [
  ...["color", "background-color", "border-color", "border-radius", "border-width", "font-size", "font-weight"],
  ...["line-height", "text-align", "text-transform", "margin", "padding", "width", "max-width", "opacity", "order"],
];

/** What each kind is called, and asks for beside the element. */
const KINDS: Record<Kind, { says: string; asks: Asked[] }> = {
  words: { says: "says something else", asks: [{ name: "text", label: "Words", long: true }] },
  link: { says: "leads elsewhere", asks: [{ name: "to", label: "Address", placeholder: "/order" }] },
  picture: {
    says: "shows another picture",
    asks: [
      { name: "address", label: "Address of the picture", placeholder: "/pictures/hive.jpg", file: true },
      { name: "alt", label: "What it shows, in words", placeholder: "as before" },
    ],
  },
  hide: { says: "is hidden", asks: [] },
  show: { says: "is shown, though the page hides it", asks: [] },
  move: {
    says: "stands elsewhere",
    asks: [
      { name: "place", label: "Where", choices: { before: "before", after: "after" } },
      { name: "of", label: "Which other element", placeholder: "#story" },
    ],
  },
  style: {
    says: "looks different",
    asks: [
      { name: "property", label: "What of it", choices: Object.fromEntries(STYLES.map((s) => [s, s])) },
      { name: "value", label: "Value", placeholder: "20px, #2f7d4f" },
    ],
  },
  block: {
    says: "gets a new block beside it",
    asks: [
      { name: "place", label: "Where", choices: PLACES },
      {
        name: "template",
        label: "What kind",
        choices: { banner: "a banner", panel: "a panel", notice: "a notice" },
      },
      { name: "title", label: "Title" },
      { name: "text", label: "Text", placeholder: "none", long: true },
      { name: "button", label: "Words of the button", placeholder: "none" },
      { name: "to", label: "Where it leads", placeholder: "/order" },
      { name: "picture", label: "Address of a picture", placeholder: "none", file: true },
    ],
  },
  html: {
    says: "gets markup of yours beside it",
    asks: [
      { name: "place", label: "Where", choices: PLACES },
      {
        name: "html",
        label: "Markup: text, lists, tables, links, pictures",
        placeholder: "<p>Ships <b>today</b></p>",
        long: true,
        area: true,
      },
    ],
  },
  sheet: {
    says: "the page follows rules of style of yours",
    asks: [
      {
        name: "css",
        label: "Rules, which hold while this variant is shown",
        placeholder: ".offer h2 { color: #2f7d4f }",
        long: true,
        area: true,
      },
    ],
  },
};
/** A sheet says itself what it is for. */
const ofElement = (kind: Kind) => kind !== "sheet";

const kindOf = (change: Change) => Object.keys(change)[0] as Kind;
const valuesOf = (change: Change) => Object.values(change)[0] as Values;
/** As the server reads it: it knows what may be left out. */
const made = (kind: Kind, values: Values) => ({ [kind]: values }) as unknown as Change;

export function blank(kind: Kind = "words", selector = ""): Change {
  const chosen = KINDS[kind].asks.map((a) => [a.name, Object.keys(a.choices ?? {})[0] ?? ""]);
  return made(kind, { ...(ofElement(kind) && { selector }), ...Object.fromEntries(chosen) });
}

/** Something was written of it, beyond what stands there from the beginning. */
export const begun = (change: Change) => {
  const [fresh, now] = [valuesOf(blank(kindOf(change))), valuesOf(change)];
  return Object.entries(now).some(([name, value]) => value && value !== fresh[name]);
};

/** Without what was left empty, which the server takes for not asked. */
export const filled = (change: Change) =>
  made(kindOf(change), Object.fromEntries(Object.entries(valuesOf(change)).filter(([, value]) => value !== "")));

interface Props {
  siteId: number;
  letter: string;
  changes: Change[];
  change: (next: Change[]) => void;
  /** What is wrong with a field, by its path behind the variant's: "[0].words.text". */
  error: (path: string) => string | undefined;
}

export function Changes({ siteId, letter, changes, change, error }: Props) {
  const replace = (place: number, next: Change) => change(changes.map((c, i) => (i === place ? next : c)));
  return (
    <div className="flex flex-col gap-3">
      {error("") && (
        <p role="alert" className="text-small text-brick">
          {error("")}
        </p>
      )}
      {changes.map((one, place) => {
        const kind = kindOf(one);
        const values = valuesOf(one);
        const asked = KINDS[kind].asks;
        return (
          <fieldset
            // biome-ignore lint/suspicious/noArrayIndexKey: a change has no identity but its place.
            key={place}
            className="flex flex-col gap-2 border-l-4 border-line pl-3"
          >
            <legend className="sr-only">
              Change {place + 1} of {letter}
            </legend>
            <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] gap-2 max-sm:grid-cols-1">
              {ofElement(kind) &&
                [ELEMENT, FALLBACK].map((a) => (
                  <One
                    key={a.name}
                    siteId={siteId}
                    asked={a}
                    value={values[a.name] ?? ""}
                    set={(value) => replace(place, made(kind, { ...values, [a.name]: value }))}
                    error={error(`[${place}].${kind}.${a.name}`)}
                  />
                ))}
              <div className="col-span-full">
                <Field label="What becomes of it">
                  {(p) => (
                    <Select
                      {...p}
                      value={kind}
                      onChange={(e) => replace(place, blank(e.target.value as Kind, values.selector))}
                    >
                      {Object.entries(KINDS).map(([key, { says }]) => (
                        <option key={key} value={key}>
                          {says}
                        </option>
                      ))}
                    </Select>
                  )}
                </Field>
              </div>
              {asked.map((a) => (
                <div key={a.name} className={a.long ? "col-span-full" : undefined}>
                  <One
                    siteId={siteId}
                    asked={a}
                    value={values[a.name] ?? ""}
                    set={(value) => replace(place, made(kind, { ...values, [a.name]: value }))}
                    error={error(`[${place}].${kind}.${a.name}`)}
                  />
                </div>
              ))}
            </div>
            {error(`[${place}].${kind}`) && (
              <p role="alert" className="text-small text-brick">
                {error(`[${place}].${kind}`)}
              </p>
            )}
            <Button
              kind="quiet"
              className="self-start"
              aria-label={`Leave change ${place + 1} of ${letter} out`}
              onClick={() => change(changes.filter((_, i) => i !== place))}
            >
              out
            </Button>
          </fieldset>
        );
      })}
      <Button kind="quiet" className="self-start" onClick={() => change([...changes, blank()])}>
        {changes.length ? `One more change of ${letter}` : `Say what ${letter} changes`}
      </Button>
    </div>
  );
}

interface OneProps {
  siteId: number;
  asked: Asked;
  value: string;
  set: (value: string) => void;
  error?: string;
}

function One({ siteId, asked, value, set, error }: OneProps) {
  const code = ["selector", "fallback", "of"].includes(asked.name);
  return (
    <Field label={asked.label} error={error}>
      {(p) =>
        asked.choices ? (
          <Select {...p} value={value} onChange={(e) => set(e.target.value)}>
            {Object.entries(asked.choices).map(([key, says]) => (
              <option key={key} value={key}>
                {says}
              </option>
            ))}
          </Select>
        ) : asked.area ? (
          <textarea
            {...p}
            rows={5}
            spellCheck={false}
            className="num w-full rounded-box border border-quiet/50 bg-surface px-2.5 py-1.5"
            value={value}
            placeholder={asked.placeholder}
            onChange={(e) => set(e.target.value)}
          />
        ) : (
          <>
            <Input
              {...p}
              className={code ? "num" : undefined}
              value={value}
              placeholder={asked.placeholder}
              onChange={(e) => set(e.target.value)}
            />
            {asked.file && <OwnPicture siteId={siteId} kept={set} />}
          </>
        )
      }
    </Field>
  );
}
