import type { Told } from "../../api/types";

/** Where the craft was, and what its motors did: s since the last radio frame, m above the ground, m from home, percent of the motors and of the surface that is farthest out. */
export interface Flown {
  t: number;
  up: number;
  away: number;
  motors: number;
  surfaces: number;
}

/** The simulated way of an armed run; nothing else is flown. */
export function flownOf(run: NonNullable<Told["lost_link"]>["loss"]): Flown[] {
  return run?.armed
    ? (run.path ?? []).map(([t = 0, up = 0, along = 0, motors = 0, surfaces = 0]) => ({ t, up, away: Math.abs(along), motors, surfaces }))
    : [];
}
