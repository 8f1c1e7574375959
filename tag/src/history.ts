/** What has been changed so far, step by step, so that each step can be taken back. */
import { inner } from "./changing/finding";
import type { Change } from "./settings";

const kindOf = (change: Change) => Object.keys(change)[0];
const alike = (a: Change, b: Change) =>
  kindOf(a) === kindOf(b) &&
  inner(a).selector === inner(b).selector &&
  // An element has many properties, and room for several blocks.
  (a.style ? a.style.property === b.style?.property : !a.block && !a.html);

export class History {
  private steps: Change[][];
  private at = 0;

  constructor(first: Change[]) {
    this.steps = [first];
  }
  get now(): Change[] {
    return this.steps[this.at] ?? [];
  }
  get undoable() {
    return this.at > 0;
  }
  get redoable() {
    return this.at < this.steps.length - 1;
  }
  /** One change more; it takes the place of one that is alike. */
  put(change: Change) {
    const place = this.now.findIndex((one) => alike(one, change));
    this.go(place < 0 ? [...this.now, change] : this.now.map((one, i) => (i === place ? change : one)));
  }
  without(change: Change) {
    this.go(this.now.filter((one) => one !== change));
  }
  undo() {
    if (this.undoable) this.at--;
  }
  redo() {
    if (this.redoable) this.at++;
  }
  private go(next: Change[]) {
    this.steps = [...this.steps.slice(0, this.at + 1), next];
    this.at++;
  }
}
