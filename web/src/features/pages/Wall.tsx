/** The pages as pictures, with the figures that were chosen; best supported first. */
import { useWindowVirtualizer } from "@tanstack/react-virtual";
import { type KeyboardEvent, type ReactNode, useEffect, useRef, useState } from "react";
import type { Schemas } from "../../api/client";
import { Checkbox } from "../../components/Checkbox";
import { TextButton } from "../../components/ui";
import { count, day, dayOf, money } from "../../lib/format";
import { useKeys } from "../../lib/keys";
import type { Looks } from "../pictures/queries";
import { Thumb } from "../pictures/Thumb";
import { inOrder } from "../report/sorting";
import type { Column, Frame, Row } from "./columns";

const [CARD, GAP] = [252, 20];
const KEYS = [["← → ↑ ↓", "from page to page"]] as const;

interface Props {
  siteId: number;
  report: Schemas["PagesOut"];
  rows: Row[];
  frame: Frame;
  /** The figures below each picture. */
  figures: Column[];
  looks: Map<number, Looks> | undefined;
  sort: string;
  open: (page: number) => void;
  ticked: number[];
  tick: (page: number) => void;
}

export function Wall({ siteId, report, rows, frame, figures, looks, sort, open, ticked, tick }: Props) {
  useKeys(KEYS);
  const [withThin, setWithThin] = useState(false);
  const said = new Map(report.findings.map((f) => [f.page_id, FOUND[f.kind]]));
  // Few conversions may still be enough to see that a page loses money.
  const judged = (r: Row) => !r.thin || said.has(r.page_id);
  const entered = rows.filter((r) => r.entries > 0);
  const solid = inOrder(entered.filter(judged), sort, figures);
  const thin = entered.filter((r) => !judged(r));
  const shown = withThin ? [...solid, ...thin] : solid;
  const cards: ReactNode[] = shown.map((r) => (
    <Card
      key={r.page_id}
      siteId={siteId}
      row={r}
      frame={frame}
      figures={figures}
      said={said.get(r.page_id)}
      changed={looks?.get(r.page_id)?.changed_at ?? null}
      open={() => open(r.page_id)}
      ticked={ticked.includes(r.page_id)}
      tick={() => tick(r.page_id)}
    />
  ));
  if (thin.length > 0)
    cards.push(<Thin key="thin" report={report} rows={thin} shown={withThin} show={() => setWithThin(!withThin)} />);
  return <Grid cards={cards} high={162 + 58 + figures.length * 26} />;
}

const FOUND: Record<Schemas["FindingOut"]["kind"], { text: string; tone: string }> = {
  loses_money: { text: "loses money", tone: "text-brick" },
  earns: { text: "earns most", tone: "text-fern" },
  converts_badly: { text: "converts badly", tone: "text-brick" },
};

interface CardProps {
  siteId: number;
  row: Row;
  frame: Frame;
  figures: Column[];
  said: { text: string; tone: string } | undefined;
  changed: string | null;
  open: () => void;
  ticked: boolean;
  tick: () => void;
}

function Card({ siteId, row, frame, figures, said, changed, open, ticked, tick }: CardProps) {
  return (
    <article
      aria-label={row.path}
      className="relative flex h-full flex-col overflow-hidden rounded-box border border-line bg-surface focus-within:border-plum hover:border-plum"
    >
      <Thumb siteId={siteId} pageId={row.page_id} className="border-b border-line" />
      <div className="absolute top-1.5 right-1.5 rounded-box bg-surface/90 px-1">
        <Checkbox label={`Compare ${row.path}`} bare checked={ticked} set={tick} />
      </div>
      <div className="flex flex-1 flex-col px-2.5 py-1.5">
        <div className="flex items-baseline justify-between gap-2">
          <button
            type="button"
            onClick={open}
            data-card={row.page_id}
            className="num min-w-0 truncate text-left text-ink after:absolute after:inset-x-0 after:top-8 after:bottom-0 hover:underline"
            title={row.title || row.path}
          >
            <bdi>{row.path}</bdi>
          </button>
          <span className="num shrink-0 text-small text-quiet" title="Spend on ads that lead here">
            {Number(row.spend) ? money(row.spend, frame.read.currency, 0) : "no spend"}
          </span>
        </div>
        <p className="h-5 truncate text-small">
          {said && <span className={said.tone}>{said.text}</span>}
          {said && changed && " · "}
          {changed && <span className="text-marigold">changed {day(dayOf(new Date(changed)))}</span>}
        </p>
        <dl className="mt-auto">
          {figures.map((c) => (
            <div key={c.key} className="flex h-6.5 items-center justify-between gap-2">
              <dt className="min-w-0 truncate text-small text-quiet" title={c.name}>
                {c.brief ?? c.name}
              </dt>
              <dd className="shrink-0">{c.cell(row, frame)}</dd>
            </div>
          ))}
        </dl>
      </div>
    </article>
  );
}

