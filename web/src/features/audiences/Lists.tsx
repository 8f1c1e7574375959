/** Lists of identities: brought from a file, hashed in the browser, asked for by audiences. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { toast } from "sonner";
import type { Identity } from "../../../../tag/src/identity";
import { client, data } from "../../api/client";
import { type Column, Table } from "../../components/Table";
import {
  Button,
  Empty,
  Failed,
  Field,
  FormProblem,
  fieldError,
  Input,
  Loading,
  Select,
  TextButton,
} from "../../components/ui";
import { count, day } from "../../lib/format";
import { useSite } from "../../lib/session";
import { makeStale } from "../../lib/stale";
import { hashed, type Read, readList } from "./brought";
import { type Kept, listsQuery } from "./queries";

const KINDS: Record<Identity, string> = { email: "E-mail addresses", id: "Customer ids" };
/** In one request. */
const CHUNK = 10_000;

export function Lists({ siteId }: { siteId: number }) {
  const site = useSite(siteId);
  const queries = useQueryClient();
  const lists = useQuery(listsQuery(siteId));
  const remove = useMutation({
    mutationFn: (list: Kept) =>
      data(
        client.DELETE("/api/sites/{site_id}/lists/{list_id}", {
          params: { path: { site_id: siteId, list_id: list.id } },
        }),
      ),
    onSuccess: async () => {
      await makeStale(queries, siteId, "lists");
      toast("The list is deleted, with all that was on it.");
    },
    onError: (error) => toast(error.message),
  });
  const columns: Column<Kept>[] = [
    {
      key: "name",
      head: "List",
      text: true,
      cell: (l) => (
        <>
          <span className="font-semibold">{l.name}</span>
          <span className="block text-small text-quiet">
            {KINDS[l.kind]}, brought on {day(l.made_at)}
          </span>
        </>
      ),
    },
    { key: "size", head: "On it", hint: "Hashes, each once.", cell: (l) => count(l.size) },
    {
      key: "people",
      head: "Known here",
      hint: "People of this site of whom a page has stated one of these.",
      cell: (l) => <span className="font-semibold">{count(l.people)}</span>,
    },
    {
      key: "used",
      head: "Used by",
      text: true,
      cell: (l) => <span className="text-small text-quiet">{l.used_by.join(", ") || "nothing yet"}</span>,
    },
  ];
  if (site.canEdit)
    columns.push({
      key: "remove",
      head: <span className="sr-only">Delete</span>,
      cell: (l) => (
        <TextButton onClick={() => remove.mutate(l)} disabled={remove.isPending}>
          Delete<span className="sr-only"> {l.name}</span>
        </TextButton>
      ),
    });
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-6">
      {lists.isPending ? (
        <Loading what="lists" />
      ) : lists.isError ? (
        <Failed error={lists.error} retry={lists.refetch} />
      ) : lists.data.length ? (
        <div className="overflow-x-auto">
          <Table caption="Lists of identities" columns={columns} rows={lists.data} rowKey={(l) => l.id} />
        </div>
      ) : (
        <Empty title="No list yet">
          <p>
            Import your customers, or people who asked not to be shown ads, to include or exclude them. It works for
            people of whom your pages state an e-mail address or id: the kit under Pixel shows how.
          </p>
        </Empty>
      )}
      {site.canEdit && <Bring siteId={siteId} />}
    </div>
  );
}

