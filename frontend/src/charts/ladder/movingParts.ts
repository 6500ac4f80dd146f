import type { BlockContent, Schemas } from "../../api/client";
import { dayMonth } from "../../lib/dates";
import { DAY, PICTURE, PLOT, type Scale, STORAGE, straight, TOP, type View } from "./geometry";

const INK = "#1e1b16";
const INK_2 = "#5c5546";
const DEEP = "#0f4b52";
const RULE = "#d8cdb6";
const PANEL = "#fffdf7";

export interface Moving {
  content: BlockContent;
  station: Schemas["StationOut"];
  wettings: Schemas["WettingOut"][];
  range: [number, number] | null;
  pictureTop: number;
  offset: number;
}

/** What moves along the time while it is dragged, drawn on the canvas: the browser need not lay it out anew. */
export function drawMoving(pen: CanvasRenderingContext2D, moving: Moving, view: View, x: Scale): void {
  axis(pen, moving, view, x);
  bars(pen, moving, view, x);
  if (moving.range) fan(pen, moving, moving.range, x);
  reach(pen, moving, x);
  const now = x(moving.content.as_of_at);
  pen.strokeStyle = INK;
  pen.lineWidth = 1;
  stroke(pen, [now, 0], [now, moving.pictureTop + PICTURE]);
}

function stroke(pen: CanvasRenderingContext2D, ...points: [number, number][]): void {
  pen.beginPath();
  points.forEach(([px, py], i) => {
    if (i) pen.lineTo(px, py);
    else pen.moveTo(px, py);
  });
  pen.stroke();
}

/** Days between ticks, so that there are seven or so. */
export function tickDays(view: View): number {
  const days = (view.end - view.start) / DAY;
  return [1, 2, 7, 14, 28].find((n) => days / n <= 7) ?? Math.ceil(days / 7);
}

export function ticksOf(view: View, offset: number): number[] {
  const every = tickDays(view) * DAY;
  const first = Math.ceil((view.start + offset) / every) * every - offset;
  return Array.from(
    { length: Math.max(0, Math.floor((view.end - first) / every) + 1) },
    (_, i) => first + i * every,
  );
}

function axis(pen: CanvasRenderingContext2D, { pictureTop, offset }: Moving, view: View, x: Scale): void {
  const bottom = pictureTop + PICTURE;
  pen.font = '11.5px "Atkinson Hyperlegible Next Variable", sans-serif';
  pen.textAlign = "center";
  for (const tick of ticksOf(view, offset)) {
    pen.strokeStyle = RULE;
    pen.lineWidth = 0.6;
    stroke(pen, [x(tick), TOP], [x(tick), bottom]);
    pen.fillStyle = INK_2;
    pen.fillText(dayMonth(new Date((tick + offset) * 1000)), x(tick), bottom + 14);
  }
}

function bars(pen: CanvasRenderingContext2D, { content }: Moving, view: View, x: Scale): void {
  const most = Math.max(20, ...content.sets.map((s) => s.gross_mm), ...content.rain.map((r) => r.depth_mm));
  const bar = (left: number, wide: number, mm: number) =>
    pen.fillRect(left, TOP - (mm / most) * (TOP - 14), wide, (mm / most) * (TOP - 14));
  pen.fillStyle = INK_2;
  for (const r of content.rain) {
    if (r.start_at > view.start && r.start_at < view.end) bar(x(r.start_at + 9 * 3600), 4, r.depth_mm);
  }
  pen.fillStyle = DEEP;
  for (const s of content.sets) {
    if (s.end_at > view.start && s.start_at < view.end)
      bar(x(s.start_at), Math.max(3, x(s.end_at) - x(s.start_at)), s.gross_mm);
  }
}

function fan(pen: CanvasRenderingContext2D, { content }: Moving, range: [number, number], x: Scale): void {
  if (content.fan.length < 2) return;
  const y = straight(range, [TOP + STORAGE, TOP + 12]);
  pen.beginPath();
  for (const f of content.fan) pen.lineTo(x(f.at), y(f.high_mm));
  for (const f of [...content.fan].reverse()) pen.lineTo(x(f.at), y(f.low_mm));
  pen.globalAlpha = 0.2;
  pen.fillStyle = DEEP;
  pen.fill();
  pen.globalAlpha = 1;
  pen.strokeStyle = DEEP;
  pen.setLineDash([4, 3]);
  stroke(pen, ...content.fan.map((f): [number, number] => [x(f.at), y(f.mid_mm)]));
  pen.setLineDash([]);
}

function reach(pen: CanvasRenderingContext2D, { station, wettings, pictureTop }: Moving, x: Scale): void {
  const bottom = station.layers[station.layers.length - 1]?.bottom_cm;
  if (!bottom) return;
  pen.strokeStyle = PANEL;
  pen.lineWidth = 1.7;
  for (const w of wettings) {
    const at = x(w.start_at);
    if (w.station !== station.key || at < 0 || at > PLOT) continue;
    const to = pictureTop + (Math.min(w.reach_cm, bottom) / bottom) * PICTURE;
    stroke(pen, [at, pictureTop + 1], [at, to - 1]);
    stroke(pen, [at - 3.5, to - 5], [at, to - 1], [at + 3.5, to - 5]);
  }
}
