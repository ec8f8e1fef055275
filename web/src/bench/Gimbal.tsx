import { memo, type PointerEvent } from "react";
import { colours, solid } from "../look/colours";
import { usePhone } from "../look/phone";
import { LiveCanvas } from "./LiveCanvas";
import { type Side, throttleSide } from "./sticks";
import type { Stick } from "./types";
import { letGo, moveStick } from "./useBenchKeys";
import { useDrawn } from "./useDrawn";

const SIZE = 118;
const THUMB_SIZE = 160; // two beside each other on a screen of 360 px
const RANGE = 44;
const KNOB = 12;
const KNOB_RING = 6.5;

/** A gimbal to drag, or to move with the keys while it has the focus. */
export const Gimbal = memo(function Gimbal({ side, stickMode }: { side: Side; stickMode: number }) {
  const phone = usePhone();
  const size = phone ? THUMB_SIZE : SIZE;
  const field = useDrawn<SVGSVGElement>(
    ({ live }) => (live ? `${live[side].x.toFixed(2)} ${live[side].y.toFixed(2)}` : ""),
    (element, at) => {
      element.dataset.at = at;
    },
  );
  const move = (event: PointerEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const half = box.width / 2;
    const range = (RANGE * box.width) / SIZE;
    moveStick(side, { x: (event.clientX - box.left - half) / range, y: -(event.clientY - box.top - half) / range });
  };
  const keys = side === "left" ? "W A S D" : "arrow keys";
  const holds = side === throttleSide(stickMode) ? ", throttle stays where it is left" : "";
  return (
    <div style={{ textAlign: "center", userSelect: "none" }}>
      <div style={{ position: "relative", contain: "content" }}>
        <svg
          ref={field}
          viewBox={`0 0 ${SIZE} ${SIZE}`}
          width={size}
          height={size}
          // biome-ignore lint/a11y/noNoninteractiveTabindex: a gimbal has two axes, so no single-value role fits; keys move it
          tabIndex={0}
          role="img"
          data-gimbal={side}
          aria-label={`${side} gimbal, ${keys}${holds}`}
          style={{ touchAction: "none", cursor: "grab", display: "block", borderRadius: 14, outlineOffset: -2 }}
          onPointerDown={(event) => {
            event.currentTarget.setPointerCapture(event.pointerId);
            move(event);
          }}
          onPointerMove={(event) => event.currentTarget.hasPointerCapture(event.pointerId) && move(event)}
          onPointerUp={() => letGo(side, stickMode)}
          onPointerCancel={() => letGo(side, stickMode)}
        >
          <rect x={1} y={1} width={SIZE - 2} height={SIZE - 2} rx={14} fill={colours.raised} stroke={colours.hairline} strokeWidth={1.5} />
          <rect
            x={SIZE / 2 - RANGE}
            y={SIZE / 2 - RANGE}
            width={2 * RANGE}
            height={2 * RANGE}
            rx={4}
            fill="none"
            stroke={colours.hairline}
            strokeDasharray="2 3"
          />
          <path d={`M${SIZE / 2} 8V${SIZE - 8}M8 ${SIZE / 2}H${SIZE - 8}`} stroke={colours.hairline} />
        </svg>
        <LiveCanvas
          width={size}
          height={size}
          least={0.002}
          pick={({ live }) => [live?.[side].x, live?.[side].y]}
          draw={(pen, { live }) => drawStick(pen, live?.[side] ?? { x: 0, y: 0 }, size / SIZE)}
          style={{ position: "absolute", inset: 0, pointerEvents: "none" }}
        />
      </div>
      <div style={{ fontSize: 11.5, color: colours.softInk, marginTop: 2 }}>
        {side}
        {!phone && ` · ${keys}`}
      </div>
    </div>
  );
});

/** `scale`: px of the page for each of the drawing. */
function drawStick(pen: CanvasRenderingContext2D, { x, y }: Stick, scale: number): void {
  pen.save();
  pen.scale(scale, scale);
  const [atX, atY] = [SIZE / 2 + x * RANGE, SIZE / 2 - y * RANGE];
  const disc = (radius: number) => {
    pen.beginPath();
    pen.arc(atX, atY, radius, 0, 2 * Math.PI);
  };
  pen.strokeStyle = pen.fillStyle = solid(colours.slate);
  pen.globalAlpha = 0.35;
  pen.lineWidth = 3;
  pen.lineCap = "round";
  pen.beginPath();
  pen.moveTo(SIZE / 2, SIZE / 2);
  pen.lineTo(atX, atY);
  pen.stroke();
  pen.globalAlpha = 1;
  disc(KNOB);
  pen.fill();
  pen.strokeStyle = solid(colours.raised);
  pen.lineWidth = 1;
  disc(KNOB_RING);
  pen.stroke();
  pen.restore();
}
