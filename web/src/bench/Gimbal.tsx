import Box from "@mui/material/Box";
import type { PointerEvent } from "react";
import { colours } from "../look/colours";
import { type Side, throttleSide } from "./sticks";
import { useBenchStore } from "./useBench";
import { letGo, moveStick } from "./useBenchKeys";

const SIZE = 118;
const RANGE = 44;

/** A gimbal to drag, or to move with the keys while it has the focus. */
export function Gimbal({ side, stickMode }: { side: Side; stickMode: number }) {
  const stick = useBenchStore((state) => state.live?.[side]) ?? { x: 0, y: 0 };
  const move = (event: PointerEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    moveStick(side, { x: (event.clientX - box.left - SIZE / 2) / RANGE, y: -(event.clientY - box.top - SIZE / 2) / RANGE });
  };
  const x = SIZE / 2 + stick.x * RANGE;
  const y = SIZE / 2 - stick.y * RANGE;
  const keys = side === "left" ? "W A S D" : "arrow keys";
  const holds = side === throttleSide(stickMode) ? ", throttle stays where it is left" : "";
  return (
    <Box sx={{ textAlign: "center" }}>
      <svg
        width={SIZE}
        height={SIZE}
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a gimbal has two axes, so no single-value role fits; keys move it
        tabIndex={0}
        role="img"
        data-gimbal={side}
        aria-label={`${side} gimbal, ${keys}${holds}`}
        style={{ touchAction: "none", cursor: "grab", display: "block", borderRadius: 14 }}
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
        <line x1={SIZE / 2} y1={SIZE / 2} x2={x} y2={y} stroke={colours.slate} strokeWidth={3} strokeLinecap="round" opacity={0.35} />
        <circle cx={x} cy={y} r={12} fill={colours.slate} />
        <circle cx={x} cy={y} r={6.5} fill="none" stroke={colours.raised} strokeWidth={1} opacity={0.8} />
      </svg>
      <Box sx={{ fontSize: 11.5, color: "text.secondary", mt: 0.25 }}>
        {side} · {keys}
      </Box>
    </Box>
  );
}
