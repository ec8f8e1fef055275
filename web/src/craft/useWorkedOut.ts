import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, taken } from "../api/client";
import type { Craft, Edit, Exchange, Job, KitView, LoomView, PlanView, WorkedOut } from "../api/types";
import { settled } from "./useDraft";

/** What the server works out of the draft. Each answer belongs to one version; the last one stays until the next is there. */
const at = (craft: Craft) => ({ params: { path: { craft_id: craft.id } } });

export interface Answer<T> {
  version: number;
  view: T;
}

function useView<T>(craft: Craft, name: string, ask: () => Promise<Answer<T>>, enabled = true) {
  return useQuery({ queryKey: ["worked out", craft.id, name, craft.version], queryFn: ask, placeholderData: keepPreviousData, enabled });
}

/** Without a board there is nothing to plan on, and the server says so; better not to ask. */
const hasBoard = (craft: Craft) => Boolean(craft.document.kit.board);

export const useKitView = (craft: Craft) =>
  useView<KitView>(craft, "kit", () => taken<Answer<KitView>>(api.GET("/api/crafts/{craft_id}/kit", at(craft))));

export const usePlanView = (craft: Craft) =>
  useView<PlanView>(craft, "plan", () => taken<Answer<PlanView>>(api.GET("/api/crafts/{craft_id}/plan", at(craft))), hasBoard(craft));

export const useLoomView = (craft: Craft) =>
  useView<LoomView>(craft, "loom", () => taken<Answer<LoomView>>(api.GET("/api/crafts/{craft_id}/loom", at(craft))), hasBoard(craft));

/** What was worked out for a draft, until that draft is no longer the newest. */
export function useForVersion<T>(version: number): [T | null, (kept: Answer<T> | null) => void] {
  const [kept, keep] = useState<Answer<T> | null>(null);
  return [kept?.version === version ? kept.view : null, keep];
}

export async function workOut(craft: Craft, edits: Edit[]): Promise<Answer<WorkedOut>> {
  await settled();
  return taken(api.POST("/api/crafts/{craft_id}/work-out", { ...at(craft), body: { edits } }));
}

export type Doing = "board" | "receiver" | "transmitter" | "module" | "pack" | "add device" | "remove device" | "rename device";

export async function exchange(craft: Craft, doing: Doing, part: string, to = ""): Promise<Answer<Exchange>> {
  await settled();
  return taken(api.POST("/api/crafts/{craft_id}/exchange", { ...at(craft), body: { doing, part, to } }));
}

export async function solder(craft: Craft, device: string, job: Job, pads: string[]): Promise<Answer<Exchange>> {
  await settled();
  return taken(api.POST("/api/crafts/{craft_id}/solder", { ...at(craft), body: { device, job, pads } }));
}

export async function moveWire(craft: Craft, device: string, pin: string, pad: string | null): Promise<Answer<Exchange>> {
  await settled();
  return taken(api.POST("/api/crafts/{craft_id}/wire", { ...at(craft), body: { device, pin, pad } }));
}

export function ringOut(craft: Craft, wire: string, initials: string): Promise<Record<string, string>> {
  return taken(api.POST("/api/crafts/{craft_id}/rings", { ...at(craft), body: { wire, initials } })).then(({ rung }) => rung);
}

export function takeRingBack(craft: Craft, wire: string): Promise<Record<string, string>> {
  return taken(api.PUT("/api/crafts/{craft_id}/rings", { ...at(craft), body: { wire } })).then(({ rung }) => rung);
}
