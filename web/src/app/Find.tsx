/** Find anything: Ctrl/⌘ K, or the line on the rail. What it looks through is loaded when it is opened. */
import { Dialog } from "radix-ui";
import { lazy, Suspense, useEffect, useState } from "react";
import { Loading } from "../components/ui";

const load = () => import("./FindList");
const List = lazy(load);

export interface FindProps {
  siteId: number;
  sections: { path: string; name: string }[];
}

export function Find({ siteId, sections }: FindProps) {
  const [open, setOpen] = useState(false);
  useEffect(() => {
    // Ready before somebody types.
    const soon = setTimeout(load, 2000);
    return () => clearTimeout(soon);
  }, []);
  useEffect(() => {
    const listen = (event: KeyboardEvent) => {
      if (event.key.toLowerCase() !== "k" || !(event.ctrlKey || event.metaKey) || event.shiftKey || event.altKey)
        return;
      event.preventDefault();
      setOpen((now) => !now);
    };
    addEventListener("keydown", listen);
    return () => removeEventListener("keydown", listen);
  }, []);
  return (
    <Dialog.Root open={open} onOpenChange={setOpen}>
      <Dialog.Trigger
        aria-label="Find anything"
        className="flex w-full items-baseline justify-between px-4 py-1 text-left text-small text-quiet hover:bg-plum-wash"
      >
        Find … <kbd className="num text-mark">Ctrl K</kbd>
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/40" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed inset-x-0 top-0 z-40 border-b-2 border-ink bg-surface text-ink outline-none"
        >
          <Dialog.Title className="sr-only">Find anything</Dialog.Title>
          <Suspense fallback={<Loading what="what there is" />}>
            <List siteId={siteId} sections={sections} done={() => setOpen(false)} />
          </Suspense>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
