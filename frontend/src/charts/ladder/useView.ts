import { type KeyboardEvent, type PointerEvent, useEffect, useRef, useState } from "react";
import { DAY, PLOT, type View, WIDTH } from "./geometry";

const SHORTEST = 2 * DAY;

export interface ViewControls {
  view: View;
  zoomed: boolean;
  moving: boolean;
  zoom: (factor: number, around?: number) => void;
  pan: (seconds: number) => void;
  reset: () => void;
  onPointerDown: (event: PointerEvent<Element>) => void;
  onPointerMove: (event: PointerEvent<Element>) => boolean;
  onPointerUp: (event: PointerEvent<Element>) => void;
  onKeyDown: (event: KeyboardEvent<Element>) => void;
}

/** The span shown out of what there is: dragged along, drawn nearer or wider, never beyond the ends. */
export function useView(whole: View): ViewControls {
  const [view, setView] = useState(whole);
  const [moving, setMoving] = useState(false);
  const drag = useRef<{ x: number; view: View; width: number } | null>(null);
  const frame = useRef(0);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another span of readings starts from its whole
  useEffect(() => setView(whole), [whole.start, whole.end]);
  useEffect(() => () => cancelAnimationFrame(frame.current), []);
  const put = (next: View) => {
    cancelAnimationFrame(frame.current);
    frame.current = requestAnimationFrame(() => setView(held(next, whole)));
  };
  const zoom = (factor: number, around = (view.start + view.end) / 2) => {
    const span = Math.max(SHORTEST, (view.end - view.start) * factor);
    const share = (around - view.start) / (view.end - view.start);
    put({ start: around - share * span, end: around + (1 - share) * span });
  };
  const pan = (seconds: number) => put({ start: view.start + seconds, end: view.end + seconds });
  return {
    view,
    zoomed: view.start > whole.start + 1 || view.end < whole.end - 1,
    moving,
    zoom,
    pan,
    reset: () => put(whole),
    onPointerDown: (event) => {
      if (event.button !== 0) return;
      drag.current = { x: event.clientX, view, width: event.currentTarget.getBoundingClientRect().width };
    },
    onPointerMove: (event) => {
      const from = drag.current;
      if (!from || event.buttons === 0) return false;
      setMoving(true);
      const moved = ((event.clientX - from.x) / from.width) * (WIDTH / PLOT);
      const seconds = -moved * (from.view.end - from.view.start);
      put({ start: from.view.start + seconds, end: from.view.end + seconds });
      return true;
    },
    onPointerUp: () => {
      drag.current = null;
      setMoving(false);
    },
    onKeyDown: (event) => {
      const step = (view.end - view.start) / 8;
      const act = {
        ArrowLeft: () => pan(-step),
        ArrowRight: () => pan(step),
        "+": () => zoom(0.7),
        "-": () => zoom(1.4),
        Home: () => put(whole),
      }[event.key];
      if (!act) return;
      event.preventDefault();
      act();
    },
  };
}

/** A view moved back inside what there is. */
export function held(view: View, whole: View): View {
  const span = Math.min(view.end - view.start, whole.end - whole.start);
  const start = Math.min(Math.max(view.start, whole.start), whole.end - span);
  return { start, end: start + span };
}
