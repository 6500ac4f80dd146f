import { useEffect, useRef } from "react";
import { waterColour } from "../../lib/waterScale";
import { Wide } from "../../ui/Wide";
import { cellValues, type Span, unsure, wetness } from "./cells";
import type { BlockMap } from "./queries";

const WIDTH = 760;
const PAD = 26;
const DRY = 0.45; // below which a figure on its colour is written in ink

interface MapDrawingProps {
  map: BlockMap;
  values: Map<string, number>;
  span: Span;
  figure: (value: number) => string;
}

/** The block from above: ground by the nodes' weights, paper showing through where it is unsure, every node with its figure. */
export function MapDrawing({ map, values, span, figure }: MapDrawingProps) {
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
    const bottom = height - PAD - (ground.south_m - south) * scale;
    cellValues(ground, values).forEach((value, n) => {
      const place = ground.inside[n];
      if (value === null || place === undefined) return;
      const column = place % ground.columns;
      const row = Math.floor(place / ground.columns);
      const cx = left + column * side;
      const cy = bottom - (row + 1) * side;
      pen.fillStyle = waterColour(wetness(map, span, value));
      pen.fillRect(cx, cy, side + 0.6, side + 0.6);
      const doubt = unsure(ground, n);
      if ((column + row) % 2 === 0 && doubt > 0.25) {
        pen.fillStyle = "#F6F1E6";
        pen.beginPath();
        pen.arc(cx + side / 2, cy + side / 2, side * 0.6 * doubt * doubt, 0, 2 * Math.PI);
        pen.fill();
      }
    });
    pen.restore();
  }, [map, values, span, scale, height, west, south]);

  return (
    <Wide label="Drawing of the map">
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
                  >
                    always {node.lasting}
                  </text>
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
      </div>
    </Wide>
  );
}

function said(map: BlockMap): string {
  const lasting = map.nodes.filter((n) => n.lasting).map((n) => `${n.name} always ${n.lasting}`);
  const what = map.ground ? map.headline : map.why_not;
  return [`Map of ${map.name}`, what, ...lasting].join("; ");
}
