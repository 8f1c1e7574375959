/** The definition as it is stored, to be copied, or changed where the lines do not reach. */
import { useState } from "react";
import { Button, Field } from "../../components/ui";
import type { Definition } from "./model";

interface Props {
  definition: Definition;
  canEdit: boolean;
  take: (definition: Definition) => void;
}

export function Written({ definition, canEdit, take }: Props) {
  const [text, setText] = useState<string>();
  const [problem, setProblem] = useState("");
  const shown = text ?? JSON.stringify(definition, null, 2);
  return (
    <details className="border-t pt-3">
      <summary className="text-plum">The written form</summary>
      <div className="mt-2 flex flex-col items-start gap-2">
        <div className="w-full">
          <Field
            label="Definition (JSON)"
            hint="Groups can be nested here: all, any, sequence. docs/data-formats.md describes it."
            error={problem}
          >
            {(p) => (
              <textarea
                {...p}
                rows={Math.min(18, shown.split("\n").length + 1)}
                readOnly={!canEdit}
                className="num w-full rounded-box border border-quiet/50 bg-surface p-2"
                value={shown}
                onChange={(e) => setText(e.target.value)}
              />
            )}
          </Field>
        </div>
        {canEdit && text !== undefined && (
          <Button
            onClick={() => {
              try {
                const read = JSON.parse(text) as Definition;
                if (typeof read !== "object" || !read?.include) throw new Error("“include” is missing.");
                take(read);
                setText(undefined);
                setProblem("");
              } catch (error) {
                setProblem(`This cannot be read: ${(error as Error).message}`);
              }
            }}
          >
            Take it over
          </Button>
        )}
      </div>
    </details>
  );
}
