import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, taken } from "../api/client";
import type { Craft, Edit, Exchange, Job, KitView, LoomView, PlanView, WorkedOut } from "../api/types";

/** What the server works out of the draft. Each answer belongs to one version; the last one stays until the next is there. */
const at = (craft: Craft) => ({ params: { path: { craft_id: craft.id } } });

interface Answer<T> {
  version: number;
  view: T;
}

function useView<T>(craft: Craft, name: string, ask: () => Promise<Answer<T>>) {
  return useQuery({ queryKey: ["worked out", craft.id, name, craft.version], queryFn: ask, placeholderData: keepPreviousData });
}

export const useKitView = (craft: Craft) =>
  useView<KitView>(craft, "kit", () => taken<Answer<KitView>>(api.GET("/api/crafts/{craft_id}/kit", at(craft))));

export const usePlanView = (craft: Craft) =>
  useView<PlanView>(craft, "plan", () => taken<Answer<PlanView>>(api.GET("/api/crafts/{craft_id}/plan", at(craft))));

export const useLoomView = (craft: Craft) =>
  useView<LoomView>(craft, "loom", () => taken<Answer<LoomView>>(api.GET("/api/crafts/{craft_id}/loom", at(craft))));

export function workOut(craft: Craft, edits: Edit[]): Promise<WorkedOut> {
  return taken<Answer<WorkedOut>>(api.POST("/api/crafts/{craft_id}/work-out", { ...at(craft), body: { edits } })).then(({ view }) => view);
}

export type Doing = "board" | "receiver" | "transmitter" | "module" | "add device" | "remove device";

export function exchange(craft: Craft, doing: Doing, part: string): Promise<Exchange> {
  return taken<Answer<Exchange>>(api.POST("/api/crafts/{craft_id}/exchange", { ...at(craft), body: { doing, part } })).then(
    ({ view }) => view,
  );
}

export function solder(craft: Craft, device: string, job: Job, pads: string[]): Promise<Exchange> {
  return taken<Answer<Exchange>>(api.POST("/api/crafts/{craft_id}/solder", { ...at(craft), body: { device, job, pads } })).then(
    ({ view }) => view,
  );
}

export function ringOut(craft: Craft, wire: string, initials: string): Promise<Record<string, string>> {
  return taken(api.POST("/api/crafts/{craft_id}/rings", { ...at(craft), body: { wire, initials } })).then(({ rung }) => rung);
}

export function takeRingBack(craft: Craft, wire: string): Promise<Record<string, string>> {
  return taken(api.PUT("/api/crafts/{craft_id}/rings", { ...at(craft), body: { wire } })).then(({ rung }) => rung);
}
