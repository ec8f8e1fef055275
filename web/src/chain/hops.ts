import type { Hop } from "../api/types";

export const HOPS: Hop[] = ["kit", "port plan", "loom", "load", "bind", "line", "sticks", "switchboard", "lost link"];

export function hopTitle(hop: Hop): string {
  return hop.charAt(0).toUpperCase() + hop.slice(1);
}

export function hopPath(hop: Hop): string {
  return hop.replace(" ", "-");
}

export function hopFromPath(path: string | undefined): Hop | undefined {
  return HOPS.find((hop) => hopPath(hop) === path);
}
