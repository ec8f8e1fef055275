import { type KeyboardEvent, type PointerEvent, type RefObject, useCallback, useEffect, useRef, useState } from "react";

export interface Span {
  start: number;
  end: number;
}

/** A stretch of time on a canvas that is moved and zoomed by wheel, drag and keys, within `whole`, down to `least` seconds. */
export function useStretch(whole: Span, least: number, first: Span, canvas: RefObject<HTMLCanvasElement | null>) {
  const [span, setSpan] = useState(first);
  const dragged = useRef<{ x: number; span: Span; moved: boolean } | null>(null);
  const within = useCallback(
    (start: number, end: number): Span => {
      const all = whole.end - whole.start;
      const size = Math.min(all, Math.max(least, end - start));
      const from = Math.min(Math.max(whole.start, start), whole.end - size);
      return { start: from, end: from + size };
    },
    [whole.start, whole.end, least],
  );
  const zoom = useCallback(
    (by: number, at = 0.5) =>
      setSpan((now) => {
        const size = Math.min(whole.end - whole.start, Math.max(least, (now.end - now.start) * by));
        const fixed = now.start + at * (now.end - now.start);
        return within(fixed - at * size, fixed + (1 - at) * size);
      }),
    [whole.start, whole.end, least, within],
  );
  const move = useCallback(
    (share: number) => setSpan((now) => within(now.start + share * (now.end - now.start), now.end + share * (now.end - now.start))),
    [within],
  );
  const show = useCallback((start: number, end: number) => setSpan(within(start, end)), [within]);

  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    const onWheel = (event: WheelEvent) => {
      event.preventDefault();
      const box = element.getBoundingClientRect();
      if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) move((event.deltaX || event.deltaY) / 800);
      else zoom(1.0015 ** event.deltaY, (event.clientX - box.left) / box.width);
    };
    element.addEventListener("wheel", onWheel, { passive: false });
    return () => element.removeEventListener("wheel", onWheel);
  }, [canvas, move, zoom]);

  const share = (event: PointerEvent) => {
    const box = event.currentTarget.getBoundingClientRect();
    return (event.clientX - box.left) / box.width;
  };
  /** Handlers for the canvas; `onPick` is told the time that was clicked. */
  const handlers = (onPick?: (t: number) => void) => ({
    onPointerDown: (event: PointerEvent) => {
      event.currentTarget.setPointerCapture(event.pointerId);
      dragged.current = { x: share(event), span, moved: false };
    },
    onPointerMove: (event: PointerEvent) => {
      const from = dragged.current;
      if (!from) return;
      const by = share(event) - from.x;
      from.moved = from.moved || Math.abs(by) > 0.004;
      const size = from.span.end - from.span.start;
      if (from.moved) setSpan(within(from.span.start - by * size, from.span.end - by * size));
    },
    onPointerUp: (event: PointerEvent) => {
      const from = dragged.current;
      dragged.current = null;
      if (from && !from.moved) onPick?.(span.start + share(event) * (span.end - span.start));
    },
    onKeyDown: (event: KeyboardEvent) => {
      const known: Record<string, () => void> = {
        ArrowLeft: () => move(-0.2),
        ArrowRight: () => move(0.2),
        "+": () => zoom(0.5),
        "=": () => zoom(0.5),
        "-": () => zoom(2),
        Home: () => show(whole.start, whole.start + (span.end - span.start)),
        End: () => show(whole.end - (span.end - span.start), whole.end),
      };
      if (known[event.key]) {
        event.preventDefault();
        event.stopPropagation();
        known[event.key]?.();
      }
    },
  });
  return { span, zoom, move, show, handlers };
}

/** Draw on a canvas at the screen's own resolution whenever `draw` changes, and when the canvas changes its size. */
export function useDrawing(
  canvas: RefObject<HTMLCanvasElement | null>,
  draw: (pen: CanvasRenderingContext2D, width: number, height: number) => void,
) {
  useEffect(() => {
    const element = canvas.current;
    if (!element) return;
    let asked = 0;
    const paint = () => {
      asked = 0;
      const { clientWidth: width, clientHeight: height } = element;
      const ratio = window.devicePixelRatio || 1;
      if (element.width !== width * ratio) element.width = width * ratio;
      if (element.height !== height * ratio) element.height = height * ratio;
      const pen = element.getContext("2d");
      if (!pen || width === 0) return;
      pen.setTransform(ratio, 0, 0, ratio, 0, 0);
      pen.clearRect(0, 0, width, height);
      draw(pen, width, height);
    };
    const ask = () => {
      if (!asked) asked = requestAnimationFrame(paint);
    };
    ask();
    const watcher = new ResizeObserver(ask);
    watcher.observe(element);
    return () => {
      cancelAnimationFrame(asked);
      watcher.disconnect();
    };
  }, [canvas, draw]);
}

/** The first place in an ascending list whose value is not below `value`. */
export function lowerBound(list: readonly number[], value: number): number {
  let low = 0;
  let high = list.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((list[middle] as number) < value) low = middle + 1;
    else high = middle;
  }
  return low;
}
