/** A page to scroll through, as it looks now and as it looked. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { client, data } from "../../api/client";
import { Checkbox } from "../../components/Checkbox";
import { Word } from "../../components/LensSentence";
import { Scroll } from "../../components/Scroll";
import { Button, cx, Failed, Loading } from "../../components/ui";
import { day, dayOf } from "../../lib/format";
import { useSite } from "../../lib/session";
import { BeforeAfter } from "./BeforeAfter";
import { imageOf, looksQuery, type Picture, picturesQuery, type Width } from "./queries";

const WIDTHS: Record<Width, { words: string; pixels: number }> = {
  desktop: { words: "on a desktop", pixels: 1280 },
  phone: { words: "on a phone", pixels: 390 },
};
const on = (iso: string) => day(dayOf(new Date(iso)));

/** From when until when it looked so. */
function since(picture: Picture, newest: boolean) {
  if (!newest) return `as it was from ${on(picture.taken_at)} to ${on(picture.seen_at)}`;
  return picture.changed ? `as it looks since ${on(picture.taken_at)}` : "as it looks now";
}

export function Whole({ siteId, pageId, path }: { siteId: number; pageId: number; path: string }) {
  const found = useQuery(picturesQuery(siteId, pageId));
  const looks = useQuery(looksQuery(siteId)).data?.get(pageId);
  const [width, setWidth] = useState<Width>("desktop");
  const [chosen, setChosen] = useState<number>();
  const [comparing, setComparing] = useState(false);
  const [marks, setMarks] = useState(false);
  if (found.isPending) return <Loading what="the picture" />;
  if (!found.data) return <Failed error={found.error} retry={found.refetch} />;
  const all = found.data.filter((p) => p.width === width);
  const at = Math.max(
    0,
    all.findIndex((p) => p.id === chosen),
  );
  const picture = all[at];
  const before = all[at + 1];
  return (
    <section aria-label={`Picture of ${path}`} className="min-w-0">
      <div className="mb-2 flex flex-wrap items-center gap-x-4 gap-y-2">
        <p className="text-lead">
          The page{" "}
          <Word
            label="Width"
            text={WIDTHS[width].words}
            value={width}
            choices={Object.entries(WIDTHS).map(([value, w]) => ({ value, text: w.words }))}
            choose={(value) => {
              setWidth(value as Width);
              setChosen(undefined);
            }}
          />
          {picture && (
            <>
              ,{" "}
              {all.length > 1 ? (
                <Word
                  label="Which picture"
                  text={since(picture, at === 0)}
                  value={String(picture.id)}
                  choices={all.map((p, i) => ({ value: String(p.id), text: since(p, i === 0) }))}
                  choose={(value) => setChosen(Number(value))}
                />
              ) : (
                since(picture, true)
              )}
            </>
          )}
        </p>
        {before && (
          <Button onClick={() => setComparing(!comparing)} aria-pressed={comparing}>
            {comparing ? "Show one picture" : "Before and after"}
          </Button>
        )}
        {picture?.changed && !comparing && (
          <Checkbox label="Outline what changed" checked={marks} set={() => setMarks(!marks)} />
        )}
        <Again siteId={siteId} pageId={pageId} />
      </div>
      {looks?.reason && (
        <p className="mb-2 border-l-4 border-marigold pl-3 text-small">
          The last look, on {on(looks.looked_at)}, brought no picture: {looks.reason}
        </p>
      )}
      {looks && looks.left_out.length > 0 && (
        <p className="mb-2 text-small text-quiet">
          Left out of the picture, since they are none of this site’s hosts:{" "}
          <bdi className="num">{looks.left_out.join(", ")}</bdi>.
        </p>
      )}
      {!picture ? (
        !looks?.reason && (
          <p className="text-quiet">No picture yet. Landing pages are looked at by themselves, the busiest each day.</p>
        )
      ) : comparing && before ? (
        <BeforeAfter siteId={siteId} before={before} after={picture} pixels={WIDTHS[width].pixels} />
      ) : (
        <Scrolled siteId={siteId} picture={picture} path={path} pixels={WIDTHS[width].pixels} marks={marks} />
      )}
    </section>
  );
}

interface ScrolledProps {
  siteId: number;
  picture: Picture;
  path: string;
  pixels: number;
  marks: boolean;
}

function Scrolled({ siteId, picture, path, pixels, marks }: ScrolledProps) {
  return (
    <>
      <Scroll
        label={`${path}, to scroll through`}
        className="max-h-[calc(100vh-9rem)] rounded-box border border-line bg-paper"
      >
        <div className={cx("relative", pixels < 500 && "mx-auto max-w-[390px]")}>
          <img
            src={imageOf(siteId, picture)}
            alt={`The whole page ${path}`}
            width={pixels}
            height={picture.height}
            className="block h-auto w-full"
          />
          {marks &&
            picture.changed?.map(([left, top, wide, high]) => (
              <span
                key={`${left} ${top}`}
                className="pointer-events-none absolute border-2 border-marigold"
                style={{
                  left: `${((left ?? 0) / pixels) * 100}%`,
                  top: `${((top ?? 0) / picture.height) * 100}%`,
                  width: `${(Math.min(wide ?? 0, pixels - (left ?? 0)) / pixels) * 100}%`,
                  height: `${(Math.min(high ?? 0, picture.height - (top ?? 0)) / picture.height) * 100}%`,
                }}
              />
            ))}
        </div>
      </Scroll>
      {picture.cut && (
        <p className="mt-1 text-small text-quiet">The page goes on below; pictures end at 8,000 pixels.</p>
      )}
    </>
  );
}

/** Has the page looked at once more. */
function Again({ siteId, pageId }: { siteId: number; pageId: number }) {
  const site = useSite(siteId);
  const queries = useQueryClient();
  const again = useMutation({
    mutationFn: () =>
      data(
        client.POST("/api/sites/{site_id}/pages/{page_id}/pictures", {
          params: { path: { site_id: siteId, page_id: pageId } },
        }),
      ),
    onSuccess: async ({ looked_at }) => {
      const query = looksQuery(siteId);
      for (let tries = 0; tries < 30; tries++) {
        await new Promise((go) => setTimeout(go, 2000));
        const now = (await queries.fetchQuery({ ...query, staleTime: 0 })).get(pageId)?.looked_at;
        if (now && now !== looked_at) break;
      }
      const last = (await queries.fetchQuery(query)).get(pageId);
      await queries.invalidateQueries({ queryKey: picturesQuery(siteId, pageId).queryKey });
      await queries.invalidateQueries({ queryKey: ["notes", siteId] });
      if (last && last.looked_at !== looked_at)
        toast(last.reason || `Looked at again. ${saidChange(last.changed_at, looked_at)}`);
      else toast("It waits for other pages; the picture comes by itself.");
    },
  });
  if (!site.canEdit) return null;
  return (
    <Button onClick={() => again.mutate()} disabled={again.isPending} className="ml-auto">
      {again.isPending ? "Looking…" : "Check again"}
    </Button>
  );
}

const saidChange = (changed: string | null, before: string | null) =>
  changed && (!before || changed > before) ? "It has changed." : "It looks as before.";
