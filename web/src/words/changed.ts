import type { Schemas } from "../api/client";
import { count, day } from "../lib/format";

/** "41 more, 3 fewer since 27 Oct": what a version changed against the one before. */
export function changed(v: Schemas["ChangeOut"]) {
  if (v.added == null || v.removed == null) return "";
  if (!v.added && !v.removed) return "no conversion more or fewer";
  const parts = [v.added && `${count(v.added)} more`, v.removed && `${count(v.removed)} fewer`].filter(Boolean);
  return `${parts.join(", ")}${v.changed_since ? ` since ${day(v.changed_since)}` : ""}`;
}
