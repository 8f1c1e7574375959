/** What comes from a practice network is simulated, and said to be so wherever it is shown. */
import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { railQuery } from "../features/today/queries";
import { cx } from "./ui";

/** Campaign sources of a site, in small letters, whose visits and spend are simulated. */
export function useSimulated(siteId: number): string[] {
  return useQuery(railQuery(siteId)).data?.simulated ?? [];
}

/** Said once on every screen of a site; a click tells more. */
export function SimulationNote({ siteId, className }: { siteId: number; className?: string }) {
  const sources = useSimulated(siteId);
  if (!sources.length) return null;
  return (
    <Link
      to="/s/$siteId/spend"
      params={{ siteId: String(siteId) }}
      search={{ part: "channels" }}
      title="Its visits and spend are simulated."
      className={cx("text-fine leading-tight text-quiet hover:text-plum", className)}
    >
      <Simulation sources={sources} />
    </Link>
  );
}

/** What is a simulation, in a sentence. */
export function Simulation({ sources }: { sources: string[] }) {
  return (
    <>
      {sources.map((source, n) => (
        <span key={source}>
          {n > 0 && ", "}“<bdi>{source}</bdi>”
        </span>
      ))}{" "}
      {sources.length > 1 ? "are simulations" : "is a simulation"}
    </>
  );
}
