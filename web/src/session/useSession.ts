import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, taken } from "../api/client";
import type { Session } from "../api/types";

const KEY = ["session"];

export function useSession() {
  return useQuery({ queryKey: KEY, queryFn: (): Promise<Session> => taken(api.GET("/api/session")), staleTime: Number.POSITIVE_INFINITY });
}

export function useSignIn() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (form: { username: string; password: string }): Promise<Session> => taken(api.POST("/api/session", { body: form })),
    onSuccess: (session) => queries.setQueryData(KEY, session),
  });
}

export function useSignOut() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () => taken(api.DELETE("/api/session")),
    onSuccess: () => {
      queries.clear();
      window.location.assign("/");
    },
  });
}
