import { useParams } from "@tanstack/react-router";

/** The site of the address. */
export function useSiteId() {
  return Number(useParams({ strict: false }).siteId);
}
