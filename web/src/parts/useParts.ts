import { useQuery } from "@tanstack/react-query";
import { api, taken } from "../api/client";
import type { Parts } from "../api/types";

/** What a workshop can choose from. */
export function useParts(workshop: number) {
  return useQuery({
    queryKey: ["parts", workshop],
    queryFn: (): Promise<Parts> => taken(api.GET("/api/workshops/{workshop_id}/parts", { params: { path: { workshop_id: workshop } } })),
    staleTime: 60_000,
    enabled: workshop > 0,
  });
}
