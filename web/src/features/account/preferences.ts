/** How this browser shows Clabo: light or dark, and the language that numbers and dates are written as in. */
import { writeAsIn } from "../../lib/format";

export const THEMES = { system: "as the device", light: "light", dark: "dark" } as const;
export type Theme = keyof typeof THEMES;

export const LANGUAGES = {
  "en-GB": "English: 1,234.50, 2 Dec",
  "en-US": "English (US): 1,234.50, Dec 2",
  "de-DE": "Deutsch: 1.234,50, 2. Dez.",
  "fr-FR": "Français: 1 234,50, 2 déc.",
  "es-ES": "Español: 1234,50, 2 dic",
  "it-IT": "Italiano: 1.234,50, 2 dic",
  "nl-NL": "Nederlands: 1.234,50, 2 dec",
} as const;
export type Language = keyof typeof LANGUAGES;

export interface Preferences {
  theme: Theme;
  language: Language;
}

const KEY = "clabo-preferences";
const USUAL: Preferences = { theme: "system", language: "en-GB" };

export function readPreferences(): Preferences {
  try {
    const said = JSON.parse(localStorage.getItem(KEY) ?? "{}");
    return {
      theme: said.theme in THEMES ? said.theme : USUAL.theme,
      language: said.language in LANGUAGES ? said.language : USUAL.language,
    };
  } catch {
    // Storage may be switched off.
    return USUAL;
  }
}

export function applyPreferences({ theme, language }: Preferences) {
  document.documentElement.dataset.theme = theme;
  writeAsIn(language);
}

export function savePreferences(said: Preferences) {
  try {
    localStorage.setItem(KEY, JSON.stringify(said));
  } catch {
    // They hold until the page is left.
  }
  applyPreferences(said);
}
