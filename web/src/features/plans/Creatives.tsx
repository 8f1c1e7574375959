/** What is shown: each creative as it looks, and where it leads. */
import type { Ref } from "react";
import type { Schemas } from "../../api/client";
import { KnownPages } from "../../components/KnownPages";
import { Button, cx, Field, Input, TextButton } from "../../components/ui";
import { Window } from "../../components/Window";
import { OwnPicture } from "../splits/OwnPicture";
import { blankCreative, type CreativeForm, type PlanForm } from "./model";

interface Props {
  siteId: number;
  form: PlanForm;
  change: (part: Partial<PlanForm>) => void;
  canEdit: boolean;
  /** So many of them were shown already and stay. */
  fixed: number;
  problem: (field: string) => string | undefined;
  top: Ref<HTMLElement>;
}

export function Creatives({ siteId, form, change, canEdit, fixed, problem, top }: Props) {
  const set = (at: number, part: Partial<CreativeForm>) =>
    change({ creatives: form.creatives.map((c, i) => (i === at ? { ...c, ...part } : c)) });
  const page = form.creatives.find((c) => c.landing)?.landing ?? "";
  return (
    <section ref={top} tabIndex={-1} aria-label="Creatives" className="outline-none">
      <h2 className="mb-2 text-lead">Creatives</h2>
      <KnownPages siteId={siteId} />
      {problem("creatives") && (
        <p role="alert" className="mb-2 text-brick">
          {problem("creatives")}
        </p>
      )}
      <div className="grid grid-cols-[repeat(auto-fill,minmax(220px,1fr))] gap-3">
        {form.creatives.map((c, at) => {
          const wrong = ["headline", "text", "button", "picture", "landing"].map((f) =>
            problem(`creatives.${at}.${f}`),
          );
          return (
            // biome-ignore lint/suspicious/noArrayIndexKey: a creative is its place until it is kept
            <div key={at}>
              <Looks creative={c} />
              {[...wrong, problem(`creatives.${at}`)].filter(Boolean).map((says) => (
                <p key={says} role="alert" className="mt-1 text-small text-brick">
                  {says}
                </p>
              ))}
              {canEdit && at >= fixed && (
                <div className="mt-1.5 flex gap-3">
                  <Window name="Edit" kind="quiet">
                    <CreativeFields
                      siteId={siteId}
                      creative={c}
                      set={(part) => set(at, part)}
                      several={form.creatives.length > 1}
                    />
                  </Window>
                  <Button kind="quiet" onClick={() => change({ creatives: form.creatives.filter((_, i) => i !== at) })}>
                    Remove
                  </Button>
                </div>
              )}
            </div>
          );
        })}
        {canEdit && (
          <button
            type="button"
            className="min-h-24 rounded-box border border-dashed border-quiet p-3 text-plum hover:border-plum"
            onClick={() => change({ creatives: [...form.creatives, blankCreative(page)] })}
          >
            {form.creatives.length ? "Add a creative" : "Say what is shown"}
          </button>
        )}
      </div>
    </section>
  );
}

/** A creative as somebody meets it. */
export function Looks({ creative }: { creative: CreativeForm | Schemas["PlanCreativeOut"] }) {
  const page = "page" in creative ? creative.page : creative.landing;
  return (
    <article className="overflow-hidden rounded-box border bg-surface">
      {creative.picture ? (
        <img src={creative.picture} alt="" className="h-24 w-full object-cover" />
      ) : (
        <Pattern words={creative.headline} />
      )}
      <div className="flex flex-col gap-1 p-3">
        <strong className="font-head font-semibold">
          {creative.headline || <span className="text-quiet">No headline yet</span>}
        </strong>
        {creative.text && <span className="text-small text-quiet">{creative.text}</span>}
        <span className="mt-1 flex items-center justify-between gap-2 text-small">
          <bdi className="num min-w-0 truncate text-quiet">{page || "no page yet"}</bdi>
          {creative.button && (
            <span className="shrink-0 rounded-box border border-ink px-2 py-0.5">{creative.button}</span>
          )}
        </span>
      </div>
    </article>
  );
}

/** In place of a picture: cells of a comb, as many and where the words have it. */
function Pattern({ words }: { words: string }) {
  let seed = [...words].reduce((sum, letter) => (sum * 31 + letter.charCodeAt(0)) % 9973, 7);
  const cells = Array.from({ length: 33 }, (_, at) => {
    seed = (seed * 137 + 11) % 9973;
    return { at, on: seed % 3 };
  });
  return (
    <svg viewBox="0 0 220 96" className="h-24 w-full" preserveAspectRatio="xMidYMid slice" aria-hidden="true">
      <rect width="220" height="96" fill="var(--color-plum-wash)" />
      {cells.map(({ at, on }) => {
        const [column, row] = [at % 11, Math.floor(at / 11)];
        const [x, y] = [column * 21 + (row % 2) * 10.5, row * 34 + 14];
        return (
          <path
            key={at}
            d={`M${x} ${y - 12}l10.5 6v12l-10.5 6l-10.5 -6v-12z`}
            fill={on === 0 ? "var(--color-plum)" : "var(--color-line)"}
            opacity={on === 2 ? 0.25 : on === 1 ? 0.7 : 0.5}
          />
        );
      })}
    </svg>
  );
}

function CreativeFields({
  siteId,
  creative,
  set,
  several,
}: {
  siteId: number;
  creative: CreativeForm;
  set: (part: Partial<CreativeForm>) => void;
  several: boolean;
}) {
  const line = (
    name: keyof CreativeForm,
    label: string,
    more: { hint?: string; max: number; list?: string; num?: boolean },
  ) => (
    <Field label={label} hint={more.hint}>
      {(p) => (
        <Input
          {...p}
          maxLength={more.max}
          list={more.list}
          className={cx(more.num && "num")}
          value={creative[name]}
          onChange={(e) => set({ [name]: e.target.value })}
        />
      )}
    </Field>
  );
  return (
    <div className="flex flex-col gap-2">
      {line("headline", "Headline", { max: 90 })}
      {line("text", "Text", { max: 200 })}
      {line("button", "Button", { max: 30, hint: "May be left out." })}
      {line("landing", "Page it leads to", {
        max: 2000,
        list: "known-pages",
        num: true,
        hint: "A path of your site, or a whole address.",
      })}
      <div>
        <span className="font-medium">Picture</span>
        <p className="text-small text-quiet">
          {creative.picture ? "Its own." : "None: a pattern stands in for it."}{" "}
          {creative.picture && <TextButton onClick={() => set({ picture: "" })}>Remove</TextButton>}
        </p>
        <OwnPicture siteId={siteId} kept={(picture) => set({ picture })} />
      </div>
      {several && (
        <Field label="Its turn, against the others’" hint="1 and 1 is turn and turn about; 2 is twice as often as 1.">
          {(p) => (
            <Input
              {...p}
              type="number"
              min={0.1}
              max={100}
              step={0.1}
              className="num max-w-24"
              value={creative.share}
              onChange={(e) => set({ share: e.target.value })}
            />
          )}
        </Field>
      )}
    </div>
  );
}
