import { bisectRight } from "d3-array";
import { useLayoutEffect, useRef } from "react";
import type { Schemas } from "../../api/client";
import { waterColour } from "../../lib/waterScale";
import type { View } from "./geometry";

const COLUMNS = 500;
const JOINED_S = 6 * 3600;
const SHADES = Array.from({ length: 65 }, (_, i) => waterColour(i / 64));

interface PictureProps {
  times: number[];
  station: Schemas["StationOut"];
  view: View;
  /** Place in the ladder, as shares of its width and height. */
  place: { right: number; top: number; bottom: number };
}

/** Depth × time: each layer's share of available water, dry straw to wet teal; blank where nothing was read. */
export function DepthPicture({ times, station, view, place }: PictureProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useLayoutEffect(() => {
    const context = canvas.current?.getContext("2d");
    const bottom = station.layers[station.layers.length - 1]?.bottom_cm;
    if (!canvas.current || !context || !bottom) return;
    const { width, height } = canvas.current;
    context.clearRect(0, 0, width, height);
    const places = columnPlaces(times, view);
    station.traces.forEach((trace, row) => {
      const layer = station.layers[row];
      if (!layer) return;
      const top = (layer.top_cm / bottom) * height;
      const tall = ((layer.bottom_cm - layer.top_cm) / bottom) * height;
      const span = trace.theta_full - trace.theta_wilting;
      places.forEach((at, column) => {
        const theta = at < 0 ? null : trace.theta[at];
        if (theta === null || theta === undefined) return;
        const share = (theta - trace.theta_wilting) / span;
        context.fillStyle = SHADES[Math.round(64 * Math.min(1, Math.max(0, share)))] ?? "";
        context.fillRect((column / COLUMNS) * width, top, width / COLUMNS + 0.6, tall + 0.5);
      });
    });
  }, [times, station, view]);
  return (
    // biome-ignore lint/a11y/noAriaHiddenOnFocusable: a canvas without tabIndex takes no focus; the ladder beside it is described
    <canvas
      ref={canvas}
      width={1000}
      height={180}
      aria-hidden="true"
      className="pointer-events-none absolute left-0 -z-10"
      style={{
        width: `${100 * place.right}%`,
        top: `${100 * place.top}%`,
        height: `${100 * (place.bottom - place.top)}%`,
      }}
    />
  );
}

/** For each column of the picture the reading nearest before its middle, -1 where none is near. */
function columnPlaces(times: number[], view: View): number[] {
  return Array.from({ length: COLUMNS }, (_, column) => {
    const instant = view.start + ((column + 0.5) / COLUMNS) * (view.end - view.start);
    const at = bisectRight(times, instant) - 1;
    return at >= 0 && instant - (times[at] ?? 0) <= JOINED_S ? at : -1;
  });
}
