import { useQuery } from "@tanstack/react-query";
import { api, dataOf, type Schemas } from "./client";
import { useChange } from "./hooks";

export type Entry = Schemas["EntryPage"];
export type Promised = Schemas["Promise"];
export type Outcome = Schemas["PromiseOutcome"];

const pace = 5000;

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

/** What matters in a book today; what runs changes it. */
export const useToday = (id: number) =>
  useQuery({
    queryKey: ["today", id],
    queryFn: async () => dataOf(await api.GET("/api/books/{id}/today", { params: { path: { id } } })),
    refetchInterval: (query) =>
      query.state.data?.lines.some((l) => l.kind === "underWay" || l.kind === "beingWatched") ? pace : false,
  });

/** What a trial or a rehearsal would promise. */
export const usePreview = (id: number, of: { trial?: number; rehearsal?: number } | undefined) =>
  useQuery({
    queryKey: ["promise", id, of],
    enabled: of !== undefined,
    queryFn: async () =>
      dataOf(await api.GET("/api/books/{id}/entries/preview", { params: { path: { id }, query: of ?? {} } })),
  });

export const usePropose = (id: number) =>
  useChange(async (body: Schemas["EntryRequest"]) =>
    dataOf(await api.POST("/api/books/{id}/entries", { params: { path: { id } }, body })),
  );

export const useEntryAct = (id: number, number: number) =>
  useChange(async (body: Schemas["EntryActRequest"]) =>
    dataOf(await api.POST("/api/books/{id}/entries/{number}", { params: { path: { id, number } }, body })),
  );