function Bring({ siteId }: { siteId: number }) {
  const queries = useQueryClient();
  const picker = useRef<HTMLInputElement>(null);
  const [kind, setKind] = useState<Identity>("email");
  const [name, setName] = useState("");
  const [text, setText] = useState<string>();
  const [column, setColumn] = useState<number>();
  const [share, setShare] = useState(0);
  const read: Read | undefined = text === undefined ? undefined : readList(text, kind);
  const chosen = column ?? read?.guess ?? 0;
  const bring = useMutation({
    mutationFn: async (from: Read) => {
      const { hashes, unfit } = await hashed(from, chosen, kind, setShare);
      const made = await data(
        client.POST("/api/sites/{site_id}/lists", {
          params: { path: { site_id: siteId } },
          body: { name, kind },
        }),
      );
      const path = { params: { path: { site_id: siteId, list_id: made.id } } };
      let size = 0;
      for (let start = 0; start < hashes.length; start += CHUNK) {
        const some = { hashes: hashes.slice(start, start + CHUNK) };
        ({ size } = await data(client.POST("/api/sites/{site_id}/lists/{list_id}/hashes", { ...path, body: some })));
        setShare(start / hashes.length);
      }
      return { size, unfit };
    },
    onSuccess: async ({ size, unfit }) => {
      setText(undefined);
      setColumn(undefined);
      setName("");
      await makeStale(queries, siteId, "lists", "audiences");
      toast(
        `${name}: ${count(size)} are on it.${unfit ? ` ${count(unfit)} ${unfit === 1 ? "row was" : "rows were"} nothing of the kind.` : ""}`,
      );
    },
    onSettled: () => setShare(0),
  });
  return (
    <form
      className="flex max-w-2xl flex-col items-start gap-4 border-t pt-4"
      onSubmit={(e) => {
        e.preventDefault();
        if (read) bring.mutate(read);
      }}
    >
      <div>
        <h2 className="text-lead">Bring a list</h2>
        <p className="text-quiet">
          CSV, or one entry a line. Everything is hashed in this browser (SHA-256) before it is sent: no address ever
          reaches Clabo. What is hashed already is taken as it is.
        </p>
      </div>
      <div className="grid w-full gap-4 sm:grid-cols-2">
        <Field label="Name" error={fieldError(bring.error, "name")}>
          {(p) => (
            <Input
              {...p}
              value={name}
              maxLength={80}
              onChange={(e) => setName(e.target.value)}
              placeholder="Customers until today"
            />
          )}
        </Field>
        <Field label="What it lists">
          {(p) => (
            <Select {...p} value={kind} onChange={(e) => setKind(e.target.value as Identity)}>
              {Object.entries(KINDS).map(([key, says]) => (
                <option key={key} value={key}>
                  {says}
                </option>
              ))}
            </Select>
          )}
        </Field>
      </div>
      <input
        ref={picker}
        type="file"
        aria-label="File with the list"
        className="sr-only"
        tabIndex={-1}
        accept=".csv,.tsv,.txt,text/csv,text/plain"
        onChange={async (e) => {
          const file = e.target.files?.[0];
          e.target.value = "";
          if (!file) return;
          setText(await file.text());
          setColumn(undefined);
          setName((before) => before || file.name.replace(/\.\w+$/, "").slice(0, 80));
        }}
      />
      {read && (
        <Field
          label="Column"
          hint={`${count(read.rows.length)} ${read.rows.length === 1 ? "row" : "rows"}; the first: ${read.rows[0]?.[chosen] || "empty"}`}
        >
          {(p) => (
            <Select {...p} value={chosen} onChange={(e) => setColumn(Number(e.target.value))}>
              {read.columns.map((head, place) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: columns have no identity but their place.
                <option key={place} value={place}>
                  {head}
                </option>
              ))}
            </Select>
          )}
        </Field>
      )}
      <FormProblem problem={bring.error} fields={["name"]} />
      <div className="flex gap-3">
        <Button type="button" kind={read ? "plain" : "main"} onClick={() => picker.current?.click()}>
          {read ? "Another file" : "Choose a file"}
        </Button>
        {read && (
          <Button type="submit" kind="main" disabled={!name.trim() || !read.rows.length || bring.isPending}>
            {bring.isPending ? `Hashing … ${Math.round(share * 100)} %` : "Hash and bring it"}
          </Button>
        )}
      </div>
    </form>
  );
}