interface ThinProps {
  report: Schemas["PagesOut"];
  rows: Row[];
  shown: boolean;
  show: () => void;
}

function Thin({ report, rows, shown, show }: ThinProps) {
  const near = rows.find((r) => r.page_id === report.nearest?.page_id);
  const days = (Date.parse(report.lens.last) - Date.parse(report.lens.first)) / 864e5 + 1;
  const wait = near && report.nearest ? Math.ceil(report.nearest.visits / (near.entries / days)) : 0;
  return (
    <div className="p-2.5 text-small">
      <p className="font-semibold text-body">
        {rows.length === 1 ? "One more page is" : `${count(rows.length)} more pages are`} too thin to judge.
      </p>
      {near && report.nearest && (
        <p className="mt-1 text-quiet">
          The nearest, <bdi className="num">{near.path}</bdi>, needs about {count(report.nearest.visits)} more visits:{" "}
          {wait > 365 ? "more than a year" : wait === 1 ? "a day" : `${count(wait)} days`} at its traffic of these days.
        </p>
      )}
      <TextButton className="mt-2" onClick={show}>
        {shown ? "Leave them out" : "Show them all the same"}
      </TextButton>
    </div>
  );
}

/** Cards in rows, of which only those in sight are drawn. */
function Grid({ cards, high }: { cards: ReactNode[]; high: number }) {
  const box = useRef<HTMLDivElement>(null);
  const [across, setAcross] = useState(4);
  const [top, setTop] = useState(0);
  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const measure = () => {
      setAcross(Math.max(1, Math.floor((element.clientWidth + GAP) / (CARD + GAP))));
      setTop(element.getBoundingClientRect().top + scrollY);
    };
    const watch = new ResizeObserver(measure);
    watch.observe(element);
    return () => watch.disconnect();
  }, []);
  const rows = useWindowVirtualizer({
    count: Math.ceil(cards.length / across),
    estimateSize: () => high + GAP,
    overscan: 3,
    scrollMargin: top,
  });
  // biome-ignore lint/correctness/useExhaustiveDependencies: rows of another height are measured anew
  useEffect(() => rows.measure(), [high, across]);
  const keys = (event: KeyboardEvent<HTMLDivElement>) => {
    const step = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: across, ArrowUp: -across }[event.key];
    const buttons = [...(box.current?.querySelectorAll<HTMLElement>("[data-card]") ?? [])];
    const at = buttons.indexOf(document.activeElement as HTMLElement);
    const next = step && at >= 0 ? buttons[at + step] : undefined;
    if (!next) return;
    event.preventDefault();
    next.focus();
  };
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: arrow keys go from card to card; each is reached by Tab too
    <div ref={box} className="relative mt-2" style={{ height: rows.getTotalSize() }} onKeyDown={keys}>
      {rows.getVirtualItems().map((row) => (
        <div
          key={row.key}
          className="absolute inset-x-0 grid"
          style={{
            top: row.start - top,
            height: high,
            gap: GAP,
            gridTemplateColumns: `repeat(${across}, minmax(0, 1fr))`,
          }}
        >
          {cards.slice(row.index * across, (row.index + 1) * across)}
        </div>
      ))}
    </div>
  );
}
