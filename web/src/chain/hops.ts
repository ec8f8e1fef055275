import type { Hop } from "../api/types";

/** A hop's name as it is written on a screen. */
export function hopTitle(hop: Hop): string {
  return hop.charAt(0).toUpperCase() + hop.slice(1);
}

/** A hop's place in an address. */
export function hopPath(hop: Hop): string {
  return hop.replace(" ", "-");
}
