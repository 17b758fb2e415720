import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, dataOf } from "./client";

/** How much goes with a book; asked for when somebody wants to know. */
export const useContents = (id: number, enabled: boolean) =>
  useQuery({
    queryKey: ["contents", id],
    enabled,
    queryFn: async () => dataOf(await api.GET("/api/books/{id}/contents", { params: { path: { id } } })),
  });

/** Takes something away, and reads everything that is shown again. */
function useGone(send: () => Promise<unknown>) {
  const client = useQueryClient();
  return useMutation({ mutationFn: send, onSuccess: () => client.invalidateQueries() });
}

export const useDeleteBook = (id: number) =>
  useGone(() => api.DELETE("/api/books/{id}", { params: { path: { id } } }));

export const useDeleteTrial = (id: number) =>
  useGone(() => api.DELETE("/api/trials/{id}", { params: { path: { id } } }));

export const useDeleteNote = (id: number, hash: string, note: number) =>
  useGone(() =>
    api.DELETE("/api/books/{id}/statements/{hash}/notes/{note}", { params: { path: { id, hash, note } } }),
  );

export const useWorkloads = (id: number) =>
  useQuery({
    queryKey: ["workloads", id],
    queryFn: async () => dataOf(await api.GET("/api/books/{id}/workloads", { params: { path: { id } } })),
  });

export function useTakeBack(id: number) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (version: number) =>
      dataOf(await api.POST("/api/books/{id}/workloads/{version}", { params: { path: { id, version } } })),
    onSuccess: () => client.invalidateQueries(),
  });
}
