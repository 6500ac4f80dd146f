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
  traceRange,
  type View,
  WIDTH,
} from "./geometry";
import { drawMoving, type Moving } from "./movingParts";

interface LinesProps {
  content: BlockContent;
  station: Schemas["StationOut"];
  view: View;
  /** What is drawn with the lines while the view is dragged; nothing when it stands still. */
  moving: Moving | null;
}

/** Columns a pixel while the view is dragged: coarse enough to be drawn in time. */
const MOVING_COLUMNS = 0.4;
const INK = "#1e1b16";
const INK_2 = "#5c5546";
const DEEP = "#0f4b52";

/** Storage and every trace as lines, on one canvas so that long seasons move smoothly. */
export function LinesCanvas({ content, station, view, moving }: LinesProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const size = useRef(0);
  const { tracesTop, trace: lane, height } = partsOf(station.traces.length);
  const ranges = useMemo(
    () => ({ storage: storageRange(content), traces: station.traces.map(traceRange) }),
    [content, station],
  );
  useLayoutEffect(() => {
    const node = canvas.current;
    const context = node?.getContext("2d");
    if (!node || !context) return;
    if (!moving || size.current === 0) size.current = node.clientWidth;
    const scale = Math.min(2, window.devicePixelRatio || 1) * Math.max(1, size.current / PLOT);
    const wide = Math.round(PLOT * scale);
    const tall = Math.round(height * scale);
    if (node.width !== wide || node.height !== tall) {
      node.width = wide;
      node.height = tall;
    }
    context.setTransform(scale, 0, 0, scale, 0, 0);
    context.clearRect(0, 0, PLOT, height);
    context.lineJoin = "bevel";
    if (moving) {
      const x = (t: number) => ((t - view.start) / (view.end - view.start)) * PLOT;
      drawMoving(context, { ...moving, range: ranges.storage }, view, x);
    }
    const stroke = (
      values: (number | null)[],
      y: (value: number) => number,
      colour: string,
      thick: number,
    ) => {
      context.beginPath();
      context.strokeStyle = colour;
      context.lineWidth = moving ? 1 : thick;
      drawSeries(context, content.times, values, view, PLOT, y, moving ? MOVING_COLUMNS : 1);
      context.stroke();
    };
    if (ranges.storage)
      stroke(content.storage_mm, straight(ranges.storage, [TOP + STORAGE, TOP + 12]), DEEP, 1.8);
    station.traces.forEach((trace, i) => {
      const top = tracesTop + i * lane;
      const y = straight(ranges.traces[i] ?? [0, 1], [top + lane - 4, top + 3]);
      stroke(trace.theta, y, trace.in_roots ? INK : INK_2, trace.in_roots ? 1.3 : 1);
    });
  }, [content, station, view, tracesTop, lane, height, ranges, moving]);
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
