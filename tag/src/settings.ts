import type { Entrants } from "./entrants";

/** What the server puts in place of __SETTINGS__ (clabo/sites/directory.py). */
export type Variant = [letter: string, path: string, share: number];

export interface SplitTest {
  key: string;
  /** In percent; all where it is not said. From where on, and drawn with what besides the key. */
  traffic?: number;
  start?: number;
  layer?: string;
  /** What the split is drawn with, if not with the key. */
  salt?: string;
  /** Who may be in it; everybody where it is not said. */
  who?: Entrants;
  host: string;
  variants: Variant[];
  /** Of a test of content: the page it is on, and what each variant changes there. */
  where?: Where[];
  changes?: Change[][];
  /** It is for an audience, which only the server knows. */
  ask?: boolean;
  /** When it begins for somebody who has come; at once where it is not said. */
  moment?: { after?: number; scrolled?: number; leaving?: boolean; once?: boolean };
  /** What each of them touches, to be kept out of sight until it is changed. */
  hold?: string[][];
}

/** What clabo/core/changes.py reads: one key, the kind of change. */
export type Change = Partial<{
  words: { selector: string; text: string };
  link: { selector: string; to: string };
  picture: { selector: string; address: string; alt?: string };
  hide: { selector: string };
  show: { selector: string };
  move: { selector: string; place: "before" | "after"; of: string };
  style: { selector: string; property: string; value: string };
  block: {
    selector: string;
    place: "before" | "after";
    template: "banner" | "panel" | "notice";
    title: string;
    text?: string;
    button?: string;
    to?: string;
    picture?: string;
  };
}>;

/** Holds on a page whose address compares so with one of these; everywhere where there are none. */
export interface Where {
  match: "equals" | "begins" | "contains";
  value: string;
}

export interface Watched {
  shown?: { selector?: string; text?: string };
  stay?: number;
  scroll?: number;
  where?: Where[];
}

export interface FrameRule {
  origin: string;
  at: string;
  value: string;
  where?: Where[];
}

export interface Settings {
  key: string;
  /** Address of the collector. */
  to: string;
  hosts: string[];
  /** The site routes by the fragment. */
  fragment?: boolean;
  /** Query parameters that tell pages apart. */
  meaningful?: string[];
  /** Hosts whose pages stand for those of another, for example a staging copy. */
  stand?: Record<string, string>;
  consent?: "ask" | "nameless";
  /** Origins whose form helper is listened to. */
  frames?: string[];
  tests: SplitTest[];
  messages?: FrameRule[];
  clicks?: { selector: string; where?: Where[] }[];
  watch?: Watched[];
  /** The share of views of which is told how long the page took. */
  speed?: number;
}
