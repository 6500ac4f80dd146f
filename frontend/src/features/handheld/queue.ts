import { api, Refusal, type Schemas, unwrap, uploadPhoto } from "../../api/client";
import { FIELD_QUEUE } from "../../lib/fieldCopy";
import { say } from "../../lib/words";

export type Entry = Schemas["HandEntry"];
export type Report = Schemas["HandReport"];

/** An entry on this phone until the server has it; the photo as a data address, what the server said of it. */
export interface Waiting {
  entry: Entry;
  photo: string;
  refused: string;
}

/** What the server did not store of an entry it took. */
export interface Told {
  station: string;
  words: string;
}

export function waiting(): Waiting[] {
  return JSON.parse(localStorage.getItem(FIELD_QUEUE) ?? "[]") as Waiting[];
}

function keep(list: Waiting[]) {
  localStorage.setItem(FIELD_QUEUE, JSON.stringify(list));
}

/** Keeps an entry on this phone; throws when the phone's store is full. */
export function enqueue(entry: Entry, photo: string) {
  keep([...waiting(), { entry, photo, refused: "" }]);
}

export function forget(key: string) {
  keep(waiting().filter((w) => w.entry.key !== key));
}

let sending: Promise<Told[]> | undefined;

/** Sends what waits, oldest first; an entry goes from the phone only when the server has answered for it. */
export function sendAll(): Promise<Told[]> {
  sending ??= send().finally(() => {
    sending = undefined;
  });
  return sending;
}

async function send(): Promise<Told[]> {
  const told: Told[] = [];
  for (const { entry, photo } of waiting()) {
    try {
      const key = photo ? (await uploadPhoto(fileOf(photo))).key : "";
      const report = unwrap(await api.POST("/api/handheld", { body: { ...entry, photo: key } }));
      told.push(...notStored(entry, report));
      forget(entry.key);
    } catch (error) {
      if (error instanceof TypeError) break; // no signal: all of it waits
      if (error instanceof Refusal && error.status === 401) break; // sent after signing in
      const refused = error instanceof Error ? error.message : String(error);
      keep(waiting().map((w) => (w.entry.key === entry.key ? { ...w, refused } : w)));
    }
  }
  return told;
}

function notStored(entry: Entry, report: Report): Told[] {
  return [...report.conflicts, ...report.asked].map((one) => ({
    station: entry.station,
    words: say`${one.value} at ${one.sensor} was not stored: ${one.reason}`,
  }));
}

function fileOf(address: string): File {
  const [head = "", body = ""] = address.split(",");
  const bytes = Uint8Array.from(atob(body), (c) => c.charCodeAt(0));
  return new File([bytes], "photo.jpg", { type: head.slice(5).split(";")[0] || "image/jpeg" });
}

export function addressOf(blob: Blob): Promise<string> {
  return new Promise((resolve, reject) => {
    const reader = new FileReader();
    reader.onload = () => resolve(String(reader.result));
    reader.onerror = () => reject(reader.error);
    reader.readAsDataURL(blob);
  });
}
