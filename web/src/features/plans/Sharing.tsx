/** How the budget lies among several: fixed by hand, or shared and moved. */
import { Radios } from "../../components/Radios";
import type { PlanForm } from "./model";

export function Sharing({ form, change }: { form: PlanForm; change: (part: Partial<PlanForm>) => void }) {
  return (
    <Radios
      label="The budget"
      chosen={form.sharing}
      choose={(sharing) => change({ sharing })}
      choices={{
        fixed: (
          <>
            Fixed
            <span className="block text-small text-quiet">Each has its part, as you say.</span>
          </>
        ),
        shared: (
          <>
            Shared
            <span className="block text-small text-quiet">
              It begins as you say; at each midnight a part of it moves to where conversions came cheaper, once that is
              90 % sure. What one cannot spend on a day the others do. Creatives take turns until one is 95 % surely
              better. Each move is shown with its evidence.
            </span>
          </>
        ),
      }}
    />
  );
}
