/** Where the names of places stand on a map, so that no name lies on another name or on a place. */
export type Side = "right" | "left" | "top" | "bottom";

export interface Place {
  key: string;
  /** Empty where it is not to be named; nothing lies on it all the same. */
  name: string;
  /** On the map as it is first seen [px], x to the right, y down. */
  x: number;
  y: number;
}

interface Box {
  left: number;
  right: number;
  top: number;
  bottom: number;
}

const LETTER = 6.6; // px a letter takes, as a rule, in the map's small type
const HIGH = 17;
const DISC = 8;
const SIDES: Side[] = ["right", "left", "top", "bottom"];

const meets = (a: Box, b: Box) =>
  a.left < b.right && b.left < a.right && a.top < b.bottom && b.top < a.bottom;

function boxOf({ x, y, name }: Place, side: Side): Box {
  const wide = LETTER * name.length + 6;
  const left = side === "right" ? x + DISC + 2 : side === "left" ? x - DISC - 2 - wide : x - wide / 2;
  const top = side === "top" ? y - DISC - HIGH : side === "bottom" ? y + DISC : y - HIGH / 2;
  return { left, right: left + wide, top, bottom: top + HIGH };
}

/** The side each name stands on; a name that fits on none has no side, and is shown on pointing at its place. */
export function labelPlaces(
  places: Place[],
  taken: Place[],
  width: number,
  height: number,
): Map<string, Side> {
  const discs = places.map(({ key, x, y }) => ({
    key,
    box: { left: x - DISC, right: x + DISC, top: y - DISC, bottom: y + DISC },
  }));
  const boxes: Box[] = taken.map((one) => boxOf({ ...one, y: one.y + DISC }, "top"));
  const found = new Map<string, Side>();
  for (const place of places) {
    if (place.name === "") continue;
    const side = SIDES.find((one) => {
      const box = boxOf(place, one);
      return (
        box.left >= 0 &&
        box.right <= width &&
        box.top >= 0 &&
        box.bottom <= height &&
        !boxes.some((other) => meets(box, other)) &&
        !discs.some((disc) => disc.key !== place.key && meets(box, disc.box))
      );
    });
    if (!side) continue;
    found.set(place.key, side);
    boxes.push(boxOf(place, side));
  }
  return found;
}
