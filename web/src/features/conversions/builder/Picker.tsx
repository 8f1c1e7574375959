/** What has been seen on the site's pages, to make a condition of with one click. */
import { useQuery } from "@tanstack/react-query";
import type { Schemas } from "../../../api/client";
import { TextButton } from "../../../components/ui";
import { count } from "../../../lib/format";
import { seenQuery } from "../queries";
import { type Asked, called, type Leaf } from "./rule";

/** What a masked value was, in words. */
const TYPES: Record<string, string> = { string: "text", boolean: "yes or no", null: "empty" };

type Seen = Schemas["SeenOut"];

const KINDS = { form: "form", click: "click", message: "message", event: "mark", step: "step", sale: "sale" } as const;

interface Props {
  siteId: number;
  kind: keyof typeof KINDS;
  use: (leaf: Leaf) => void;
}

export function Picker({ siteId, kind: asked, use }: Props) {
  const kind = KINDS[asked];
  const seen = useQuery(seenQuery(siteId, kind));
  if (!seen.data) return null;
  if (!seen.data.length)
    return (
      <p className="text-small text-quiet">
        Nothing of this kind has been seen yet. Do it once on your page, and it shows up here to pick.
      </p>
    );
  return (
    <fieldset className="min-w-0">
      <legend className="mb-1 text-small text-quiet">Pick from what was seen on your pages</legend>
      <ul className="max-h-44 overflow-y-auto rounded-box border" aria-label="Seen on your pages">
        {seen.data.slice(0, 60).map((s) => (
          <li key={JSON.stringify([s.name, s.element])} className="border-b px-2 py-1 last:border-b-0">
            {kind === "message" ? <Message seen={s} use={use} /> : <One seen={s} use={use} />}
            <span className="block truncate text-small leading-tight text-quiet">
              <span className="num">{count(s.times)}</span> × on <bdi>{s.pages[0]?.path}</bdi>
              {s.pages.length > 1 && ` and ${s.pages.length - 1} more`}
            </span>
          </li>
        ))}
      </ul>
    </fieldset>
  );
}

function One({ seen, use }: { seen: Seen; use: (leaf: Leaf) => void }) {
  const { kind, element, name } = seen;
  const made = (): Leaf => {
    if (kind === "mark") return { event: { name } };
    if (kind === "step") return { step: { link: name } };
    if (kind === "sale") return { sale: { link: name } };
    if (kind === "click")
      return { click: { what: element?.what as Asked<"click">["what"], text: element?.text, to: element?.to } };
    if (element?.id) return { form: { id: element.id } };
    if (element?.name) return { form: { name: element.name } };
    return { form: { action: element?.action, field: element?.action ? "" : element?.fields?.[0] } };
  };
  return (
    <TextButton className="block w-full truncate text-left" onClick={() => use(made())}>
      <bdi>{called(kind, element, name)}</bdi>
    </TextButton>
  );
}

/** A message of a frame: each key that tells it from others can be the one that decides. */
function Message({ seen, use }: { seen: Seen; use: (leaf: Leaf) => void }) {
  const { origin = "", keys = {}, values = {} } = seen.element ?? {};
  const masked = Object.entries(keys).filter(([key]) => !(key in values));
  return (
    <div>
      <bdi className="num block truncate">{origin}</bdi>
      {Object.entries(values).map(([at, value]) => (
        <TextButton key={at} className="mr-3" onClick={() => use({ message: { origin, at, value } })}>
          <bdi>
            {at} is {value}
          </bdi>
        </TextButton>
      ))}
      {masked.length > 0 && (
        <span className="text-small text-quiet">
          also <bdi>{masked.map(([key, type]) => `${key || "the whole"} (${TYPES[type] ?? type})`).join(", ")}</bdi>
        </span>
      )}
    </div>
  );
}
