/** What to do today, in sentences with the evidence one click away; and yesterday beside what is usual. */
import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { cx, Failed, Head, Loading } from "../../components/ui";
import { ago, day } from "../../lib/format";
import { useSite } from "../../lib/session";
import { useSiteId } from "../../lib/useSiteId";
import { Act } from "./Act";
import { Answer } from "./Answer";
import { Answered } from "./Answered";
import { changes } from "./changes";
import { decisions } from "./decisions";
import { mendings } from "./mendings";
import type { Note } from "./note";
import { todayQuery } from "./queries";
import { Steps } from "./Steps";
import { suspects } from "./suspects";
import { Usual } from "./Usual";

export default function Today() {
  const siteId = useSiteId();
  const { canEdit } = useSite(siteId);
  const query = useQuery(todayQuery(siteId));
  const now = query.data;
  return (
    <>
      <Head
        title="Today"
        actions={
          canEdit && (
            <Link
              to="/s/$siteId/alerts"
              params={{ siteId: String(siteId) }}
              className="text-plum underline decoration-line underline-offset-4 hover:decoration-plum"
            >
              Be told of this
            </Link>
          )
        }
        lead={
          now &&
          (now.last_at
            ? `${day(now.now)}. The last hit came ${ago(now.last_at)}.`
            : `${day(now.now)}. No hit has come in yet.`)
        }
      />
      {query.isPending && <Loading what="what there is to do" />}
      {query.isError && <Failed error={query.error} retry={query.refetch} />}
      {now && (
        <div className="mt-4 grid gap-x-8 gap-y-6 lg:grid-cols-[minmax(0,1fr)_400px]">
          <div>
            <Steps siteId={siteId} today={now} />
            {now.first_at && (
              <>
                <Notes
                  siteId={siteId}
                  title="To mend"
                  notes={mendings(now)}
                  none="Nothing is broken that Clabo can see."
                />
                <Notes siteId={siteId} title="Perhaps forged" notes={suspects(now)} />
                <Notes
                  siteId={siteId}
                  title="To decide"
                  notes={decisions(now)}
                  none="Nothing is certain enough to act on today."
                />
                <Answered siteId={siteId} currency={now.currency} />
                <Notes siteId={siteId} title="To know" notes={changes(now)} />
              </>
            )}
          </div>
          {now.yesterday && <Usual yesterday={now.yesterday} />}
        </div>
      )}
    </>
  );
}

const TONES = { brick: "border-l-brick", marigold: "border-l-marigold", fern: "border-l-fern", ink: "border-l-ink" };

function Notes({ siteId, title, notes, none }: { siteId: number; title: string; notes: Note[]; none?: string }) {
  if (!notes.length && !none) return null;
  return (
    <section aria-label={title} className="mb-6">
      <h2 className="mb-2 text-title">{title}</h2>
      {!notes.length && <p className="text-quiet">{none}</p>}
      <ul className={cx(notes.length > 0 && "border-t")}>
        {notes.map((note) => (
          <li
            key={note.key}
            className="flex flex-wrap items-baseline justify-between gap-x-5 gap-y-1 border-b py-2.5 sm:flex-nowrap"
          >
            <div className={cx("border-l-4 pl-3", TONES[note.tone])}>
              <p className="text-lead">{note.says}</p>
              {note.why && <p className="text-small text-quiet">{note.why}</p>}
              {note.act && <Act siteId={siteId} act={note.act} />}
              {note.about && <Answer siteId={siteId} about={note.about} />}
            </div>
            <Link
              to={`/s/$siteId/${note.to}`}
              params={{ siteId: String(siteId), testId: String(note.test), audienceId: String(note.test) }}
              search={note.search}
              className="shrink-0 pl-4 whitespace-nowrap text-plum underline decoration-line underline-offset-4 hover:decoration-plum sm:pl-0"
            >
              {note.go}
            </Link>
          </li>
        ))}
      </ul>
    </section>
  );
}
