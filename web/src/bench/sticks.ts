import type { Stick } from "./types";

export const SIDES = ["left", "right"] as const;
export type Side = (typeof SIDES)[number];

/** Which gimbal has the throttle, which does not spring back in y. */
export function throttleSide(stickMode: number): Side {
  return stickMode === 2 || stickMode === 4 ? "left" : "right";
}

export function clampStick(stick: Stick): Stick {
  const clamp = (value: number) => Math.max(-1, Math.min(1, value));
  return { x: clamp(stick.x), y: clamp(stick.y) };
}

/** Where a gimbal goes when it is let go. */
export function released(stick: Stick, side: Side, stickMode: number): Stick {
  return { x: 0, y: side === throttleSide(stickMode) ? stick.y : 0 };
}
