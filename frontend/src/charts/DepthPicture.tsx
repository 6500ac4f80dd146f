import { useEffect, useRef } from "react";
import type { Schemas } from "../api/client";
import { waterColour } from "../lib/waterScale";

interface PictureProps {
  times: number[];
  station: Schemas["StationOut"];
  /** Place in the ladder, as shares of its width and height. */
  place: { left: number; right: number; top: number; bottom: number };
}

/** Depth × time: each layer's share of available water, dry straw to wet teal; blank where nothing was read. */
export function DepthPicture({ times, station, place }: PictureProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    const bottom = station.layers[station.layers.length - 1]?.bottom_cm;
    if (!canvas.current || !context || !bottom) return;
    const { width, height } = canvas.current;
    context.clearRect(0, 0, width, height);
    const first = times[0] ?? 0;
    const span = Math.max(1, (times[times.length - 1] ?? 1) - first + 3600);
    station.traces.forEach((trace, row) => {
      const layer = station.layers[row];
      if (!layer) return;
      const top = (layer.top_cm / bottom) * height;
      const tall = ((layer.bottom_cm - layer.top_cm) / bottom) * height;
      trace.theta.forEach((theta, i) => {
        if (theta === null) return;
        const share = (theta - trace.theta_wilting) / (trace.theta_full - trace.theta_wilting);
        context.fillStyle = waterColour(share);
        context.fillRect(
          (((times[i] ?? 0) - first) / span) * width,
          top,
          (3600 / span) * width + 0.6,
          tall + 0.5,
        );
      });
    });
  }, [times, station]);
  return (
    // biome-ignore lint/a11y/noAriaHiddenOnFocusable: a canvas without tabIndex takes no focus; the ladder beside it is described
    <canvas
      ref={canvas}
      width={1000}
      height={180}
      aria-hidden="true"
      className="pointer-events-none absolute -z-10"
      style={{
        left: `${100 * place.left}%`,
        width: `${100 * (place.right - place.left)}%`,
        top: `${100 * place.top}%`,
        height: `${100 * (place.bottom - place.top)}%`,
      }}
    />
  );
}
