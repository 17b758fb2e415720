import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, dataOf, ownHeader, type Schemas } from "./client";

export const useGlossary = () =>
  useQuery({
    queryKey: ["glossary"],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => dataOf(await api.GET("/api/glossary")),
  });

/** Compares what was pasted; the answer is kept under its number, by which it is asked for again. */
export function useComparison() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (body: Schemas["PastedRequest"]) =>
      dataOf(await api.POST("/api/plans/compare", { body })),
    onSuccess: (made) => made.id > 0 && client.setQueryData(["pasted", made.id], made),
  });
}

export const usePasted = (pair: number | undefined) =>
  useQuery({
    queryKey: ["pasted", pair],
    enabled: pair !== undefined,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () =>
      dataOf(await api.GET("/api/plans/pasted/{id}", { params: { path: { id: pair ?? 0 } } })),
  });

export const useCatalogue = (id: number) =>
  useQuery({
    queryKey: ["catalogue", id],
    queryFn: async () => dataOf(await api.GET("/api/books/{id}/catalogue", { params: { path: { id } } })),
  });

/** A pasted plan in another form, as a file. */
export async function savePlan(text: string, format: string): Promise<void> {
  const response = await fetch(`/api/plans/export.${format}`, {
    method: "POST",
    headers: { ...ownHeader, "Content-Type": "application/json" },
    body: JSON.stringify({ before: text }),
  });
  if (!response.ok) {
    dataOf({ error: await response.json().catch(() => undefined), response });
  }
  const link = document.createElement("a");
  link.href = URL.createObjectURL(await response.blob());
  link.download = `plan.${format}`;
  link.click();
  URL.revokeObjectURL(link.href);
}

export const usePlanHistory = (id: number, hash: string) =>
  useQuery({
    queryKey: ["plans", id, hash],
    queryFn: async () =>
      dataOf(await api.GET("/api/books/{id}/plans/{hash}", { params: { path: { id, hash } } })),
  });

/** Marks a plan as the one that a statement is to run with, or takes the mark away. */
export function useStanding(id: number, hash: string) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (plan: { shape: string; outline: string; note: string } | null) => {
      const params = { path: { id, hash } };
      await (plan
        ? api.POST("/api/books/{id}/plans/{hash}/standing", { params, body: plan })
        : api.POST("/api/books/{id}/plans/{hash}/forget", { params }));
    },
    onSuccess: () => {
      client.invalidateQueries({ queryKey: ["plans", id, hash] });
      client.invalidateQueries({ queryKey: ["line"] });
      client.invalidateQueries({ queryKey: ["trial"] });
    },
  });
}

/** Starts a trial in which a line's statement is held to its plan before. */
export const useTryPin = () =>
  useMutation({
    mutationFn: async (line: { id: number; number: number }) =>
      dataOf(await api.POST("/api/trials/{id}/lines/{number}/pin", { params: { path: line } })),
  });

export const usePins = (id: number) =>
  useQuery({
    queryKey: ["pins", id],
    queryFn: async () => dataOf(await api.GET("/api/books/{id}/pins", { params: { path: { id } } })),
  });

export function useListPin(id: number) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (body: Schemas["PinRequest"]) =>
      dataOf(await api.POST("/api/books/{id}/pins", { params: { path: { id } }, body })),
    onSuccess: () => client.invalidateQueries({ queryKey: ["pins", id] }),
  });
}

export function usePinReplaced(id: number) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (pin: number) => {
      await api.POST("/api/books/{id}/pins/{pin}/replaced", { params: { path: { id, pin } } });
    },
    onSuccess: () => client.invalidateQueries({ queryKey: ["pins", id] }),
  });
}
