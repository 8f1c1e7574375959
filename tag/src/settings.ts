import type { Entrants } from "./entrants";

/** What the server puts in place of __SETTINGS__ (clabo/setup/sites/directory.py). */
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
  /** Of a test of content: the pages it is on, any of them, and what each variant changes there. */
  where?: Where[];
  /** Host and path of these pages as an expression, which may let in more. */
  on?: string;
  changes?: Change[][];
  /** It is for an audience, which only the server knows. */
  ask?: boolean;
  /** When it begins for somebody who has come; at once where it is not said. */
  moment?: { after?: number; scrolled?: number; leaving?: boolean; once?: boolean };
  /** What each of them touches, to be kept out of sight until it is changed. */
  hold?: string[][];
}

/** What clabo/core/splits/changes.py reads: one key, the kind of change. */
export type Change = Partial<{
  words: At & { text: string };
  link: At & { to: string };
  picture: At & { address: string; alt?: string };
  hide: At;
  show: At;
  move: At & { place: Place; of: string };
  style: At & { property: string; value: string };
  block: At & {
    place: Place;
    template: "banner" | "panel" | "notice";
    title: string;
    text?: string;
    button?: string;
    to?: string;
    picture?: string;
  };
  /** Markup of one's own, as what is made of it; the editor is given the markup too. */
  html: At & { place: Place; html?: string; nodes: Node[] };
  sheet: { css?: string; rules: string[] };
}>;
type Place = "before" | "after";
/** An element, and what is asked for where there is none. */
interface At {
  selector: string;
  fallback?: string;
}
/** A text, or a name with attributes and what is in it. */
export type Node = string | [name: string, attributes: Record<string, string>, inner: Node[]];

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
  /** Some visitors have said who they are: they see the same variants on another device. */
  same?: boolean;
  messages?: FrameRule[];
  clicks?: { selector: string; where?: Where[] }[];
  watch?: Watched[];
  /** The share of views of which is told how long the page took. */
  speed?: number;
}
