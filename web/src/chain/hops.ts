import type { Hop } from "../api/types";

/** Every hop in the order of work. The type is the core's: a hop that is forgotten here does not compile. */
const EVERY: Record<Hop, true> = {
  kit: true,
  "port plan": true,
  loom: true,
  load: true,
  bind: true,
  line: true,
  sticks: true,
  switchboard: true,
  "lost link": true,
};
export const HOPS = Object.keys(EVERY) as Hop[];

export function hopTitle(hop: Hop): string {
  return hop.charAt(0).toUpperCase() + hop.slice(1);
}

export function hopPath(hop: Hop): string {
  return hop.replace(" ", "-");
}

export function hopFromPath(path: string | undefined): Hop | undefined {
  return HOPS.find((hop) => hopPath(hop) === path);
}
