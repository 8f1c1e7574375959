/** Who may be in a test, as clabo/core/splits/targeting.py decides it; both are held to entrant-vectors.json. */

/** As the server has it for the tag. */
export interface Entrants {
  devices?: string[];
  first?: boolean;
  /** By query parameter, or "" for the host it came from; all that one names must hold. */
  came?: Record<string, string>[];
}

/** `first`: no visit came before this one. Then the query of the address that the visit began with, and the host it came from. */
export type Facts = [device: string, first: boolean, search: string, referrer: string];

export function admits(who: Entrants, [device, first, search, referrer]: Facts) {
  const { devices, came } = who;
  const asks = new URLSearchParams(search);
  return (
    (!devices || devices.includes(device)) &&
    (who.first ?? first) === first &&
    (!came ||
      came.some((way) =>
        Object.entries(way).every(([name, value]) => {
          const wanted = `.${value}`;
          const here = `.${name ? asks.get(name) : referrer}`.toLowerCase();
          // Of a host, whatever stands before it may.
          return here.slice(name ? 0 : -wanted.length) === wanted;
        }),
      ))
  );
}
