/**
 * The texts of the interface in the language of whoever looks.
 *
 * A text's key is what it says in English, so that code reads as the screen does. German and French stand in
 * `catalogues/`; `catalogues.test.ts` holds them against the code, and finds texts that are not looked up.
 */
import i18next from "i18next";
import { initReactI18next } from "react-i18next";
import en from "./catalogues/en.json";

type Values = Record<string, string | number | null | undefined>;

/** The languages there are, each by its own name. */
export const LANGUAGES = { en: "English", de: "Deutsch", fr: "Français" } as const;
export type Language = keyof typeof LANGUAGES;

const KEPT = "bouquet-language";

const CATALOGUES: Record<Exclude<Language, "en">, () => Promise<{ default: Record<string, string> }>> = {
  de: () => import("./catalogues/de.json"),
  fr: () => import("./catalogues/fr.json"),
};

/** The language that was chosen in this browser, or else the first of those it asks for that there is. */
function wanted(): Language {
  const asked = [kept(), ...(typeof navigator === "undefined" ? [] : navigator.languages)];
  const known = asked.map((name) => (name ?? "").slice(0, 2)).find((name) => name in LANGUAGES);
  return (known as Language | undefined) ?? "en";
}

function kept(): string | null {
  try {
    return localStorage.getItem(KEPT);
  } catch {
    // A browser may keep nothing.
    return null;
  }
}

/** The language of this page. Another one takes a page of its own. */
export const language: Language = wanted();

/** Show everything in another language from now on, "" being the browser's: what is open is loaded again. */
export function chooseLanguage(chosen: Language | ""): void {
  try {
    if (chosen) localStorage.setItem(KEPT, chosen);
    else localStorage.removeItem(KEPT);
  } catch {
    return;
  }
  if (wanted() !== language) location.reload();
}

const texts: Record<string, string> = language === "en" ? en : (await CATALOGUES[language]()).default;

await i18next.use(initReactI18next).init({
  lng: language,
  fallbackLng: false,
  resources: { [language]: { translation: texts } },
  // Keys are sentences, with all that stands in them.
  keySeparator: false,
  nsSeparator: false,
  interpolation: { escapeValue: false },
  initAsync: false,
});
if (typeof document !== "undefined") document.documentElement.lang = language;

const names = new Intl.DisplayNames(language, { type: "language" });

/** What a language is called, in that of this page. */
export function languageName(code: string): string {
  try {
    return names.of(code.replace("_", "-")) ?? code;
  } catch {
    // Documents may hold what is no code of a language.
    return code;
  }
}

/**
 * A text in the language of this page. `values` stand where it has their names in double braces; nothing stands for
 * what is not there. A `count` decides between the forms for one and for several.
 */
export function tr(text: string, values?: Values): string {
  if (!values) return i18next.t(text);
  const filled = Object.fromEntries(Object.entries(values).map(([name, value]) => [name, value ?? ""]));
  return i18next.t(text, filled);
}

/** A number of things that have a noun of their own, `{{number}} rows`; null where the catalogues do not know it. */
export function counted(n: number, shown: string, noun: string): string | null {
  const key = `{{number}} ${noun}`;
  // French has a form of its own for whole millions, which nouns do not differ in.
  const found = i18next.t(key, { count: Math.min(n, 999_999), number: shown, defaultValue: "" });
  return found || null;
}
