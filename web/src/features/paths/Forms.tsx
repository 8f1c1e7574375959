/** Forms: how many saw, began, tried and sent each, and at which field the others left it. */
import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import type { Schemas } from "../../api/client";
import { Files } from "../../components/Files";
import { OriginAndDevice, PeopleWord, PeriodWord } from "../../components/LensSentence";
import { Empty, Failed, Loading, TextButton } from "../../components/ui";
import { count, day, dayOf, percent } from "../../lib/format";
import { type Lens, lensQuery } from "../../lib/lens";
import { useSite } from "../../lib/session";
import { useSiteId } from "../../lib/useSiteId";
import { lensChoicesQuery } from "../pages/queries";
import { useMakeAudience } from "./keeping";
import { spanOf } from "./model";
import { formsQuery } from "./queries";
import { between, duration } from "./Walk";

type Form = Schemas["FormOut"];
const STEPS: Record<Form["steps"][number]["name"], string> = {
  seen: "saw a page with it",
  begun: "began to fill it in",
  tried: "tried to send it",
  sent: "sent it",
};

export default function Forms() {
  const siteId = useSiteId();
  const search = useSearch({ from: "/s/$siteId/forms" });
  const navigate = useNavigate({ from: "/s/$siteId/forms" });
  const change = (more: Partial<Lens>) => navigate({ search: (now) => ({ ...now, ...more }) });
  const lens = useQuery(lensChoicesQuery(siteId, lensQuery(search)));
  const found = useQuery(formsQuery(siteId, search));
  const read = lens.data;
  if (lens.isError) return <Failed error={lens.error} retry={lens.refetch} />;
  if (!read) return <Loading what="forms" />;
  const since = found.data?.since;
  return (
    <>
      <header className="flex flex-wrap items-start justify-between gap-3 border-b-2 border-ink pb-3">
        <div>
          <p className="text-small text-quiet">
            <Link to="/s/$siteId/paths" params={{ siteId: String(siteId) }} className="text-plum underline">
              Paths
            </Link>{" "}
            · Forms
          </p>
          <h1 className="max-w-4xl font-head text-head leading-[1.4] font-normal">
            What becomes of forms <PeopleWord read={read} change={change} />
            <PeriodWord read={read} lens={search} change={change} /> <OriginAndDevice read={read} change={change} />.
          </h1>
        </div>
        <Files path={`/api/sites/${siteId}/forms`} query={lensQuery(search)} />
      </header>
      {found.isPending && <Loading what="forms" />}
      {found.isError && !found.data && <Failed error={found.error} retry={found.refetch} />}
      {found.data && (
        <div aria-busy={found.isPlaceholderData}>
          <p className="max-w-3xl py-3 text-quiet">
            Visits that came so far, each step after the one before it. Names of fields are read, never what a visitor
            enters.{" "}
            {(!since || dayOf(new Date(since)) > read.first) &&
              `${since ? `Until ${day(since)} the` : "The"} tag did not tell of forms that were begun: those known were tried or sent.`}
          </p>
          {found.data.forms.length === 0 && (
            <Empty title="Nobody has begun a form in these days.">
              <p>The tag sees forms by itself. Take a longer period, or any source and device.</p>
            </Empty>
          )}
          {found.data.forms.map((form) => (
            <One key={form.name + form.origin} siteId={siteId} form={form} search={search} days={spanOf(read)} />
          ))}
        </div>
      )}
    </>
  );
}

interface OneProps {
  siteId: number;
  form: Form;
  search: Lens;
  days: number;
}

