/** How many people see it how often. */
import { count } from "../../lib/format";

interface Props {
  /** People who see it 0, 1, 2 … times, the last: so often or more. */
  often: number[];
  title: string;
  who?: string;
}

const HEIGHT = 92;

export function Often({ often, title, who = "people whom the network knows" }: Props) {
  const everybody = often.reduce((a, b) => a + b, 0);
  if (!everybody) return null;
  const top = Math.max(...often);
  const names = often.map((_, n) => (n === 0 ? "not" : n === often.length - 1 ? `${n}+` : String(n)));
  return (
    <section aria-label={title}>
      <h2 className="mb-2 text-lead">{title}</h2>
      <div className="panel p-3">
        <table className="sr-only">
          <caption>{title}</caption>
          <tbody>
            {often.map((people, n) => (
              <tr key={names[n]}>
                <th scope="row">{n === 0 ? "not at all" : `${names[n]} times`}</th>
                <td>{count(Math.round(people))}</td>
              </tr>
            ))}
          </tbody>
        </table>
        <div aria-hidden="true" className="flex items-end gap-1.5">
          {often.map((people, n) => (
            <div key={names[n]} className="flex min-w-0 flex-1 flex-col items-center">
              <span className="num text-mark text-quiet">{people >= 0.5 ? count(Math.round(people)) : ""}</span>
              <span
                className="w-full max-w-11"
                style={{
                  height: Math.max(people >= 0.5 ? 1 : 0, (people / top) * HEIGHT),
                  background: n ? "var(--color-ink)" : "url(#none)",
                  outline: n ? undefined : "1px solid var(--color-quiet)",
                  outlineOffset: -1,
                }}
              />
              <span className="num border-t border-line pt-0.5 text-mark text-quiet">{names[n]}</span>
            </div>
          ))}
        </div>
        <p className="mt-2 text-small text-quiet">
          Of the {count(Math.round(everybody))} {who}, by how many times they see it.
        </p>
      </div>
    </section>
  );
}
