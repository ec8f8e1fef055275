import { type CSSProperties, useLayoutEffect, useRef } from "react";
import { type Bench, useBenchStore } from "./useBench";

/**
 * A picture of what moves with the sticks. It is drawn on a canvas, with every snapshot (25 a second), so that nothing else of the page is laid
 * out or painted for it. `pick`: the figures that it shows; it is drawn anew when one has moved by `least`. What it shows stands in words elsewhere.
 */
export function LiveCanvas({
  width,
  height,
  least,
  pick,
  draw,
  style,
  ...named
}: {
  width: number;
  height: number;
  least: number;
  pick: (bench: Bench) => (number | null | undefined)[];
  draw: (pen: CanvasRenderingContext2D, bench: Bench) => void;
  style?: CSSProperties;
  "data-live"?: string;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  useLayoutEffect(() => {
    const sheet = canvas.current;
    const pen = sheet?.getContext("2d");
    if (!sheet || !pen) return;
    const sharp = window.devicePixelRatio || 1;
    sheet.width = Math.round(width * sharp);
    sheet.height = Math.round(height * sharp);
    pen.setTransform(sharp, 0, 0, sharp, 0, 0);
    let last: (number | null | undefined)[] | undefined;
    const show = (bench: Bench) => {
      const now = pick(bench);
      if (last?.every((was, index) => !moved(was, now[index], least))) return;
      last = now;
      pen.clearRect(0, 0, width, height);
      draw(pen, bench);
      sheet.dataset.drawn = String(Number(sheet.dataset.drawn ?? 0) + 1);
    };
    show(useBenchStore.getState());
    return useBenchStore.subscribe(show);
  });
  return (
    <div aria-hidden="true" style={style}>
      <canvas ref={canvas} style={{ display: "block", width, height }} {...named} />
    </div>
  );
}

function moved(was: number | null | undefined, now: number | null | undefined, least: number): boolean {
  return was == null || now == null ? was !== now : Math.abs(was - now) >= least;
}
