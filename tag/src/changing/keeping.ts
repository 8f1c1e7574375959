/** Makes what clabo/core/splits/changes.py describes, and keeps it so while the page draws itself anew. */
import { tried } from "../safe";
import type { Change } from "../settings";
import { asItWas, asked, byPlace, find, somethingPutIn } from "./finding";
import { makingOf } from "./kinds";
import type { Made } from "./made";

/** So often in a second one element is changed again, and then only after a while that doubles, so many times. */
const OFTEN = 20;
const PAUSE = 1000;
const PATIENCE = 4;
/** So often the page is looked at without what was put in, in milliseconds. */
const APART = 250;

interface Tries {
  since: number;
  times: number;
  pauses: number;
  until: number;
}

/** What stands somewhere is made once; words, pictures and looks of every element that is meant. */
const single = (change: Change) => !!(change.move || change.block || change.html);
const placed = (change: Change) => {
  const what = asked(change);
  return !!what && (byPlace(what) || !!(change.move && byPlace([change.move.of])));
};

/** The changes of one variant on one page. */
export class Keeper {
  private readonly made = new Map<Change, Map<Element, Made>>();
  private readonly beside = new Map<Change, Element>();
  private readonly tries = new WeakMap<Made, Tries>();
  private apart = 0;
  private timer = 0;

  /** `lost` is called where the page writes over a change again and again; `look` when there is to be another look. */
  constructor(
    private readonly changes: Change[],
    private readonly look: () => void,
    private readonly lost: (change: Change) => void = () => {},
  ) {}

  /** Makes what is not so yet, or not any more. All of it is found before any of it is changed. */
  keep() {
    for (const change of this.changes) this.settle(change);
    const found = this.found();
    // A copy that stands elsewhere shows what else was changed.
    found.sort(([one], [other]) => Number(!!one.move) - Number(!!other.move));
    for (const [change, elements] of found)
      for (const element of elements)
        tried(() => {
          const known = this.of(change).get(element);
          if (known?.holds() || (known && !this.again(change, known))) return;
          const made = known ?? makingOf(change, element, this.beside.get(change));
          if (!made) return;
          this.of(change).set(element, made);
          made.make();
        });
  }

  /** The page as it is without; what it has written over a change meanwhile stays. */
  undo() {
    clearTimeout(this.timer);
    for (const change of this.changes.slice().reverse()) this.forget(change);
  }

  /** Whether a link leads elsewhere by one of these. */
  leads(element: Element) {
    return this.changes.some((change) => change.link && this.made.get(change)?.get(element)?.holds());
  }

  private of(change: Change) {
    const found = this.made.get(change) ?? new Map<Element, Made>();
    this.made.set(change, found);
    return found;
  }

  private forget(change: Change) {
    for (const made of Array.from(this.of(change).values()).reverse()) tried(made.undo);
    this.made.delete(change);
    this.beside.delete(change);
  }

  /** What was made of elements that are gone is gone with them. */
  private settle(change: Change) {
    if (this.beside.get(change)?.isConnected === false) this.forget(change);
    const of = this.of(change);
    for (const [element, made] of of)
      if (!element.isConnected) {
        tried(made.undo);
        of.delete(element);
      }
  }

  /** Those that a change is made of as long as they are there, and those that have come. */
  private found(): [Change, Element[]][] {
    const known = (change: Change) => Array.from(this.of(change).keys());
    const looking = this.changes.filter((change) => !known(change)[0] || !(single(change) || placed(change)));
    const of = new Map<Change, Element[]>();
    for (const change of looking) if (!placed(change)) of.set(change, this.elements(change));
    const places = looking.filter(placed);
    // What goes by its place is found on the page as it is without us.
    const find = () => {
      for (const change of places) of.set(change, this.elements(change));
    };
    if (places[0] && !somethingPutIn()) find();
    else if (places[0]) {
      const now = Date.now();
      if (now - this.apart < APART) this.later(APART);
      else {
        this.apart = now;
        asItWas(find);
      }
    }
    return this.changes.map((change) => [change, Array.from(new Set([...known(change), ...(of.get(change) ?? [])]))]);
  }

  private elements(change: Change): Element[] {
    const what = asked(change);
    if (!what) return [document.documentElement];
    const found = find(...what);
    const [first] = found;
    if (!first || !single(change)) return found;
    if (change.move) {
      const [by] = find(change.move.of);
      if (!by) return [];
      this.beside.set(change, by);
    }
    return [first];
  }

  /** Whether it may be made once more. */
  private again(change: Change, made: Made): boolean {
    const now = Date.now();
    const tries = this.tries.get(made) ?? { since: now, times: 0, pauses: 0, until: 0 };
    this.tries.set(made, tries);
    if (now < tries.until || tries.pauses > PATIENCE) return false;
    if (now - tries.since > 1000) {
      tries.since = now;
      tries.times = 0;
    }
    if (++tries.times <= OFTEN) return true;
    tries.until = now + PAUSE * 2 ** tries.pauses++;
    if (tries.pauses <= PATIENCE) this.later(tries.until - now);
    this.lost(change);
    return false;
  }

  private later(milliseconds: number) {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => tried(this.look), milliseconds) as unknown as number;
  }
}
