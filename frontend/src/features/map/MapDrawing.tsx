import { useEffect, useMemo, useRef, useState } from "react";
import { waterColour, waterRgb } from "../../lib/waterScale";
import { say } from "../../lib/words";
import { Wide } from "../../ui/Wide";
import { cellValues, type Span, unsure, wetness } from "./cells";
import type { Drafting } from "./drafting";
import type { BlockMap, Ground } from "./queries";

const WIDTH = 760;
const PAD = 26;
const PAPER = "#F6F1E6";
const DRY = 0.45; // below which a figure on its colour is written in ink

interface MapDrawingProps {
  map: BlockMap;
  values: Map<string, number>;
  span: Span;
  figure: (value: number) => string;
  drafting?: Drafting;
}

/** The cells as a picture of one point each, from the north-west corner; blank ones are clear. */
function cellPicture(
  ground: Ground,
  values: Map<string, number>,
  wet: (value: number) => number,
): HTMLCanvasElement | undefined {
  const small = document.createElement("canvas");
  small.width = ground.columns;
  small.height = ground.rows;
  const pen = small.getContext("2d");
  if (!pen) return undefined;
  const picture = pen.createImageData(ground.columns, ground.rows);
  cellValues(ground, values).forEach((value, n) => {
    const place = ground.inside[n];
    if (value === null || place === undefined) return;
    const row = ground.rows - 1 - Math.floor(place / ground.columns);
    picture.data.set([...waterRgb(wet(value)), 255], 4 * (row * ground.columns + (place % ground.columns)));
  });
  pen.putImageData(picture, 0, 0);
  return small;
}

/** Paper showing through where the map is unsure, in cells from the north-west corner: the same on every day. */
function doubtDots(ground: Ground | null): Path2D | undefined {
  if (!ground || typeof Path2D === "undefined") return undefined;
  const dots = new Path2D();
  ground.inside.forEach((place, n) => {
    const column = place % ground.columns;
    const row = ground.rows - 1 - Math.floor(place / ground.columns);
    const doubt = unsure(ground, n);
    if (ground.blank[n] || (column + row) % 2 !== 0 || doubt <= 0.25) return;
    const radius = 0.6 * doubt * doubt;
    dots.moveTo(column + 0.5 + radius, row + 0.5);
    dots.arc(column + 0.5, row + 0.5, radius, 0, 2 * Math.PI);
  });
  return dots;
}

/** The block from above: ground by the nodes' weights, paper showing through where it is unsure, every node with its figure. */
export function MapDrawing({ map, values, span, figure, drafting }: MapDrawingProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const places = map.outline.length > 0 ? map.outline : map.nodes;
  const west = Math.min(...places.map((p) => p.x_m));
  const south = Math.min(...places.map((p) => p.y_m));
  const wide = Math.max(...places.map((p) => p.x_m)) - west;
  const tall = Math.max(...places.map((p) => p.y_m)) - south;
  const scale = (WIDTH - 2 * PAD) / Math.max(wide, tall * 1.35, 1);
  const height = Math.round(tall * scale + 2 * PAD);
  const x = (m: number) => PAD + (m - west) * scale;
  const y = (m: number) => height - PAD - (m - south) * scale;

  const dots = useMemo(() => doubtDots(map.ground), [map.ground]);

  useEffect(() => {
    const pen = canvas.current?.getContext("2d");
    if (!pen) return;
    pen.clearRect(0, 0, WIDTH, height);
    const ground = map.ground;
    if (!ground) return;
    pen.save();
    if (map.outline.length > 2) {
      pen.beginPath();
      for (const c of map.outline)
        pen.lineTo(PAD + (c.x_m - west) * scale, height - PAD - (c.y_m - south) * scale);
      pen.clip();
    }
    const side = ground.cell_m * scale;
    const left = PAD + (ground.west_m - west) * scale;
    const top = height - PAD - (ground.south_m - south) * scale - ground.rows * side;
    pen.imageSmoothingEnabled = false;
    const told = cellPicture(ground, values, (v) => wetness(map, span, v));
    if (told) pen.drawImage(told, left, top, ground.columns * side, ground.rows * side);
    if (dots) {
      pen.translate(left, top);
      pen.scale(side, side);
      pen.fillStyle = PAPER;
      pen.fill(dots);
    }
    pen.restore();
  }, [map, values, span, scale, height, west, south, dots]);

  return (
    <Wide label={say`Drawing of the map`}>
      <div
        className="relative w-full max-w-[760px] min-w-[560px]"
        style={{ aspectRatio: `${WIDTH} / ${height}` }}
      >
        <canvas ref={canvas} width={WIDTH} height={height} className="absolute inset-0 h-full w-full" />
        <svg
          viewBox={`0 0 ${WIDTH} ${height}`}
          className="absolute inset-0 h-full w-full"
          role="img"
          aria-label={said(map)}
        >
          {map.outline.length > 2 && (
            <polygon
              points={map.outline.map((c) => `${x(c.x_m)},${y(c.y_m)}`).join(" ")}
              className="fill-none stroke-ink"
              strokeWidth={1.2}
            />
          )}
          <Areas map={map} x={x} y={y} drafting={drafting} />
          {map.nodes.map((node) => {
            const value = values.get(node.ref);
            const pale = value === undefined || wetness(map, span, value) < DRY;
            return (
              <g key={node.ref} transform={`translate(${x(node.x_m)} ${y(node.y_m)})`}>
                <rect
                  x={-16}
                  y={-10}
                  width={32}
                  height={20}
                  rx={3}
                  fill={value === undefined ? "#F6F1E6" : waterColour(wetness(map, span, value))}
                  className={node.lasting ? "stroke-clay" : "stroke-ink"}
                  strokeWidth={node.lasting ? 2.4 : 1}
                />
                <text
                  y={4.5}
                  textAnchor="middle"
                  className={`figure text-[12.5px] font-bold ${pale ? "fill-ink" : "fill-panel"}`}
                >
                  {value === undefined ? "–" : figure(value)}
                </text>
                {node.lasting && (
                  <text
                    y={24}
                    textAnchor="middle"
                    className="fill-clay stroke-panel text-[12px] font-bold [paint-order:stroke]"
                    strokeWidth={4}
                  >{say`always ${node.lasting}`}</text>
                )}
              </g>
            );
          })}
          {map.next_node && (
            <g transform={`translate(${x(map.next_node.x_m)} ${y(map.next_node.y_m)})`}>
              <circle r={11} className="fill-none stroke-ink" strokeWidth={1.6} strokeDasharray="3 3" />
              <text y={4} textAnchor="middle" className="fill-ink text-[13px] font-bold">
                +
              </text>
            </g>
          )}
        </svg>
        {drafting?.corners && (
          <Pen
            size={[WIDTH, height]}
            add={([px, py]) =>
              drafting.add({
                x_m: Math.round((west + (px - PAD) / scale) * 100) / 100,
                y_m: Math.round((south + (height - PAD - py) / scale) * 100) / 100,
              })
            }
            back={drafting.back}
          />
        )}
      </div>
    </Wide>
  );
}

