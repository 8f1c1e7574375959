/** A saved view for somebody without an account: its table, read only, and nothing else of the site. */
import { useMutation } from "@tanstack/react-query";
import { useParams } from "@tanstack/react-router";
import { useEffect, useState } from "react";
import { client, data, type Problem, type Schemas } from "../../api/client";
import { ThinPattern } from "../../charts/SpreadBar";
import { PageName } from "../../components/PageName";
import { Scroll } from "../../components/Scroll";
import { Simulation } from "../../components/Simulated";
import { Table } from "../../components/Table";
import { Button, Failed, Field, Input, Loading } from "../../components/ui";
import { day } from "../../lib/format";
import { CHANNELS } from "../../lib/lens";
import { isPage, COLUMNS as PAGE_COLUMNS } from "../pages/columns";
import { stepColumns } from "../pages/steps";
import { shownColumns } from "../report/ColumnChoice";
import { type Column, frameOf, type Measured, measuredColumns } from "../report/columns";
import { ownColumns } from "../report/own";
import { inOrder, sortable } from "../report/sorting";

type View = Schemas["SharedViewOut"];

export default function Shared() {
  const { token = "" } = useParams({ strict: false });
  const [password, setPassword] = useState("");
  const { mutate, ...view } = useMutation({
    mutationFn: (word: string) =>
      data(client.POST("/api/shared/{token}", { params: { path: { token } }, body: { password: word } })),
  });
  useEffect(() => mutate(""), [mutate]);
  const problem = view.error as Problem | null;
  return (
    <main className="mx-auto max-w-7xl p-4 md:p-6">
      <ThinPattern />
      {view.isPending && <Loading what="the view" />}
      {problem && problem.field !== "password" && <Failed error={problem} />}
      {problem?.field === "password" && (
        <form
          className="mx-auto mt-16 flex max-w-sm flex-col gap-3"
          onSubmit={(event) => {
            event.preventDefault();
            mutate(password);
          }}
        >
          <h1 className="text-head">A view that was shared with you</h1>
          <Field label="Password" error={view.variables ? problem.message : undefined} hint={problem.message}>
            {(p) => (
              <Input
                {...p}
                type="password"
                autoComplete="off"
                value={password}
                onChange={(e) => setPassword(e.target.value)}
              />
            )}
          </Field>
          <Button type="submit" kind="main" className="self-start">
            Open it
          </Button>
        </form>
      )}
      {view.data && <Opened view={view.data} />}
    </main>
  );
}

function Opened({ view }: { view: View }) {
  const said = view.pages?.lens ?? view.sources?.lens;
  return (
    <>
      <header className="border-b-2 border-ink pb-3">
        <p className="text-small text-quiet">
          <bdi>{view.site}</bdi> · <bdi>{view.name}</bdi> · can be read until {day(view.expires_at)}
        </p>
        <h1 className="max-w-4xl font-head text-head leading-[1.4] font-normal">{said?.says}</h1>
        {view.simulated.length > 0 && (
          <p className="text-small text-quiet">
            <Simulation sources={view.simulated} />: its visits and spend are simulated.
          </p>
        )}
      </header>
      {view.pages && (
        <Rows
          rows={view.pages.rows}
          read={view.pages.lens}
          was={(r) => view.pages?.before[r.page_id ?? ""]}
          columns={PAGE_COLUMNS}
          also={view.pages.path ? stepColumns(view.pages.path, view.pages.rows.filter(isPage)) : []}
          words={view.words}
          head="Landing page"
          first={(r) => r.kind === "page"}
          name={(r) =>
            r.kind === "page" ? (
              <PageName path={r.path} title={r.title} />
            ) : r.kind === "further" ? (
              "All further pages"
            ) : (
              "No visit known"
            )
          }
        />
      )}
      {view.sources && (
        <Rows
          rows={[...view.sources.rows, view.sources.total]}
          read={view.sources.lens}
          was={(r) => view.sources?.before[r.value]}
          columns={measuredColumns<Schemas["SourceRowOut"]>()}
          words={view.words}
          head="Where from"
          first={(r) => r.kind === "value"}
          name={(r) =>
            r.kind === "value"
              ? CHANNELS[r.name as keyof typeof CHANNELS] || r.name || "not said"
              : { further: "All further rows", no_visit: "No visit known", total: "All together" }[r.kind]
          }
        />
      )}
    </>
  );
}

interface RowsProps<R extends Measured> {
  rows: R[];
  read: Schemas["LensOut"];
  was: (row: R) => R | undefined;
  columns: Column<R>[];
  /** Those that stand behind the chosen ones. */
  also?: Column<R>[];
  words: Record<string, unknown>;
  head: string;
  /** What is put in order; the rest stands below. */
  first: (row: R) => boolean;
  name: (row: R) => React.ReactNode;
}

function Rows<R extends Measured>({ rows, read, was, columns, also = [], words, head, first, name }: RowsProps<R>) {
  const [sort, setSort] = useState(typeof words.sort === "string" ? words.sort : "-entries");
  const frame = frameOf(rows.filter(first), read, was, words.compare === "before");
  const shown = [
    ...shownColumns(
      [...columns, ...ownColumns<R>(read.own_columns, rows)],
      typeof words.columns === "string" ? words.columns : undefined,
    ),
    ...also,
  ];
  const ordered = inOrder(rows.filter(first), sort, shown);
  if (!rows.length) return <p className="py-6 text-quiet">No visit fits this sentence.</p>;
  return (
    <Scroll label={head} className="mt-4">
      <Table<R>
        dense
        caption={head}
        rows={ordered}
        apart={rows.filter((r) => !first(r))}
        rowKey={(r) => rows.indexOf(r)}
        columns={[
          { key: "name", head, text: true, className: "max-w-[16rem]", cell: name },
          ...sortable(shown, frame, sort, setSort),
        ]}
      />
    </Scroll>
  );
}
