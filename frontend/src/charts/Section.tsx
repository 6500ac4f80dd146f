import type { Schemas } from "../api/client";
import { show, type UnitSystem } from "../lib/units";
import { waterColour } from "../lib/waterScale";
import { say } from "../lib/words";

type Layer = Schemas["LayerOut"];

const WIDTH = 322;
const LEFT = 34;
const WIDEST = 172;
const HEIGHT = 520;
const SOAKED_ROOM = 1.22;

interface SectionProps {
  layers: Layer[];
  rootDepthCm: number | null;
  units: UnitSystem;
  /** Which of the coming days the dashed outlines are drawn for; the refill day if absent. */
  dayAhead?: number | undefined;
  /** Share of the uptake of each layer, in the order of the layers. */
  uptake?: Schemas["LayerUptakeOut"][];
  seenRootsCm?: number | null;
}

/** The profile as a stack of trays in true depth, each as wide as the water its layer can hold. */
export function Section({
  layers,
  rootDepthCm,
  units,
  dayAhead,
  uptake = [],
  seenRootsCm = null,
}: SectionProps) {
  const bottom = layers[layers.length - 1]?.bottom_cm ?? 1;
  const most = Math.max(...layers.map((l) => l.capacity_mm));
  const y = (cm: number) => 4 + (cm / bottom) * (HEIGHT - 18);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="block w-full max-w-[420px]"
      role="img"
      aria-label={sectionLabel(layers, units)}
    >
      {layers.map((layer) => (
        <Tray
          key={layer.sensor}
          layer={layer}
          width={(WIDEST * layer.capacity_mm) / most}
          y={y}
          rootAt={rootDepthCm === null ? null : y(rootDepthCm)}
          units={units}
          projectedMm={dayAhead === undefined ? layer.projected_mm : (layer.ahead_mm[dayAhead] ?? null)}
          drinks={uptake.find((u) => u.depth_cm === layer.depth_cm)}
        />
      ))}
      {uptake.length > 0 && (
        <text
          x={WIDTH}
          y={HEIGHT - 1}
          textAnchor="end"
          className="fill-ink-2 text-[11px]"
        >{say`% under a depth: its share of the uptake`}</text>
      )}
      {seenRootsCm !== null && Math.abs(seenRootsCm - (rootDepthCm ?? 0)) > 5 && (
        <g>
          <line
            x1={LEFT - 4}
            x2={WIDTH}
            y1={y(seenRootsCm)}
            y2={y(seenRootsCm)}
            className="stroke-ink-2"
            strokeDasharray="1.5 3"
            strokeWidth={1.6}
          />
          <text
            x={WIDTH}
            y={y(seenRootsCm) + (rootDepthCm !== null && rootDepthCm < seenRootsCm ? 12 : -4)}
            textAnchor="end"
            className="fill-ink-2 stroke-paper text-[11px] [paint-order:stroke]"
            strokeWidth={3}
          >{say`roots seen to ${show(seenRootsCm, "soilDepth", units)}`}</text>
        </g>
      )}
      {rootDepthCm !== null && (
        <g>
          <line
            x1={LEFT - 4}
            x2={WIDTH}
            y1={y(rootDepthCm)}
            y2={y(rootDepthCm)}
            className="stroke-ink"
            strokeWidth={1.6}
            strokeDasharray="7 4"
          />
          <text
            x={WIDTH}
            y={y(rootDepthCm) - 4}
            textAnchor="end"
            className="fill-ink stroke-paper text-[11.5px] [paint-order:stroke]"
            strokeWidth={3}
          >{say`root front ${show(rootDepthCm, "soilDepth", units)}`}</text>
        </g>
      )}
    </svg>
  );
}

interface TrayProps {
  layer: Layer;
  width: number;
  y: (cm: number) => number;
  rootAt: number | null;
  units: UnitSystem;
  projectedMm: number | null;
  drinks: Schemas["LayerUptakeOut"] | undefined;
}

