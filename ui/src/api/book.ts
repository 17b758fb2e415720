import { useQuery } from "@tanstack/react-query";
import { api, dataOf } from "./client";
import { useChange } from "./hooks";

/** How much goes with a book; asked for when somebody wants to know. */
export const useContents = (id: number, enabled: boolean) =>
  useQuery({
    queryKey: ["contents", id],
    enabled,
    queryFn: async () => dataOf(await api.GET("/api/books/{id}/contents", { params: { path: { id } } })),
  });

export const useDeleteBook = (id: number) =>
  useChange(() => api.DELETE("/api/books/{id}", { params: { path: { id } } }));

export const useDeleteTrial = (id: number) =>
  useChange(() => api.DELETE("/api/trials/{id}", { params: { path: { id } } }));

export const useDeleteNote = (id: number, hash: string, note: number) =>
  useChange(() =>
    api.DELETE("/api/books/{id}/statements/{hash}/notes/{note}", { params: { path: { id, hash, note } } }),
  );

export const useWorkloads = (id: number) =>
  useQuery({
    queryKey: ["workloads", id],
    queryFn: async () => dataOf(await api.GET("/api/books/{id}/workloads", { params: { path: { id } } })),
  });

export const useTakeBack = (id: number) =>
  useChange(async (version: number) =>
    dataOf(await api.POST("/api/books/{id}/workloads/{version}", { params: { path: { id, version } } })),
  );
