/** The definition as a sentence that falls like stairs: each line with what is left over after it. */
import type { Schemas } from "../../api/client";
import { Button, cx, Field, Input, TextButton } from "../../components/ui";
import { count } from "../../lib/format";
import { blankLine, blankPart, type Draft, isTimed, type Line, type Part, pathOf } from "./model";
import { PartEditor } from "./PartEditor";

type Side = "include" | "exclude";
type Stair = Schemas["StairOut"];
interface Place {
  side: Side;
  place: number;
}

interface Props {
  siteId: number;
  draft: Draft;
  change: (draft: Draft) => void;
  /** As the server says and counts them; of the definition before while this one is asked for. */
  stairs: Stair[] | undefined;
  fresh: boolean;
  canEdit: boolean;
  own?: number;
  error: (path: string) => string | undefined;
  open: Place | null;
  setOpen: (place: Place | null) => void;
}

const same = (a: Place | null, b: Place) => a?.side === b.side && a.place === b.place;

export function Stairs(props: Props) {
  const { draft, change, stairs, fresh, canEdit, setOpen } = props;
  const lines: Place[] = (["include", "exclude"] as const).flatMap((side) =>
    draft[side].map((_, place) => ({ side, place })),
  );
  const add = (side: Side, line: Line, inOrder = draft.inOrder) => {
    change({ ...draft, inOrder, [side]: [...draft[side], line] });
    setOpen({ side, place: draft[side].length });
  };
  const widest = Math.max(1, ...(stairs ?? []).map((s) => s.left));
  return (
    <div className={cx(!fresh && "opacity-70 transition-opacity duration-300")}>
      <div className="flex justify-between border-b pb-1 text-small text-quiet">
        <span>People …</span>
        <span>left over, at each line</span>
      </div>
      <ol>
        {lines.map((at, index) => (
          <Step
            key={`${at.side}${at.place}`}
            {...props}
            at={at}
            stair={stairs?.find((s) => s.path === pathOf(draft, at.side, at.place))}
            before={index ? stairs?.[index - 1]?.left : undefined}
            widest={widest}
          />
        ))}
      </ol>
      {draft.inOrder && (
        <div className="mt-3 max-w-xs">
          <Field label="Each within, hours" hint="Of the one before; empty for however long.">
            {(p) => (
              <Input
                {...p}
                className="num"
                type="number"
                min={0}
                disabled={!canEdit}
                value={draft.within ? draft.within / 3600 : ""}
                onChange={(e) =>
                  change({ ...draft, within: e.target.value ? Math.round(Number(e.target.value) * 3600) : null })
                }
              />
            )}
          </Field>
        </div>
      )}
      {canEdit && (
        <div className="mt-3 flex flex-wrap gap-x-4 gap-y-1 text-small">
          {draft.inOrder ? (
            <TextButton onClick={() => add("include", blankLine())}>+ and later …</TextButton>
          ) : (
            <TextButton onClick={() => add("include", blankLine())}>+ and who also …</TextButton>
          )}
          <TextButton onClick={() => add("exclude", { parts: [blankPart({ conversion: 0 }, 365)] })}>
            + but not those who …
          </TextButton>
          {draft.inOrder ? (
            <TextButton onClick={() => change({ ...draft, inOrder: false, within: null })}>in any order</TextButton>
          ) : (
            draft.include.every(canBeStep) && (
              <TextButton
                onClick={() =>
                  draft.include.length > 1 ? change({ ...draft, inOrder: true }) : add("include", blankLine(), true)
                }
              >
                {draft.include.length > 1 ? "in this order" : "+ and later …"}
              </TextButton>
            )
          )}
        </div>
      )}
    </div>
  );
}

const canBeStep = (line: Line) =>
  "parts" in line && line.parts.every((part) => isTimed(part.what) && (part.times ?? 1) === 1);

interface StepProps extends Props {
  at: Place;
  stair: Stair | undefined;
  before: number | undefined;
  widest: number;
}

