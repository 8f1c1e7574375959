/** Which columns a table shows, and in which order; kept in the address as their keys. */
import { ArrowDown, ArrowUp } from "lucide-react";
import { Popover } from "radix-ui";
import { Checkbox } from "../../components/Checkbox";
import { Button } from "../../components/ui";

interface Named {
  key: string;
  name: string;
  optional?: boolean;
}

/** Of all columns those that an address names, in its order; the usual ones where it names none. */
export function shownColumns<C extends Named>(all: C[], said: string | undefined): C[] {
  const keys = [...new Set(said?.split(","))];
  const named = keys.flatMap((key) => all.filter((c) => c.key === key));
  return named.length ? named : all.filter((c) => !c.optional);
}

/** The other way about; nothing where they are the usual ones. */
export function saidColumns<C extends Named>(all: C[], shown: C[]): string | undefined {
  const keys = (some: C[]) => some.map((c) => c.key).join(",");
  return keys(shown) === keys(all.filter((c) => !c.optional)) ? undefined : keys(shown);
}

interface Props<C> {
  all: C[];
  shown: C[];
  set: (shown: C[]) => void;
  /** Below the list. */
  children?: React.ReactNode;
}

export function ColumnChoice<C extends Named>({ all, shown, set, children }: Props<C>) {
  const move = (from: number, to: number) => {
    const next = [...shown];
    const [one] = next.splice(from, 1);
    if (one) next.splice(to, 0, one);
    set(next);
  };
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button>Columns</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={6}
          aria-label="Columns"
          className="z-30 flex max-h-[80vh] w-72 flex-col gap-0.5 overflow-y-auto rounded-box border bg-surface p-3"
        >
          {shown.map((c, at) => (
            <div key={c.key} className="flex items-center justify-between gap-2">
              <Checkbox
                label={c.name}
                checked
                set={() => {
                  if (shown.length > 1) set(shown.filter((s) => s !== c));
                }}
              />
              <span className="flex">
                <Move label={`${c.name} further to the left`} off={at === 0} go={() => move(at, at - 1)}>
                  <ArrowUp size={14} aria-hidden="true" />
                </Move>
                <Move
                  label={`${c.name} further to the right`}
                  off={at === shown.length - 1}
                  go={() => move(at, at + 1)}
                >
                  <ArrowDown size={14} aria-hidden="true" />
                </Move>
              </span>
            </div>
          ))}
          <hr className="my-2 border-line" />
          {all
            .filter((c) => !shown.includes(c))
            .map((c) => (
              <Checkbox key={c.key} label={c.name} checked={false} set={() => set([...shown, c])} />
            ))}
          {children}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

interface MoveProps {
  label: string;
  off: boolean;
  go: () => void;
  children: React.ReactNode;
}

function Move({ label, off, go, children }: MoveProps) {
  return (
    <button
      type="button"
      aria-label={label}
      title={label}
      disabled={off}
      onClick={go}
      className="rounded-box p-1 text-quiet hover:text-plum disabled:opacity-25"
    >
      {children}
    </button>
  );
}
