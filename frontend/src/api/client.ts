import createClient from "openapi-fetch";
import type { components, paths } from "./schema.gen";

export type Schemas = components["schemas"];
export type BlockAdvice = Schemas["BlockAdvice"];
export type BlockContent = Schemas["BlockContent"];
export type RoundContent = Schemas["RoundContent"];
export type WorkingLine = Schemas["LineOut"];
export type Farm = Schemas["FarmOut"];
export type PathError = Schemas["PathError"];

/** The only place that fetches. */
export const api = createClient<paths>({
  baseUrl: window.location.origin,
  fetch: (request) => fetch(request),
});

/** A refusal of the server, field by field. */
export class Refusal extends Error {
  readonly errors: PathError[];
  constructor(errors: PathError[]) {
    super(errors.map((e) => e.reason).join(" "));
    this.errors = errors;
  }
}

/** The data of an answer, or a Refusal with the server's reasons. */
export function unwrap<T>(answer: { data?: T; error?: unknown }): T {
  if (answer.data !== undefined) return answer.data;
  const body = answer.error as { errors?: PathError[] } | undefined;
  throw new Refusal(
    body?.errors ?? [{ path: "program", reason: "The server did not answer. Is it running?" }],
  );
}

/** Uploads a file as it is; the server writes it to disk piece by piece. */
export async function uploadFile(file: File): Promise<Schemas["FileOut"]> {
  const form = new FormData();
  form.append("file", file);
  const response = await fetch("/api/files", { method: "POST", body: form });
  const body = await response.json();
  if (!response.ok) throw new Refusal(body.errors ?? []);
  return body;
}

/** Uploads a photo, made small enough to travel. */
export async function uploadPhoto(file: File): Promise<{ key: string }> {
  const form = new FormData();
  form.append("photo", await smaller(file), file.name);
  const response = await fetch("/api/photos", { method: "POST", body: form });
  const body = await response.json();
  if (!response.ok) throw new Refusal(body.errors ?? []);
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