function One({ siteId, form, search, days }: OneProps) {
  const { canEdit } = useSite(siteId);
  const make = useMakeAudience(siteId);
  const most = form.steps[0]?.reached || 1;
  const [, begun, , sent] = form.steps;
  const lost = (begun?.reached ?? 0) - (sent?.reached ?? 0);
  const { period, origin, device, audience } = search;
  const [begins, sends] = [form.path?.at(-3), form.path?.at(-1)];
  const part = (what: Schemas["PathStep"]) => ({ what, from: 0, to: Math.max(1, days), times: 1 });
  return (
    <section className="border-t pt-3 pb-6" aria-label={`Form ${form.name}`}>
      <h2 className="text-lead">
        <bdi className="num font-semibold break-words">{form.name}</bdi>{" "}
        <span className="text-quiet">
          on {form.paths.slice(0, 3).join(", ")}
          {form.paths.length > 3 && ` and ${form.paths.length - 3} more pages`}
          {form.origin && `, in a frame of ${form.origin}`}
        </span>
      </h2>
      <div className="mt-2 grid gap-x-10 gap-y-4 lg:grid-cols-[minmax(0,1fr)_320px]">
        <ol className="flex flex-col gap-1.5">
          {form.steps.map((s) => (
            <li
              key={s.name}
              className="grid grid-cols-[150px_minmax(0,1fr)_64px] items-center gap-x-3 max-sm:grid-cols-[110px_minmax(0,1fr)_52px]"
            >
              <span className="text-small">{STEPS[s.name]}</span>
              <span className="relative block h-6">
                <span
                  aria-hidden
                  className="absolute inset-y-0 left-0 bg-plum/85"
                  style={{ width: `${(100 * s.reached) / most}%` }}
                />
              </span>
              <span className="num text-right font-semibold">{count(s.reached)}</span>
              {s.rate && (
                <span className="col-start-2 text-small text-quiet">
                  <strong className="num text-ink">{percent(s.rate.estimate, 1)}</strong> of the step before,{" "}
                  {between(s.rate)}
                </span>
              )}
            </li>
          ))}
        </ol>
        <div>
          <h3 className="text-small text-quiet">
            {lost > 0 ? `Last field of the ${count(lost)} who began it and did not send it` : "Nobody gave it up."}
          </h3>
          {lost > 0 && <Fields form={form} lost={lost} />}
          {form.seconds != null && (
            <p className="mt-2 text-small text-quiet">
              Half of those who sent it took {duration(form.seconds)} or less from their first entry.
            </p>
          )}
          {form.path && (
            <p className="mt-2 text-small">
              <Link
                to="/s/$siteId/paths"
                params={{ siteId: String(siteId) }}
                search={{ period, origin, device, audience, steps: JSON.stringify(form.path) }}
                className="text-plum underline"
              >
                As a path, to compare and split
              </Link>
              {canEdit && lost > 0 && begins && sends && (
                <>
                  {" · "}
                  <TextButton
                    disabled={make.isPending}
                    onClick={() =>
                      make.mutate({
                        name: `Form ${form.name}`.slice(0, 50).concat(", given up"),
                        definition: { include: part(begins), exclude: part(sends) },
                        starts_empty: false,
                      })
                    }
                  >
                    make those who gave up an audience
                  </TextButton>
                </>
              )}
            </p>
          )}
        </div>
      </div>
    </section>
  );
}

function Fields({ form, lost }: { form: Form; lost: number }) {
  return (
    <ul>
      {form.left.slice(0, 6).map((f) => (
        <li key={f.field} className="grid grid-cols-[minmax(0,1fr)_40px_100px] items-center gap-2 text-small">
          <bdi className="num truncate">{f.field}</bdi>
          <span className="num text-right">{count(f.count)}</span>
          <span aria-hidden className="h-2 bg-quiet/60" style={{ width: `${(100 * f.count) / lost}px` }} />
        </li>
      ))}
      {form.left.length > 6 && (
        <li className="text-small text-quiet">
          {count(form.left.slice(6).reduce((sum, f) => sum + f.count, 0))} at {form.left.length - 6} other fields
        </li>
      )}
      {form.unknown > 0 && <li className="text-small text-quiet">{count(form.unknown)} of whom it is not known</li>}
    </ul>
  );
}
