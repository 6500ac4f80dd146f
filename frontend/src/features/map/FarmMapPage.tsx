import { useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { useAsOf, useKeepAsOf, useUnits } from "../../app/farm";
import type { UnitSystem } from "../../lib/units";
import { waterColour } from "../../lib/waterScale";
import { say } from "../../lib/words";
import { Choice } from "../../ui/Field";
import { Wide } from "../../ui/Wide";
import { figureFor, Scale, unitOf, WHAT } from "./figures";
import { type FarmFromAbove, useFarmMap, type What } from "./queries";

const WIDTH = 980;
const PAD = 18;
type Block = FarmFromAbove["blocks"][number];

/** The farm from above: every block with its water, drawn between the nodes where that is no invention. */
export function FarmMapPage() {
  const [asOf] = useAsOf();
  const [what, setWhat] = useState<What>("available");
  const found = useFarmMap(asOf, what);
  if (found.isPending) return <p className="secondary py-6">{say`Drawing the farm …`}</p>;
  if (found.isError) return <p className="py-6">{found.error.message}</p>;
  const farm = found.data;
  return (
    <div className="py-1">
      <h1>{sentence(farm)}</h1>
      <div className="mt-2 max-w-sm">
        <Choice label={say`What`} value={what} options={WHAT} change={(v) => setWhat(v as What)} />
      </div>
      {farm.blocks.length === 0 ? (
        <p className="mt-3">{say`No block has an outline yet: draw it on the set-up page.`}</p>
      ) : (
        <Drawn farm={farm} what={what} />
      )}
      {farm.nowhere.length > 0 && (
        <p className="mt-2">{say`Without an outline: ${farm.nowhere.join(", ")}.`}</p>
      )}
    </div>
  );
}

function sentence(farm: FarmFromAbove): string {
  const known = farm.blocks.filter((b) => b.value !== null);
  const drawn = farm.blocks.filter((b) => b.cells).length;
  const within = drawn === 1 ? say`one is known within itself` : say`${drawn} are known within themselves`;
  return say`The farm from above: ${known.length} of ${farm.blocks.length} blocks tell this${drawn ? `, ${within}` : ""}`;
}

function spanOf(farm: FarmFromAbove): { low: number; high: number } {
  if (farm.what === "available" || farm.what === "index") return { low: 0, high: 1 };
  const all = farm.blocks.flatMap((b) => [b.lowest, b.highest]).filter((v) => v !== null);
  const low = Math.min(...all);
  const high = Math.max(...all);
  return all.length > 0 && high > low ? { low, high } : { low: 0, high: 1 };
}

function Drawn({ farm, what }: { farm: FarmFromAbove; what: What }) {
  const units = useUnits();
  const keep = useKeepAsOf();
  const canvas = useRef<HTMLCanvasElement>(null);
  const corners = farm.blocks.flatMap((b) => b.outline);
  const west = Math.min(...corners.map((c) => c.x_m));
  const south = Math.min(...corners.map((c) => c.y_m));
  const wide = Math.max(...corners.map((c) => c.x_m)) - west;
  const tall = Math.max(...corners.map((c) => c.y_m)) - south;
  const scale = (WIDTH - 2 * PAD) / Math.max(wide, tall * 1.6, 1);
  const height = Math.round(tall * scale + 2 * PAD);
  const span = spanOf(farm);
  const wet = (value: number) => {
    const share = Math.min(1, Math.max(0, (value - span.low) / (span.high - span.low)));
    return what === "depletion" || what === "salinity" ? 1 - share : share;
  };
  const x = (m: number) => PAD + (m - west) * scale;
  const y = (m: number) => height - PAD - (m - south) * scale;
  const points = (b: Block) => b.outline.map((c) => `${x(c.x_m)},${y(c.y_m)}`).join(" ");

  useEffect(() => {
    const pen = canvas.current?.getContext("2d");
    if (!pen) return;
    pen.clearRect(0, 0, WIDTH, height);
    for (const block of farm.blocks) {
      const { cells } = block;
      if (!cells) continue;
      pen.save();
      pen.beginPath();
      for (const c of block.outline) pen.lineTo(x(c.x_m), y(c.y_m));
      pen.clip();
      const side = cells.cell_m * scale;
      cells.inside.forEach((place, n) => {
        const value = cells.values[n];
        if (value === null || value === undefined) return;
        pen.fillStyle = waterColour(wet(value));
        const column = place % cells.columns;
        const row = Math.floor(place / cells.columns) + 1;
        pen.fillRect(
          x(cells.west_m + column * cells.cell_m),
          y(cells.south_m + row * cells.cell_m),
          side + 0.6,
          side + 0.6,
        );
      });
      pen.restore();
    }
  });

  const figure = figureFor(what, units);
  return (
    <>
      <Wide label={say`Drawing of the farm`}>
        <div className="relative min-w-[640px] max-w-[980px]" style={{ aspectRatio: `${WIDTH} / ${height}` }}>
          <canvas ref={canvas} width={WIDTH} height={height} className="absolute inset-0 h-full w-full" />
          <svg viewBox={`0 0 ${WIDTH} ${height}`} className="absolute inset-0 h-full w-full" role="img">
            <title>{said(farm, what, units)}</title>
            {farm.blocks.map((b) => (
              <polygon
                key={b.key}
                points={points(b)}
                className="stroke-ink"
                strokeWidth={1.2}
                fill={b.cells ? "none" : b.value === null ? "#F6F1E6" : waterColour(wet(b.value))}
              />
            ))}
            {farm.blocks.map((b) => (
              <Label key={b.key} block={b} at={[x(middle(b, "x_m")), y(middle(b, "y_m"))]} figure={figure} />
            ))}
          </svg>
        </div>
      </Wide>
      <Scale
        what={what}
        span={span}
        figure={figure}
        unit={unitOf(what, units)}
      >{say`one colour where a block has too few nodes to tell its places apart`}</Scale>
      <ul className="mt-3 max-w-[760px]">
        {farm.blocks.map((b) => (
          <li key={b.key} className="flex flex-wrap gap-x-4 border-t border-rule py-1">
            <Link className="min-w-[8rem] font-bold hover:underline" to={keep(`/block/${b.key}/map`)}>
              {b.name}
            </Link>
            <span className="figure">{blockText(b, what, units)}</span>
            {!b.cells && b.why_not && <span className="secondary">{b.why_not}</span>}
          </li>
        ))}
      </ul>
    </>
  );
}

const middle = (b: Block, axis: "x_m" | "y_m") => {
  const all = b.outline.map((c) => c[axis]);
  return (Math.min(...all) + Math.max(...all)) / 2;
};

function Label({
  block,
  at,
  figure,
}: {
  block: Block;
  at: [number, number];
  figure: (value: number) => string;
}) {
  const text = block.value === null ? block.name : `${block.name} ${figure(block.value)}`;
  return (
    <text
      x={at[0]}
      y={at[1] + 5}
      textAnchor="middle"
      strokeWidth={4}
      className="fill-ink stroke-panel text-[14px] font-bold [paint-order:stroke]"
    >
      {text}
    </text>
  );
}

function blockText(b: Block, what: What, units: UnitSystem): string {
  if (b.value === null) return say`no reading`;
  const figure = figureFor(what, units);
  const unit = unitOf(what, units);
  const range =
    b.nodes > 1 && b.lowest !== null && b.highest !== null
      ? say`, ${figure(b.lowest)} to ${figure(b.highest)}`
      : "";
  return `${figure(b.value)} ${unit}${range}, ${b.nodes} ${b.nodes === 1 ? say`station` : say`stations`}`;
}

function said(farm: FarmFromAbove, what: What, units: UnitSystem): string {
  return say`The farm from above: ${farm.blocks.map((b) => `${b.name} ${blockText(b, what, units)}`).join("; ")}`;
}
