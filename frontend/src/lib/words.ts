/** What the pages say, in the reader's language: English as written in the source, others from a catalogue. */
import { createElement, Fragment, type ReactNode } from "react";

export type Catalogue = Record<string, string | string[]>;
type Said = string | number | boolean | null | undefined;

export const LANGUAGES = { en: "English", es: "Español", xx: "«every word marked»" } as const;
export type Language = keyof typeof LANGUAGES;

const KEPT = "embalse.language";
const PLACE = /\{(\w+)\}/;
let language: Language = "en";
let catalogue: Catalogue = {};

/** The language the pages are in now. */
export const spoken = (): Language => language;

const known = (name: string | null): Language =>
  name !== null && name in LANGUAGES ? (name as Language) : "en";

/** Takes a catalogue; whatever is said from now on is said by it, and in English where it has nothing. */
export function speak(name: Language, words: Catalogue) {
  language = name;
  catalogue = words;
}

/** Before the first page: the language this device was last used in. Without its catalogue, English. */
export async function startSpeaking() {
  const name = known(localStorage.getItem(KEPT));
  if (name === "en") return;
  const found = await (name === "es" ? import("../words/es.gen.json") : import("../words/xx.gen.json"));
  speak(name, found.default as Catalogue);
  document.documentElement.lang = name === "xx" ? "en" : name;
}

/** The person reads in this language: from the next page load on. True when that is another than now. */
export function keepLanguage(name: string): boolean {
  const wanted = known(name);
  if (wanted === language) return false;
  try {
    localStorage.setItem(KEPT, wanted);
  } catch {
    return false; // a device that keeps nothing reads in English, and must not load the page for ever
  }
  return localStorage.getItem(KEPT) === wanted;
}

function translated(english: string): string {
  const found = catalogue[english];
  return (Array.isArray(found) ? found[0] : found) || english;
}

/** A value within a sentence; a code of the server's is said as people say it. */
const word = (value: Said) =>
  value === null || value === undefined || typeof value === "boolean"
    ? ""
    : typeof value === "string"
      ? translated(value)
      : String(value);

const asMessage = (parts: readonly string[]) => parts.reduce((all, part, at) => `${all}{${at - 1}}${part}`);

/** A sentence with values in it, as a tag: say`Log a set · ${name}`. Its places are {0}, {1} … in the catalogue. */
export function say(parts: TemplateStringsArray, ...values: Said[]): string {
  const found = translated(asMessage(parts));
  return values.length === 0
    ? found
    : found
        .split(PLACE)
        .map((part, at) => (at % 2 ? word(values[Number(part)]) : part))
        .join("");
}

const nodeOf = (value: ReactNode) => (typeof value === "string" ? translated(value) : value);

/** The same with parts of the page among its values: sayWith`See ${<b>this</b>}`. */
export function sayWith(parts: TemplateStringsArray, ...values: ReactNode[]): ReactNode {
  const found = translated(asMessage(parts)).split(PLACE);
  return createElement(
    Fragment,
    null,
    ...found.map((part, at) => (at % 2 ? nodeOf(values[Number(part)]) : part)),
  );
}

/** A count with its noun, in as many forms as the language has; {n} is the count. */
export function sayCount(n: number, one: string, many: string): string {
  const forms = catalogue[`${one}\n${many}`];
  const form = Array.isArray(forms) ? (forms[n === 1 ? 0 : forms.length - 1] ?? "") : "";
  return (form || (n === 1 ? one : many)).replaceAll("{n}", String(n));
}

/** A word the server sends as a code (a crop, a state, a kind) as people say it. */
export function sayCode(code: string | null | undefined): string {
  return code ? translated(code) : "";
}

/** The same words with a capital, as a sentence begins. */
export const capital = (words: string) => `${words.charAt(0).toUpperCase()}${words.slice(1)}`;
