/** Saved views: opened, renamed, copied, shared and mailed. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { useState } from "react";
import { toast } from "sonner";
import { client, data } from "../../api/client";
import { Scroll } from "../../components/Scroll";
import { Sheet } from "../../components/Sheet";
import { Table } from "../../components/Table";
import { Button, cx, Empty, Failed, Field, FormProblem, fieldError, Head, Input, Loading } from "../../components/ui";
import { day } from "../../lib/format";
import { useSite } from "../../lib/session";
import { makeStale } from "../../lib/stale";
import { offerUndo } from "../../lib/undo";
import { useSiteId } from "../../lib/useSiteId";
import { OpenView } from "./OpenView";
import { type SavedView, viewsQuery } from "./queries";
import { Uses } from "./Uses";

export const PLACES: Record<SavedView["place"], string> = { pages: "Pages", sources: "Sources", paths: "Paths" };

export default function Views() {
  const siteId = useSiteId();
  const site = useSite(siteId);
  const views = useQuery(viewsQuery(siteId));
  const search = useSearch({ from: "/s/$siteId/views" });
  const navigate = useNavigate({ from: "/s/$siteId/views" });
  const show = (open: number | undefined) => navigate({ search: { open }, replace: true });
  if (views.isPending) return <Loading what="the saved views" />;
  if (!views.data) return <Failed error={views.error} retry={views.refetch} />;
  const open = views.data.find((v) => v.id === search.open);
  return (
    <>
      <Head
        title="Saved views"
        lead="Reports set up once, for everybody in the workspace. A view always shows the current days."
      />
      {views.data.length === 0 ? (
        <div className="mt-5">
          <Empty title="Nothing is saved yet.">
            <p>
              Set up{" "}
              <Link to="/s/$siteId/pages" params={{ siteId: String(siteId) }} className="text-plum underline">
                Pages
              </Link>{" "}
              or{" "}
              <Link to="/s/$siteId/sources" params={{ siteId: String(siteId) }} className="text-plum underline">
                Sources
              </Link>{" "}
              as you need them, and choose “Save this view”.
            </p>
          </Empty>
        </div>
      ) : (
        <div className="mt-4 flex gap-4">
          <Scroll label="Saved views" className="min-w-0 flex-1">
            <Table<SavedView>
              caption="Saved views"
              rows={views.data}
              rowKey={(v) => v.id}
              rowProps={(v) => ({ className: cx(v.id === open?.id && "bg-plum-wash") })}
              columns={[
                {
                  key: "name",
                  head: "View",
                  text: true,
                  cell: (v) => <OpenView siteId={siteId} view={v} />,
                },
                { key: "place", head: "Of", text: true, cell: (v) => PLACES[v.place] },
                {
                  key: "by",
                  head: "Last changed",
                  text: true,
                  cell: (v) => (
                    <span className="text-quiet">
                      {day(v.changed_at ?? v.made_at)}, {(v.changed_at ? v.changed_by : v.made_by) || "a former member"}
                    </span>
                  ),
                },
                {
                  key: "more",
                  head: <span className="sr-only">More</span>,
                  cell: (v) =>
                    site.canEdit && (
                      <Button
                        aria-expanded={v.id === open?.id}
                        onClick={() => show(v.id === open?.id ? undefined : v.id)}
                      >
                        Share, mail, rename
                      </Button>
                    ),
                },
              ]}
            />
          </Scroll>
          {open && (
            <Sheet title={<bdi>{open.name}</bdi>} close={() => show(undefined)}>
              {site.canEdit && <Change key={open.id} siteId={siteId} view={open} gone={() => show(undefined)} />}
              {site.canEdit && open.place !== "paths" && <Uses siteId={siteId} view={open} />}
            </Sheet>
          )}
        </div>
      )}
    </>
  );
}

function Change({ siteId, view, gone }: { siteId: number; view: SavedView; gone: () => void }) {
  const queries = useQueryClient();
  const [name, setName] = useState(view.name);
  const path = { site_id: siteId, view_id: view.id };
  const again = () => makeStale(queries, siteId, "views");
  const rename = useMutation({
    mutationFn: () =>
      data(
        client.PUT("/api/sites/{site_id}/views/{view_id}", {
          params: { path },
          body: { name, place: view.place, words: view.words },
        }),
      ),
    onSuccess: () => toast("The view has its new name."),
    onSettled: again,
  });
  const copy = useMutation({
    mutationFn: () => data(client.POST("/api/sites/{site_id}/views/{view_id}/copy", { params: { path } })),
    onSuccess: (made) => toast(`“${made.name}” is made.`),
    onSettled: again,
  });
  const remove = useMutation({
    mutationFn: () => data(client.DELETE("/api/sites/{site_id}/views/{view_id}", { params: { path } })),
    onSuccess: () => {
      gone();
      offerUndo(queries, {
        siteId,
        kind: "view",
        id: view.id,
        says: `“${view.name}” is deleted; its links and mails have ended.`,
        lists: ["views"],
      });
    },
    onSettled: again,
  });
  return (
    <>
      <form
        className="flex items-start gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          rename.mutate();
        }}
      >
        <div className="flex-1">
          <Field label="Name" error={fieldError(rename.error, "name")}>
            {(p) => <Input {...p} value={name} maxLength={80} onChange={(e) => setName(e.target.value)} />}
          </Field>
        </div>
        <Button type="submit" className="mt-[26px]" disabled={rename.isPending || name === view.name}>
          Rename
        </Button>
      </form>
      <FormProblem problem={rename.error ?? copy.error ?? remove.error} fields={["name"]} />
      <div className="mt-1 flex gap-2">
        <Button disabled={copy.isPending} onClick={() => copy.mutate()}>
          Copy
        </Button>
        <Button kind="against" disabled={remove.isPending} onClick={() => remove.mutate()}>
          Delete
        </Button>
      </div>
    </>
  );
}
