import { useQuery } from "@tanstack/react-query";
import { api, dataOf, type Schemas } from "./client";
import { useLive } from "./holds";
import { useChange } from "./hooks";

export type Entry = Schemas["EntryPage"];
export type Promised = Schemas["Promise"];
export type Outcome = Schemas["PromiseOutcome"];

/** How often what goes on by itself is asked for. */
export const pace = 5000;

/** A book's entries, the latest first; what is live goes on by itself, so it is asked for again now and then. */
export const useEntries = (id: number) =>
  useQuery({
    queryKey: ["entries", id],
    queryFn: async () => dataOf(await api.GET("/api/books/{id}/entries", { params: { path: { id } } })),
    refetchInterval: (query) =>
      query.state.data?.entries.some((e) => e.state === "proposed" || e.state === "deployed") ? pace : false,
  });

export const useEntry = (id: number, number: number | undefined) =>
  useQuery({
    queryKey: ["entry", id, number],
    enabled: number !== undefined,
    queryFn: async () =>
      dataOf(
        await api.GET("/api/books/{id}/entries/{number}", { params: { path: { id, number: number ?? 0 } } }),
      ),
    refetchInterval: (query) => (query.state.data?.state === "deployed" ? pace : false),
  });

/** How long the calls of what was promised took, around its deployment. */
export const useCourses = (id: number, number: number, live: boolean, open: boolean) =>
  useQuery({
    queryKey: ["courses", id, number],
    enabled: live,
    queryFn: async () =>
      dataOf(await api.GET("/api/books/{id}/entries/{number}/courses", { params: { path: { id, number } } })),
    refetchInterval: open ? pace : false,
  });

/** What matters in a book today; what runs changes it. */
export function useToday(id: number) {
  const live = useLive().data?.on === true;
  return useQuery({
    queryKey: ["today", id],
    queryFn: async () => dataOf(await api.GET("/api/books/{id}/today", { params: { path: { id } } })),
    refetchInterval: (query) =>
      live ||
      query.state.data?.lines.some(
        (l) => l.kind === "underWay" || l.kind === "beingWatched" || l.kind === "held",
      )
        ? pace
        : false,
  });
}

/** What a trial or a rehearsal would promise. */
export const usePreview = (id: number, of: { trial?: number; rehearsal?: number } | undefined) =>
  useQuery({
    queryKey: ["promise", id, of],
    enabled: of !== undefined,
    queryFn: async () =>
      dataOf(await api.GET("/api/books/{id}/entries/preview", { params: { path: { id }, query: of ?? {} } })),
  });

/** Goes on behind a ledger that was edited. */
export const useGoOn = (id: number) =>
  useChange(async (body: Schemas["EntryGoOnRequest"]) =>
    dataOf(await api.POST("/api/books/{id}/entries/resumed", { params: { path: { id } }, body })),
  );

export const usePropose = (id: number) =>
  useChange(async (body: Schemas["EntryRequest"]) =>
    dataOf(await api.POST("/api/books/{id}/entries", { params: { path: { id } }, body })),
  );

export const useEntryAct = (id: number, number: number) =>
  useChange(async (body: Schemas["EntryActRequest"]) =>
    dataOf(await api.POST("/api/books/{id}/entries/{number}", { params: { path: { id, number } }, body })),
  );
