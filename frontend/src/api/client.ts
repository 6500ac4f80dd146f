import createClient from "openapi-fetch";
import { notice } from "../lib/fieldCopy";
import { say } from "../lib/words";
import type { components, paths } from "./schema.gen";

export type Schemas = components["schemas"];
export type BlockAdvice = Schemas["BlockAdvice"];
export type BlockContent = Schemas["BlockContent"];
export type RoundContent = Schemas["RoundContent"];
export type WorkingLine = Schemas["LineOut"];
export type Farm = Schemas["FarmOut"];
export type PathError = Schemas["PathError"];

let token = "";
let whenSignedOut = () => {};

/** Keeps the token that every write carries, as the session's answer gave it. */
export function keepToken(next: string) {
  token = next;
}

/** What to do when the server no longer knows who this is. */
export function onSignedOut(act: () => void) {
  whenSignedOut = act;
}

/** The only place that fetches; a write whose token has aged asks for a new one and goes once more. */
async function send(request: Request): Promise<Response> {
  if (request.method === "GET") return noticed(await fetch(request));
  const again = request.clone();
  request.headers.set("X-CSRF-Token", token);
  const answer = await fetch(request);
  if (answer.status !== 400 || !(await answer.clone().text()).includes("CSRF")) return noticed(answer);
  token = (await (await fetch("/api/session")).json()).csrf_token;
  again.headers.set("X-CSRF-Token", token);
  return noticed(await fetch(again));
}

function noticed(answer: Response): Response {
  notice(answer);
  if (answer.status === 401 && !answer.url.endsWith("/api/session")) whenSignedOut();
  return answer;
}

export const api = createClient<paths>({ baseUrl: window.location.origin, fetch: send });

/** A refusal of the server, field by field. */
export class Refusal extends Error {
  readonly errors: PathError[];
  readonly status: number;
  constructor(errors: PathError[], status = 0) {
    super(errors.map((e) => e.reason).join(" "));
    this.errors = errors;
    this.status = status;
  }
}

/** The data of an answer, or a Refusal with the server's reasons. */
export function unwrap<T>(answer: { data?: T; error?: unknown; response?: Response }): T {
  if (answer.data !== undefined) return answer.data;
  const body = answer.error as { errors?: PathError[] } | undefined;
  throw new Refusal(
    body?.errors ?? [{ path: "program", reason: say`The server did not answer. Is it running?` }],
    answer.response?.status,
  );
}

/** Uploads a file as it is; the server writes it to disk piece by piece. */
export async function uploadFile({
  file,
  sheet = "",
}: {
  file: File;
  sheet?: string;
}): Promise<Schemas["FileOut"]> {
  const form = new FormData();
  form.append("file", file);
  if (sheet) form.append("sheet", sheet);
  return upload("/api/files", form);
}

/** A table's text; of a spreadsheet its first sheet. */
export async function tableText(file: File): Promise<string> {
  if (!/\.xlsx$/i.test(file.name)) return file.text();
  const form = new FormData();
  form.append("file", file);
  const read: Schemas["TableTextOut"] = await upload("/api/tables/text", form);
  return read.text;
}

/** Uploads a photo, made small enough to travel. */
export async function uploadPhoto(file: File): Promise<{ key: string }> {
  const form = new FormData();
  form.append("photo", await smaller(file), file.name);
  return upload("/api/photos", form);
}

async function upload<T>(path: string, form: FormData): Promise<T> {
  const address = new URL(path, window.location.origin);
  const response = await send(new Request(address, { method: "POST", body: form }));
  const body = await response.json();
  if (!response.ok) throw new Refusal(body.errors ?? [], response.status);
  return body;
}

export async function smaller(file: File): Promise<Blob> {
  if (file.size < 400_000 || typeof createImageBitmap !== "function") return file;
  const picture = await createImageBitmap(file);
  const scale = Math.min(1, 1600 / Math.max(picture.width, picture.height));
  const canvas = document.createElement("canvas");
  canvas.width = Math.round(picture.width * scale);
  canvas.height = Math.round(picture.height * scale);
  canvas.getContext("2d")?.drawImage(picture, 0, 0, canvas.width, canvas.height);
  return new Promise((resolve) => canvas.toBlob((blob) => resolve(blob ?? file), "image/jpeg", 0.82));
}
