/** A list of identities out of a file, hashed here: what is in the file never leaves the browser. */
import { parse } from "papaparse";
import { digest, type Identity } from "../../../../tag/src/identity";

const HASH = /^[0-9a-f]{64}$/i;
const MAIL = /^[^\s@]+@[^\s@]+$/;

export interface Read {
  columns: string[];
  /** Cells by row, without the heading. */
  rows: string[][];
  /** Which column holds the identities, as far as it can be told. */
  guess: number;
}

const fits = (kind: Identity, cell: string) => HASH.test(cell.trim()) || kind === "id" || MAIL.test(cell.trim());

/** CSV with any of the usual separators, or one entry a line. */
export function readList(text: string, kind: Identity): Read {
  const rows = parse<string[]>(text, { skipEmptyLines: "greedy" }).data.map((row) => row.map((cell) => cell.trim()));
  const [first = [], ...rest] = rows;
  const width = Math.max(...rows.map((row) => row.length), 1);
  const share = (place: number) => rest.filter((row) => MAIL.test(row[place] ?? "")).length / (rest.length || 1);
  const places = Array.from({ length: width }, (_, place) => place);
  const guess = kind === "email" ? places.reduce((best, p) => (share(p) > share(best) ? p : best), 0) : 0;
  // A heading names what is below it, and is nothing of it.
  const named =
    kind === "email"
      ? !first.some((cell) => fits(kind, cell))
      : first.some((cell) => /[a-z]/i.test(cell) && !/\d/.test(cell));
  return {
    columns: places.map((place) => (named && first[place]) || `column ${place + 1}`),
    rows: named ? rest : rows,
    guess,
  };
}

export interface Hashed {
  hashes: string[];
  /** Rows that hold nothing of the kind. */
  unfit: number;
}

/** The hashes of a column, once each. Some thousand at a time, so that the page stays alive. */
export async function hashed(
  read: Read,
  column: number,
  kind: Identity,
  tell: (share: number) => void,
): Promise<Hashed> {
  const found = new Set<string>();
  let unfit = 0;
  for (const [place, row] of read.rows.entries()) {
    const cell = row[column] ?? "";
    // What has been hashed elsewhere is taken as it is.
    const hash = HASH.test(cell) ? cell.toLowerCase() : fits(kind, cell) ? digest(kind, cell) : undefined;
    if (hash) found.add(hash);
    else unfit++;
    if (place % 2000 === 1999) {
      tell(place / read.rows.length);
      await new Promise((go) => setTimeout(go));
    }
  }
  return { hashes: [...found], unfit };
}
