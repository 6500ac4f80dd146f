import type { Farm, Schemas } from "../../api/client";
import type { Sheet } from "./queries";

export const SENSOR_TYPES = [
  "profile probe",
  "capacitance sensor",
  "home-made capacitance sensor",
  "granular matrix sensor",
  "tensiometer",
  "capacitance probe",
  "other",
];

/** The unit a type of sensor gives before anything is calibrated. */
export function unitOf(type: string): string {
  if (type === "granular matrix sensor" || type === "tensiometer") return "kPa";
  return type === "home-made capacitance sensor" ? "count" : "%";
}

/** Typed depths as numbers; what is no number stays text, so that the server can name it. */
export function depthsFrom(text: string): (number | string)[] {
  return text
    .split(/[\s;]+|,(?=\s|\d{2})/)
    .filter((t) => t.trim() !== "")
    .map((t) => {
      const number = Number(t.replace(",", "."));
      return Number.isFinite(number) ? number : t;
    });
}

/** A key for a name that no other station of the block has. */
export function freeKey(name: string, taken: string[]): string {
  const base =
    name
      .normalize("NFD")
      .replace(/[\u0300-\u036f]/g, "")
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, "-")
      .replace(/^-+|-+$/g, "")
      .slice(0, 34) || "station";
  if (!taken.includes(base)) return base;
  let number = 2;
  while (taken.includes(`${base}-${number}`)) number += 1;
  return `${base}-${number}`;
}

/** Which installation fits a type of sensor. */
export function methodFor(type: string): string {
  if (type === "profile probe" || type === "capacitance probe") return "profile";
  if (type === "granular matrix sensor") return "hole";
  return type === "tensiometer" ? "tensiometer" : "pit";
}

/** The part of the farm document that changes some fields of a station and leaves all else as it is. */
export function stationChange(farm: Farm, sheet: Sheet, fields: object): Schemas["BlockPart"] {
  const { ref, block } = sheet.line;
  return {
    ...farm.blocks.find((b) => b.key === block),
    name: undefined,
    stations: [
      {
        key: ref.split("/")[1],
        ...fields,
        sensors: sheet.sensors.map((s) => ({ key: s.key, depth_cm: s.depth_cm })),
      },
    ],
  } as unknown as Schemas["BlockPart"];
}