interface AreasProps {
  map: BlockMap;
  x: (m: number) => number;
  y: (m: number) => number;
  drafting: Drafting | undefined;
}

/** Soils as dotted lines, zones as strong ones with their names, and what is being drawn now. */
function Areas({ map, x, y, drafting }: AreasProps) {
  const path = (rings: BlockMap["zones"][number]["rings"], close = true) =>
    rings.map((r) => `M${r.map((c) => `${x(c.x_m)} ${y(c.y_m)}`).join("L")}${close ? "Z" : ""}`).join("");
  const zones = drafting?.zones ?? map.zones;
  return (
    <g className="fill-none">
      {map.soils.map((soil) => (
        <path
          key={path(soil.rings)}
          d={path(soil.rings)}
          className="stroke-ink"
          strokeDasharray="1.5 5"
          strokeWidth={1.6}
        />
      ))}
      {zones.map((zone) => (
        <g key={path(zone.rings)}>
          <path d={path(zone.rings)} className="stroke-panel" strokeWidth={4.5} />
          <path d={path(zone.rings)} className="stroke-ink" strokeWidth={2} strokeDasharray="9 4" />
          {zone.rings[0]?.length && (
            <text
              x={x(Math.min(...zone.rings[0].map((c) => c.x_m))) + 8}
              y={y(Math.max(...zone.rings[0].map((c) => c.y_m))) + 17}
              strokeWidth={4}
              className="fill-ink stroke-panel text-[13px] font-bold [paint-order:stroke]"
            >
              {zone.name}
            </text>
          )}
        </g>
      ))}
      {drafting?.corners && drafting.corners.length > 0 && (
        <g>
          <path d={path([drafting.corners], false)} className="stroke-clay" strokeWidth={2.4} />
          {drafting.corners.map((c) => (
            <circle key={`${c.x_m} ${c.y_m}`} cx={x(c.x_m)} cy={y(c.y_m)} r={4} className="fill-clay" />
          ))}
        </g>
      )}
    </g>
  );
}

const STRIDE = 12;
const MOVES: Record<string, [number, number]> = {
  ArrowLeft: [-STRIDE, 0],
  ArrowRight: [STRIDE, 0],
  ArrowUp: [0, -STRIDE],
  ArrowDown: [0, STRIDE],
};

interface PenProps {
  size: [number, number];
  add: (at: [number, number]) => void;
  back: () => void;
}

/** Sets corners on the map, by a click where it points or by keys that move a cross. */
function Pen({ size, add, back }: PenProps) {
  const [cross, setCross] = useState<[number, number]>([size[0] / 2, size[1] / 2]);
  return (
    <button
      type="button"
      className="absolute inset-0 cursor-crosshair"
      aria-label={say`Corners of the zone: click, or move the cross with the arrow keys and press Enter`}
      onClick={(e) => {
        if (e.detail === 0) return add(cross); // by key
        const box = e.currentTarget.getBoundingClientRect();
        add([((e.clientX - box.left) / box.width) * size[0], ((e.clientY - box.top) / box.height) * size[1]]);
      }}
      onKeyDown={(e) => {
        const move = MOVES[e.key];
        if (e.key === "Backspace") back();
        if (!move) return;
        e.preventDefault();
        setCross(([cx, cy]) => [
          Math.min(size[0], Math.max(0, cx + move[0])),
          Math.min(size[1], Math.max(0, cy + move[1])),
        ]);
      }}
    >
      <svg
        viewBox={`0 0 ${size[0]} ${size[1]}`}
        className="absolute inset-0 h-full w-full"
        aria-hidden="true"
      >
        <path
          d={`M${cross[0] - 9} ${cross[1]}h18M${cross[0]} ${cross[1] - 9}v18`}
          className="stroke-clay"
          strokeWidth={1.6}
        />
      </svg>
    </button>
  );
}

function said(map: BlockMap): string {
  const lasting = map.nodes.filter((n) => n.lasting).map((n) => say`${n.name} always ${n.lasting}`);
  const what = map.ground ? map.headline : map.why_not;
  return [say`Map of ${map.name}`, what, ...lasting].join("; ");
}
