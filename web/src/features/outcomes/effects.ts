/** What a stage does to the lead or order that it is of. */
import type { Schemas } from "../../api/client";

export const EFFECTS: Record<Schemas["StageOut"]["effect"], string> = {
  reached: "can be counted",
  refund: "takes value back",
  cancel: "makes it count no more",
};