function Tray({ layer, width, y, rootAt, units, projectedMm, drinks }: TrayProps) {
  const top = y(layer.top_cm) + 1.5;
  const height = y(layer.bottom_cm) - y(layer.top_cm) - 3;
  const share = layer.share;
  const watched = layer.used_cm === 0;
  const filled = share === null ? 0 : width * Math.min(SOAKED_ROOM, Math.max(0, share));
  const projected =
    projectedMm === null ? null : width * Math.min(SOAKED_ROOM, Math.max(0, projectedMm) / layer.capacity_mm);
  const centre = top + height / 2 + 4;
  const crossed = rootAt !== null && rootAt > centre - 30 && rootAt < centre + 4;
  const middle = crossed ? Math.max(top + 12, rootAt - 24) : centre;
  return (
    <g>
      <text x={LEFT - 8} y={middle} textAnchor="end" className="fill-ink-2 text-[12px]">
        {show(layer.depth_cm, "soilDepth", units, false)}
      </text>
      <g opacity={watched ? 0.42 : 1}>
        <rect
          x={LEFT}
          y={top}
          width={width}
          height={height}
          className="fill-panel stroke-ink"
          strokeWidth={1.3}
        />
        {share !== null && (
          <rect
            x={LEFT + 0.7}
            y={top + 0.7}
            width={Math.max(0, filled - 0.7)}
            height={height - 1.4}
            fill={waterColour(share)}
          />
        )}
        <line
          x1={LEFT + width * layer.refill_share}
          x2={LEFT + width * layer.refill_share}
          y1={top - 2}
          y2={top + height + 2}
          className="stroke-ink"
          strokeWidth={1.5}
          strokeDasharray="2 2"
        />
        <line
          x1={LEFT + width}
          x2={LEFT + width}
          y1={top}
          y2={top + height}
          className="stroke-ink"
          strokeWidth={2}
        />
        {projected !== null && (
          <rect
            x={LEFT}
            y={top + 2}
            width={projected}
            height={height - 4}
            fill="none"
            className="stroke-ink"
            strokeDasharray="5 3"
          />
        )}
      </g>
      <TrayWords layer={layer} x={LEFT + Math.max(width, filled) + 7} y={middle} units={units} />
      {drinks && height > 26 && (
        <text
          x={LEFT - 8}
          y={middle + 12}
          textAnchor="end"
          className={`text-[10.5px] ${drinks.active ? "fill-ink" : "fill-ink-2"}`}
        >
          {Math.round(100 * drinks.share)} %
          <title>
            {say`roots take ${show(drinks.mm_d, "use", units)} here, ${Math.round(100 * drinks.share)} % of all`}
          </title>
        </text>
      )}
    </g>
  );
}

function TrayWords({ layer, x, y, units }: { layer: Layer; x: number; y: number; units: UnitSystem }) {
  if (layer.water_mm === null) {
    return <text x={x} y={y} className="fill-ink-2 text-[11.5px]">{say`no reading`}</text>;
  }
  const above = layer.water_mm > layer.capacity_mm * 1.02;
  return (
    <text x={x} y={y} className="fill-ink-2 text-[12.5px]">
      <tspan className="fill-ink font-bold">{show(layer.water_mm, "depth", units, false)}</tspan>{" "}
      {say`of ${show(layer.capacity_mm, "depth", units)}${layer.filled_in ? " ~" : above ? say`, over` : ""}`}
    </text>
  );
}

function sectionLabel(layers: Layer[], units: UnitSystem): string {
  const trays = layers.map((l) => {
    const depth = show(l.depth_cm, "soilDepth", units);
    return l.water_mm === null
      ? say`${depth}: no reading`
      : say`${depth}: ${show(l.water_mm, "depth", units, false)} of ${show(l.capacity_mm, "depth", units)}`;
  });
  return say`Water by layer, of what each can hold. ${trays.join("; ")}`;
}
