/** What the server puts in place of __SETTINGS__ (clabo/sites/directory.py). */
export interface Variant {
  letter: string;
  host: string;
  path: string;
  share: number;
}

export interface SplitTest {
  key: string;
  traffic: number;
  variants: Variant[];
}

export interface Settings {
  key: string;
  /** Address of the collector. */
  to: string;
  /** The site routes by the fragment. */
  fragment?: boolean;
  /** Hosts whose pages stand for those of another, for example a staging copy. */
  stand?: Record<string, string>;
  tests: SplitTest[];
}
