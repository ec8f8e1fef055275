import { type ComponentType, lazy } from "react";
import type { Hop } from "../api/types";
import { hopPath, hopTitle } from "../chain/hops";
import type { DraftHopProps, HopProps } from "../craft/hopProps";

interface Named {
  title: string;
  path: string;
}
/** A hop that looks at the running bench, or one that works before there is any. Its screen is loaded when it is opened. */
export type HopEntry = Named &
  ({ needsBench: true; Screen: ComponentType<HopProps> } | { needsBench: false; Screen: ComponentType<DraftHopProps> });

const named = (hop: Hop): Named => ({ title: hopTitle(hop), path: hopPath(hop) });
const live = (hop: Hop, load: () => Promise<ComponentType<HopProps>>): HopEntry => ({
  ...named(hop),
  needsBench: true,
  Screen: lazy(async () => ({ default: await load() })),
});
const still = (hop: Hop, load: () => Promise<ComponentType<DraftHopProps>>): HopEntry => ({
  ...named(hop),
  needsBench: false,
  Screen: lazy(async () => ({ default: await load() })),
});

/** Every hop in the order of work. The keys are the core's: a hop that is forgotten here does not compile. */
export const REGISTRY: Record<Hop, HopEntry> = {
  kit: still("kit", async () => (await import("./kit/KitHop")).KitHop),
  "port plan": still("port plan", async () => (await import("./port_plan/PortPlanHop")).PortPlanHop),
  loom: still("loom", async () => (await import("./loom/LoomHop")).LoomHop),
  load: live("load", async () => (await import("./load/LoadHop")).LoadHop),
  bind: live("bind", async () => (await import("./bind/BindHop")).BindHop),
  line: live("line", async () => (await import("./line/LineHop")).LineHop),
  sticks: live("sticks", async () => (await import("./sticks/SticksHop")).SticksHop),
  switchboard: live("switchboard", async () => (await import("./switchboard/SwitchboardHop")).SwitchboardHop),
  "lost link": live("lost link", async () => (await import("./lost_link/LostLinkHop")).LostLinkHop),
  downlink: live("downlink", async () => (await import("./downlink/DownlinkHop")).DownlinkHop),
  airframe: live("airframe", async () => (await import("./airframe/AirframeHop")).AirframeHop),
};
export const HOPS = Object.keys(REGISTRY) as Hop[];

export function hopFromPath(path: string | undefined): Hop | undefined {
  return HOPS.find((hop) => REGISTRY[hop].path === path);
}
