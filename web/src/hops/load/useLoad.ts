import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, cookie, Problem, taken } from "../../api/client";
import type { Craft, FlashView, ImageRow, LoadView, ReadView, Role } from "../../api/types";

/** What is on the shelf for one device, judged. `key`: what the devices run now, so that it is asked anew when that changes. */
export function useLoadView(craft: Craft, role: Role, every: boolean, key: string) {
  return useQuery({
    queryKey: ["load", craft.id, role, every, craft.version, key],
    queryFn: () =>
      taken<{ version: number; view: LoadView }>(
        api.GET("/api/crafts/{craft_id}/load", { params: { path: { craft_id: craft.id }, query: { role, every } } }),
      ),
    // Until the answer comes the same device's list stays; another device's list under this one's name would be wrong.
    placeholderData: (previous, query) => (query?.queryKey[2] === role ? previous : undefined),
  });
}

/** The log of flash jobs; asked anew whenever a job begins or ends. */
export function useFlashes(craftId: string, key: string) {
  return useQuery({
    queryKey: ["flashes", craftId, key],
    queryFn: () =>
      taken<{ flashes: FlashView[] }>(api.GET("/api/crafts/{craft_id}/flashes", { params: { path: { craft_id: craftId } } })).then(
        ({ flashes }) => flashes,
      ),
    placeholderData: keepPreviousData,
  });
}

export function useSettingsChoice(craftId: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ id, settings }: { id: number; settings: "put back" | "skipped" }) =>
      taken(
        api.POST("/api/crafts/{craft_id}/flashes/{flash_id}/settings", {
          params: { path: { craft_id: craftId, flash_id: id } },
          body: { settings },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["flashes", craftId] }),
  });
}

export function useShelf(workshopId: number) {
  return useQuery({
    queryKey: ["shelf", workshopId],
    queryFn: () =>
      taken<{ images: ImageRow[] }>(api.GET("/api/workshops/{workshop_id}/images", { params: { path: { workshop_id: workshopId } } })).then(
        ({ images }) => images,
      ),
  });
}

async function send<T>(address: string, file: File, facts?: object): Promise<T> {
  const form = new FormData();
  form.append("file", file);
  if (facts) form.append("facts", JSON.stringify(facts));
  let answer: Response;
  try {
    answer = await fetch(address, { method: "POST", body: form, headers: { "X-CSRFToken": cookie("csrftoken") } });
  } catch {
    throw new Problem(0, "the upload broke off; is ./bell still running?");
  }
  const body = await answer.json().catch(() => null);
  if (!answer.ok) throw new Problem(answer.status, body?.detail ?? `the server answered ${answer.status}`);
  return body as T;
}

/** Read a file: what it is, nothing kept. */
export const readImage = (workshopId: number, file: File) =>
  send<{ read: ReadView }>(`/api/workshops/${workshopId}/images/read`, file).then(({ read }) => read);

export const shelve = (workshopId: number, file: File, facts?: object) =>
  send<{ image: ImageRow; new: boolean }>(`/api/workshops/${workshopId}/images`, file, facts);

export const unshelve = (id: string) => taken(api.DELETE("/api/images/{image_id}", { params: { path: { image_id: id } } }));

export const sized = (bytes: number) =>
  bytes < 1024 ? `${bytes} bytes` : bytes < 1 << 20 ? `${(bytes / 1024).toFixed(0)} kB` : `${(bytes / (1 << 20)).toFixed(2)} MB`;
export const hex = (address: number) => address.toString(16).toUpperCase().padStart(8, "0");
