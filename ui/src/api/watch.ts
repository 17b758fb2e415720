import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, dataOf, type Schemas } from "./client";

export type Watch = Schemas["WatchView"];
export type WatchPage = Schemas["WatchPage"];
export type Moment = Schemas["WatchMoment"];

/** How often a watch that runs is asked after, in milliseconds. */
const every = 2000;

/** The watches of a book, the latest first; asked again while one runs. */
export const useWatches = (book: number) =>
  useQuery({
    queryKey: ["watches", book],
    enabled: book > 0,
    refetchInterval: (q) => (q.state.data?.running ? every : false),
    queryFn: async () => dataOf(await api.GET("/api/books/{id}/watches", { params: { path: { id: book } } })),
  });

/** What of a watch is looked at; others that stand beside it, with commas. */
export type WatchNarrowing = {
  from?: string;
  to?: string;
  session?: number;
  pattern?: string;
  beside?: string;
};

export const useWatch = (book: number, watch: number, { from, to, session, pattern }: WatchNarrowing = {}) =>
  useQuery({
    queryKey: ["watch", book, watch, from, to, session, pattern],
    placeholderData: keepPreviousData,
    refetchInterval: (q) => (q.state.data?.watch.state === "running" ? every : false),
    queryFn: async () =>
      dataOf(
        await api.GET("/api/books/{id}/watches/{watch}", {
          params: { path: { id: book, watch }, query: { from, to, session, pattern } },
        }),
      ),
  });

export function useBeginWatch(book: number) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async (body: { seconds: number; pileUp: number }) =>
      dataOf(await api.POST("/api/books/{id}/watches", { params: { path: { id: book } }, body })),
    onSuccess: () => cache.invalidateQueries({ queryKey: ["watches", book] }),
  });
}

export function useEndWatch(book: number) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async () => {
      await api.POST("/api/books/{id}/watches/end", { params: { path: { id: book } } });
    },
    onSettled: () =>
      Promise.all([
        cache.invalidateQueries({ queryKey: ["watches", book] }),
        cache.invalidateQueries({ queryKey: ["watch", book] }),
      ]),
  });
}
