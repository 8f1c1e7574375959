/** Rows of a file before it is taken in: what is wrong with some, and what the first ones are read as. */
import { count } from "../lib/format";
import { Scroll } from "./Scroll";
import { Table } from "./Table";
import { cx, Field, Select } from "./ui";

interface Bad {
  line: number;
  message: string;
  cells: string[];
}

export function BadRows({ bad, all }: { bad: Bad[]; all: number }) {
  return (
    <Scroll label="Rows that cannot be read" className="mt-3 max-h-80">
      <Table
        columns={[
          { key: "line", head: "Line", className: "num", cell: (b) => count(b.line) },
          {
            key: "what-is-wrong",
            head: "What is wrong",
            text: true,
            className: "whitespace-normal text-brick",
            cell: (b) => b.message,
          },
          {
            key: "the-row",
            head: "The row",
            text: true,
            className: "max-w-96",
            cell: (b) => <bdi className="num block truncate text-quiet">{b.cells.join(" · ")}</bdi>,
          },
        ]}
        rows={bad}
        rowKey={(b) => b.line}
      />
      {all > bad.length && (
        <p className="p-2 text-quiet">
          and {count(all - bad.length)} more. Correct the file or how it is read, and check again.
        </p>
      )}
    </Scroll>
  );
}

interface SampleProps {
  head: string[];
  rows: string[][];
  /** What each column that is used is read as, by its place. */
  used: Map<number | undefined, string>;
}

export function SampleRows({ head, rows, used }: SampleProps) {
  return (
    <>
      <h2 className="mt-5 mb-2 text-lead">The first rows</h2>
      <Scroll label="First rows" className="max-h-[50vh]">
        <Table<[line: number, cells: string[]]>
          rows={rows.map((cells, line) => [line, cells])}
          rowKey={([line]) => line}
          columns={head.map((text, place) => ({
            key: String(place),
            head: (
              <>
                <span className={cx("block", used.has(place) && "font-semibold text-ink")}>
                  {used.get(place) ?? "not used"}
                </span>
                <bdi>{text}</bdi>
              </>
            ),
            text: true,
            className: cx("num max-w-56 truncate", !used.has(place) && "text-quiet"),
            cell: ([, cells]) => <bdi>{cells[place]}</bdi>,
          }))}
        />
      </Scroll>
    </>
  );
}

interface ColumnsProps<Name extends string> {
  head: string[];
  fields: readonly (readonly [Name, string])[];
  columns: Partial<Record<Name, number>>;
  needed: (name: Name) => boolean;
  doubted: (name: Name) => boolean;
  choose: (columns: Partial<Record<Name, number>>) => void;
}

/** Which column is what. */
export function ColumnChoices<Name extends string>(props: ColumnsProps<Name>) {
  const { head, fields, columns, needed, doubted, choose } = props;
  const set = (name: Name, place: string) => {
    const { [name]: _, ...rest } = columns;
    choose((place === "" ? rest : { ...rest, [name]: Number(place) }) as Partial<Record<Name, number>>);
  };
  return (
    <div className="panel grid grid-cols-[auto_1fr] items-center gap-x-3 gap-y-2 p-3">
      {fields.map(([name, text]) => (
        <div key={name} className="contents">
          <label htmlFor={`column-${name}`} className={cx(needed(name) && "font-semibold")}>
            {text}
          </label>
          <Select
            id={`column-${name}`}
            value={columns[name] ?? ""}
            aria-invalid={doubted(name)}
            onChange={(e) => set(name, e.target.value)}
            className="py-1!"
          >
            <option value="">not in the file</option>
            {head.map((text, place) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: a column is its place
              <option key={place} value={place}>
                {text || `column ${place + 1}`}
              </option>
            ))}
          </Select>
        </div>
      ))}
    </div>
  );
}

export const DAY_ORDERS = { ymd: "year month day", dmy: "day month year", mdy: "month day year" } as const;

interface WrittenProps {
  dayOrder: keyof typeof DAY_ORDERS;
  decimalMark: "." | ",";
  doubts: string[];
  change: (part: { day_order?: keyof typeof DAY_ORDERS; decimal_mark?: "." | "," }) => void;
}

/** How days and amounts are written. */
export function HowWritten({ dayOrder, decimalMark, doubts, change }: WrittenProps) {
  const doubt = (name: string) => (doubts.includes(name) ? "Both readings fit. Check this." : undefined);
  return (
    <div className="grid grid-cols-2 gap-3">
      <Field label="Days are written" hint={doubt("day_order")}>
        {(p) => (
          <Select
            {...p}
            value={dayOrder}
            onChange={(e) => change({ day_order: e.target.value as keyof typeof DAY_ORDERS })}
          >
            {Object.entries(DAY_ORDERS).map(([order, text]) => (
              <option key={order} value={order}>
                {text}
              </option>
            ))}
          </Select>
        )}
      </Field>
      <Field label="Amounts are written" hint={doubt("decimal_mark")}>
        {(p) => (
          <Select {...p} value={decimalMark} onChange={(e) => change({ decimal_mark: e.target.value as "." | "," })}>
            <option value=".">1,234.50</option>
            <option value=",">1.234,50</option>
          </Select>
        )}
      </Field>
    </div>
  );
}
