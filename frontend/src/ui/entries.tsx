import { type QuantityName, quantity, toInput, toServer, type UnitSystem } from "../lib/units";
import { say } from "../lib/words";
import { Field } from "./Field";

/** One entry of a form: what it is called in the farm document, and how a person sees it. */
export interface Entry {
  name: string;
  label: string;
  quantity?: QuantityName;
  percent?: boolean;
  kind?: "text" | "date" | "number";
  hint?: string;
  wide?: boolean;
}

export type TypedDraft = Record<string, string>;
export type Refusals = Record<string, string>;

/** Stored values as text to be edited. */
export function draftOf(part: Record<string, unknown>, entries: Entry[], units: UnitSystem): TypedDraft {
  return Object.fromEntries(entries.map((e) => [e.name, textOf(part[e.name], e, units)]));
}

function textOf(value: unknown, entry: Entry, units: UnitSystem): string {
  if (value === null || value === undefined) return "";
  if (typeof value !== "number") return String(value);
  if (entry.percent) return String(Number((value * 100).toPrecision(6)));
  return entry.quantity ? toInput(value, entry.quantity, units) : String(value);
}

/** What was typed, in the server's units; what is no number goes as it is, so that the server can name it. */
export function valuesOf(draft: TypedDraft, entries: Entry[], units: UnitSystem): Record<string, unknown> {
  return Object.fromEntries(entries.map((e) => [e.name, typedValue(draft[e.name] ?? "", e, units)]));
}

export function typedValue(text: string, entry: Entry, units: UnitSystem): unknown {
  const typed = text.trim();
  if (entry.kind === "text") return typed;
  if (typed === "") return null;
  if (entry.kind === "date") return typed;
  const number = Number(typed.replace(",", "."));
  if (!Number.isFinite(number)) return typed;
  if (entry.percent) return number / 100;
  return entry.quantity ? toServer(number, entry.quantity, units) : number;
}

/** The label with its unit. */
export function entryLabel(entry: Entry, units: UnitSystem): string {
  if (entry.percent) return `${entry.label}, %`;
  return entry.quantity ? `${entry.label}, ${quantity(entry.quantity, units).unit}` : entry.label;
}

interface EntriesProps {
  entries: Entry[];
  draft: TypedDraft;
  change: (part: TypedDraft) => void;
  refused: Refusals;
  units: UnitSystem;
}

export function Entries({ entries, draft, change, refused, units }: EntriesProps) {
  return entries.map((entry) => (
    <Field
      key={entry.name}
      label={entryLabel(entry, units)}
      hint={entry.hint}
      name={entry.name}
      type={entry.kind === "date" ? "date" : "text"}
      inputMode={entry.kind === "text" ? "text" : "decimal"}
      className={entry.wide ? "sm:col-span-2" : ""}
      value={draft[entry.name] ?? ""}
      error={refused[entry.name]}
      onChange={(e) => change({ [entry.name]: e.target.value })}
    />
  ));
}

/** Refusals of the server under the last name of their path; what fits no entry stands under "". */
export function refusalsByName(errors: { path: string; reason: string }[], known: string[]): Refusals {
  const found: Refusals = {};
  for (const { path, reason } of errors) {
    const last = path.split(/[.[\]]+/).filter((p) => p && !/^\d+$/.test(p));
    const name = last.reverse().find((p) => known.includes(p)) ?? "";
    const text = name ? reason : `${path}: ${reason}`;
    found[name] = [found[name], text].filter(Boolean).join("; ");
  }
  return found;
}

export function RefusalNote({ refused }: { refused: Refusals }) {
  if (Object.keys(refused).length === 0) return null;
  return (
    <p
      role="alert"
      className="mt-3 font-bold text-clay"
    >{say`Nothing was saved: ${refused[""] || say`see the marked entries.`}`}</p>
  );
}
