/** The widths of columns that somebody has sized, as they stand in the address: "page:300,roas:120". */
export type Widths = ReadonlyMap<string, number>;

export function readWidths(said: string | undefined): Widths {
  const found = new Map<string, number>();
  for (const one of said?.split(",") ?? []) {
    const at = one.lastIndexOf(":");
    const width = Number(one.slice(at + 1));
    if (at > 0 && width >= 40 && width <= 1000) found.set(one.slice(0, at), width);
  }
  return found;
}

/** The address's words with one column sized anew; without a width it has its own again. */
export function saidWidths(widths: Widths, key: string, width: number | undefined): string | undefined {
  const next = new Map(widths);
  if (width === undefined) next.delete(key);
  else next.set(key, width);
  return [...next].map(([k, w]) => `${k}:${w}`).join(",") || undefined;
}
