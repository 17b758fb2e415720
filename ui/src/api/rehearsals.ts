import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { goesOn } from "./batch";
import { api, dataOf, type Schemas } from "./client";

export type Rehearsal = Schemas["RehearsalPage"];
export type RehearsalResult = Schemas["RehearsalDocument"];
export type Measure = Schemas["RehearsalMeasure"];
export type LoadSettings = Schemas["RehearsalSettings"];

/** What a new rehearsal begins with: a trial's texts, or what the daybook saw in a span. */
export type DraftOf = {
  trial?: number;
  only?: string;
  hashes?: string;
  from?: string;
  to?: string;
  sources?: string;
  database?: string;
  user?: string;
  application?: string;
};

/** Which rehearsal is shown, or what a new one begins with. */
export type RehearsalSearch = DraftOf & { run?: number; load?: number; beside?: number; seen?: boolean };

const pace = 1000;

/** What findings of loads mean, at length. */
export const useLoadGlossary = () =>
  useQuery({
    queryKey: ["load glossary"],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => dataOf(await api.GET("/api/load-glossary")),
  });

export const useRehearsalDraft = (id: number, of: DraftOf | undefined) =>
  useQuery({
    queryKey: ["rehearsal draft", id, of],
    enabled: of !== undefined,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () =>
      dataOf(
        await api.GET("/api/books/{id}/rehearsals/draft", {
          params: { path: { id }, query: of ?? {} },
        }),
      ),
  });

/** Loads that are ready, and the rehearsals of a book, the latest first. */
export const useRehearsals = (id: number) =>
  useQuery({
    queryKey: ["rehearsals", id],
    enabled: id > 0,
    queryFn: async () => dataOf(await api.GET("/api/books/{id}/rehearsals", { params: { path: { id } } })),
    refetchInterval: (query) =>
      query.state.data?.rehearsals.some((r) => goesOn(r.state)) ? 3 * pace : false,
  });

/** One of them; asked for again while it waits or runs. */
export const useRehearsal = (id: number, rehearsal: number | undefined) =>
  useQuery({
    queryKey: ["rehearsal", id, rehearsal],
    enabled: rehearsal !== undefined,
    queryFn: async () =>
      dataOf(
        await api.GET("/api/books/{id}/rehearsals/{rehearsal}", {
          params: { path: { id, rehearsal: rehearsal ?? 0 } },
        }),
      ),
    refetchInterval: (query) => (goesOn(query.state.data?.state) ? pace : false),
  });

export function useStartRehearsal(id: number) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (body: Schemas["RehearsalRequest"]) =>
      dataOf(await api.POST("/api/books/{id}/rehearsals", { params: { path: { id } }, body })),
    onSuccess: (made) => {
      client.setQueryData(["rehearsal", id, made.id], made);
      client.invalidateQueries({ queryKey: ["rehearsals", id] });
    },
  });
}

export function useRehearsalAction(id: number) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ rehearsal, act }: { rehearsal: number; act: "cancel" | "delete" }) => {
      const params = { path: { id, rehearsal } };
      await (act === "cancel"
        ? api.POST("/api/books/{id}/rehearsals/{rehearsal}/cancel", { params })
        : api.DELETE("/api/books/{id}/rehearsals/{rehearsal}", { params }));
    },
    onSuccess: () => {
      client.invalidateQueries({ queryKey: ["rehearsals", id] });
      client.invalidateQueries({ queryKey: ["rehearsal", id] });
    },
  });
}