function Step({ draft, change, stair, before, widest, at, open, setOpen, canEdit, siteId, own, error }: StepProps) {
  const line = draft[at.side][at.place] as Line;
  const isOpen = same(open, at);
  const out = at.side === "exclude";
  const put = (changed: Line | null) => {
    const lines = draft[at.side].flatMap((l, i) => (i === at.place ? (changed ? [changed] : []) : [l]));
    const left = { ...draft, [at.side]: lines };
    change(left.include.length < 2 ? { ...left, inOrder: false, within: null } : left);
    if (!changed) setOpen(null);
  };
  const setPart = (place: number, part: Part | null) => {
    if (!("parts" in line)) return;
    const parts = line.parts.flatMap((p, i) => (i === place ? (part ? [part] : []) : [p]));
    put(parts.length ? { parts } : null);
  };
  const width = (n: number) => `${(100 * n) / widest}%`;
  const joint = stair?.joint ?? (out ? "but not those who" : at.place ? "and" : "who");
  return (
    <li className="border-b">
      <div
        className={cx(
          "grid grid-cols-[minmax(0,1fr)_84px] gap-x-4 py-2.5 sm:grid-cols-[minmax(0,5fr)_minmax(0,5fr)_84px]",
          out && "pl-4",
        )}
      >
        <div>
          {joint}{" "}
          <button
            type="button"
            aria-expanded={isOpen}
            onClick={() => setOpen(isOpen ? null : at)}
            className="text-left font-semibold text-plum underline decoration-line underline-offset-4 hover:decoration-plum"
          >
            {stair?.says ?? "… (say what)"}
          </button>
          {stair?.when && <div className="text-small text-quiet">{stair.when}</div>}
        </div>
        <div className="relative hidden h-[18px] self-center sm:block" aria-hidden>
          {stair && before !== undefined && (
            <span
              className="hatched absolute inset-y-0"
              style={{ left: width(stair.left), width: width(Math.max(0, before - stair.left)) }}
            />
          )}
          {stair && (
            <span
              className={cx("absolute inset-y-0 left-0", out ? "bg-ink/75" : "bg-plum/85")}
              style={{ width: width(stair.left) }}
            />
          )}
        </div>
        <span className="num self-center text-right text-body">
          {stair ? count(stair.left) : "–"}
          {stair && before !== undefined && before > stair.left && (
            <span className="block text-fine text-quiet">−{count(before - stair.left)}</span>
          )}
        </span>
      </div>
      {isOpen && (
        <fieldset disabled={!canEdit} className="mb-3 flex min-w-0 flex-col gap-4 border-l-2 border-ink pl-4">
          {"parts" in line ? (
            line.parts.map((part, place) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: alternatives have no identity but their place.
              <div key={place} className="flex flex-col gap-3">
                {place > 0 && <p className="font-medium">or</p>}
                <PartEditor
                  siteId={siteId}
                  part={part}
                  set={(changed) => setPart(place, changed)}
                  once={draft.inOrder && !out}
                  own={own}
                  error={(field) => error(field)}
                  aside={
                    line.parts.length > 1 && (
                      <Button kind="against" onClick={() => setPart(place, null)}>
                        Remove
                      </Button>
                    )
                  }
                />
              </div>
            ))
          ) : (
            <p className="text-quiet">Nested parts are changed in the written form below.</p>
          )}
          <div className="flex flex-wrap gap-x-4 gap-y-1 text-small">
            {"parts" in line && !out && (
              <TextButton
                onClick={() => {
                  const last = line.parts.at(-1);
                  put({
                    parts: [
                      ...line.parts,
                      { ...blankPart({ page: { match: "equals", value: "" } }), to: last?.to, from: last?.from },
                    ],
                  });
                }}
              >
                + or …
              </TextButton>
            )}
            {(out || draft.include.length > 1) && (
              <TextButton className="text-brick" onClick={() => put(null)}>
                Remove this line
              </TextButton>
            )}
            <TextButton onClick={() => setOpen(null)}>Done</TextButton>
          </div>
        </fieldset>
      )}
    </li>
  );
}
