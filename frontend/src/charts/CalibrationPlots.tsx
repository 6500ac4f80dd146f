import { scaleLinear } from "d3-scale";
import type { Schemas } from "../api/client";
import { say } from "../lib/words";
import { EDGE, Frame, pathOf, percentText, roundTicks } from "./Frame";

type Worked = Schemas["SheetWorked"];
type Row = Schemas["SampleWorked"];
const WIDTH = 420;
const HEIGHT = 300;
const SMALL = 240;

interface PlotProps {
  worked: Worked;
  unit: string;
  hovered: number | null;
  hover: (row: number | null) => void;
}

/** Weighed water against the reading beside it, with the curve and the band nine in ten readings fall in. */
export function CurvePlot({ worked, unit, hovered, hover }: PlotProps) {
  const rows = known(worked.rows);
  const raws = [...rows.map((r) => r.raw), ...worked.curve.map((p) => p.raw)];
  const thetas = [...rows.map((r) => r.theta), ...worked.curve.flatMap((p) => [p.low, p.high])];
  const x = scaleLinear(padded(raws), [EDGE.left, WIDTH - EDGE.right]);
  const y = scaleLinear(padded(thetas, 0), [HEIGHT - EDGE.bottom, EDGE.top]);
  const [low = 0, high = 1] = x.domain();
  const [least = 0, most = 1] = y.domain();
  const band = [
    ...worked.curve.map((p): [number, number] => [x(p.raw), y(p.low)]),
    ...worked.curve.map((p): [number, number] => [x(p.raw), y(p.high)]).reverse(),
  ];
  return (
    <Frame
      width={WIDTH}
      height={HEIGHT}
      label={say`Weighed water against readings, ${rows.length} samples${worked.shown ? say`, ${worked.shown} curve` : say`, no curve`}`}
      x={x}
      y={y}
      xTicks={roundTicks(low, high, 5, (v) => String(Number(v.toPrecision(4))))}
      yTicks={roundTicks(least, most, 5, percentText)}
      xTitle={say`reading, ${unit}`}
      yTitle={say`weighed water, % by volume`}
    >
      {band.length > 2 && <path d={`${pathOf(band)}Z`} className="fill-band" />}
      <path
        d={pathOf(worked.curve.map((p) => [x(p.raw), y(p.theta)]))}
        fill="none"
        className="stroke-deep"
        strokeWidth={2}
      />
      {rows.map((r) => (
        <Dot key={r.index} row={r} x={x(r.raw)} y={y(r.theta)} hovered={hovered === r.index} hover={hover} />
      ))}
    </Frame>
  );
}

/** What the curve makes of each reading against what was weighed: on the line they are the same. */
export function OneToOne({ worked, hovered, hover }: Omit<PlotProps, "unit">) {
  const rows = known(worked.rows).filter((r) => r.predicted !== null);
  const all = rows.flatMap((r) => [r.theta, r.predicted ?? 0]);
  const scale = padded(all, 0);
  const x = scaleLinear(scale, [EDGE.left, SMALL - EDGE.right]);
  const y = scaleLinear(scale, [SMALL - EDGE.bottom, EDGE.top]);
  const ticks = roundTicks(scale[0], scale[1], 4, percentText);
  return (
    <Frame
      width={SMALL}
      height={SMALL}
      label={say`Curve against weighed, ${rows.length} samples`}
      x={x}
      y={y}
      xTicks={ticks}
      yTicks={ticks}
      xTitle={say`weighed, %`}
      yTitle={say`by the curve, %`}
    >
      <line
        x1={x(scale[0])}
        y1={y(scale[0])}
        x2={x(scale[1])}
        y2={y(scale[1])}
        className="stroke-ink-2"
        strokeDasharray="4 3"
      />
      {rows.map((r) => (
        <Dot
          key={r.index}
          row={r}
          x={x(r.theta)}
          y={y(r.predicted ?? 0)}
          hovered={hovered === r.index}
          hover={hover}
        />
      ))}
    </Frame>
  );
}

/** By how much the curve misses each sample, over the readings. */
export function Residuals({ worked, unit, hovered, hover }: PlotProps) {
  const rows = known(worked.rows).filter((r) => r.residual !== null);
  const most = Math.max(0.02, ...rows.map((r) => Math.abs(r.residual ?? 0))) * 1.15;
  const x = scaleLinear(padded(rows.map((r) => r.raw)), [EDGE.left, SMALL - EDGE.right]);
  const y = scaleLinear([-most, most], [SMALL - EDGE.bottom, EDGE.top]);
  const [low = 0, high = 1] = x.domain();
  return (
    <Frame
      width={SMALL}
      height={SMALL}
      label={say`Residuals of ${rows.length} samples`}
      x={x}
      y={y}
      xTicks={roundTicks(low, high, 3, (v) => String(Number(v.toPrecision(4))))}
      yTicks={roundTicks(-most, most, 4, (v) => (v * 100).toFixed(1).replace("-", "−"))}
      xTitle={say`reading, ${unit}`}
      yTitle={say`curve less weighed, %`}
    >
      <line x1={EDGE.left} x2={SMALL - EDGE.right} y1={y(0)} y2={y(0)} className="stroke-ink" />
      {rows.map((r) => (
        <Dot
          key={r.index}
          row={r}
          x={x(r.raw)}
          y={y(r.residual ?? 0)}
          hovered={hovered === r.index}
          hover={hover}
        />
      ))}
    </Frame>
  );
}

type Known = Row & { index: number; raw: number; theta: number };

function known(rows: Row[]): Known[] {
  return rows.flatMap((r, index) =>
    r.raw === null || r.theta === null || r.raw === undefined || r.theta === undefined
      ? []
      : [{ ...r, index, raw: r.raw, theta: r.theta }],
  );
}

function padded(values: number[], floor?: number): [number, number] {
  if (values.length === 0) return [0, 1];
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const room = (high - low || Math.abs(high) || 1) * 0.06;
  return [floor === undefined ? low - room : Math.max(floor, low - room), high + room];
}

interface DotProps {
  row: Known;
  x: number;
  y: number;
  hovered: boolean;
  hover: (row: number | null) => void;
}

/** A sample: filled when it is used, open when it is left out, ringed when it looks wrong. */
function Dot({ row, x, y, hovered, hover }: DotProps) {
  const far = row.cautions.length > 0;
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the table beside carries the same, by keyboard
    <g onMouseEnter={() => hover(row.index)} onMouseLeave={() => hover(null)}>
      {(far || hovered) && (
        <circle cx={x} cy={y} r={hovered ? 9 : 7.5} fill="none" className="stroke-ink" strokeWidth={1.2} />
      )}
      <circle
        cx={x}
        cy={y}
        r={4}
        className={row.used ? "fill-deep" : "fill-panel stroke-ink-2"}
        strokeWidth={1.5}
      />
      {hovered && (
        <text
          x={x}
          y={y - 13}
          textAnchor="middle"
          className="fill-ink text-[11px]"
        >{say`row ${row.index + 1}`}</text>
      )}
    </g>
  );
}
