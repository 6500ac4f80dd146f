import { useLayoutEffect, useMemo, useRef } from "react";
import type { BlockContent, Schemas } from "../../api/client";
import { drawSeries } from "./decimate";
import {
  PLOT,
  partsOf,
  STORAGE,
  storageRange,
  straight,
  TOP,
  TRACE,
  traceRange,
  type View,
  WIDTH,
} from "./geometry";

interface LinesProps {
  content: BlockContent;
  station: Schemas["StationOut"];
  view: View;
}

const INK = "#1e1b16";
const INK_2 = "#5c5546";
const DEEP = "#0f4b52";

/** Storage and every trace as lines, on one canvas so that long seasons move smoothly. */
export function LinesCanvas({ content, station, view }: LinesProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const { tracesTop, height } = partsOf(station.traces.length);
  const ranges = useMemo(
    () => ({ storage: storageRange(content), traces: station.traces.map(traceRange) }),
    [content, station],
  );
  useLayoutEffect(() => {
    const node = canvas.current;
    const context = node?.getContext("2d");
    if (!node || !context) return;
    const scale = Math.min(2, window.devicePixelRatio || 1) * Math.max(1, node.clientWidth / PLOT);
    const wide = Math.round(PLOT * scale);
    const tall = Math.round(height * scale);
    if (node.width !== wide || node.height !== tall) {
      node.width = wide;
      node.height = tall;
    }
    context.setTransform(scale, 0, 0, scale, 0, 0);
    context.clearRect(0, 0, PLOT, height);
    context.lineJoin = "round";
    const stroke = (
      values: (number | null)[],
      y: (value: number) => number,
      colour: string,
      thick: number,
    ) => {
      context.beginPath();
      context.strokeStyle = colour;
      context.lineWidth = thick;
      drawSeries(context, content.times, values, view, PLOT, y);
      context.stroke();
    };
    if (ranges.storage)
      stroke(content.storage_mm, straight(ranges.storage, [TOP + STORAGE, TOP + 12]), DEEP, 1.8);
    station.traces.forEach((trace, i) => {
      const top = tracesTop + i * TRACE;
      const y = straight(ranges.traces[i] ?? [0, 1], [top + TRACE - 4, top + 3]);
      stroke(trace.theta, y, trace.in_roots ? INK : INK_2, trace.in_roots ? 1.3 : 1);
    });
  }, [content, station, view, tracesTop, height, ranges]);
  return (
    // biome-ignore lint/a11y/noAriaHiddenOnFocusable: a canvas without tabIndex takes no focus; the drawing behind it is described
    <canvas
      ref={canvas}
      aria-hidden="true"
      className="pointer-events-none absolute top-0 left-0 h-full"
      style={{ width: `${(100 * PLOT) / WIDTH}%` }}
    />
  );
}
