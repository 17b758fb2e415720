import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { api, dataOf, type LineView, type Schemas, type TrialPageView } from "./client";

export const useBooks = () =>
  useQuery({ queryKey: ["books"], queryFn: async () => dataOf(await api.GET("/api/books")) });

export const useBook = (id: number) =>
  useQuery({
    queryKey: ["book", id],
    enabled: id > 0,
    queryFn: async () => dataOf(await api.GET("/api/books/{id}", { params: { path: { id } } })),
    refetchInterval: (query) =>
      query.state.data?.trials.some((t) => t.state === "running" || t.state === "waiting") ? 2000 : false,
  });

export const useLine = (id: number, number: number, live: boolean) =>
  useQuery({
    queryKey: ["line", id, number],
    queryFn: async () =>
      dataOf(
        await api.GET("/api/trials/{id}/lines/{number}", {
          params: { path: { id, number } },
        }),
      ),
    refetchInterval: live ? 2000 : false,
  });

/** A line as Markdown, for a ticket or a colleague. */
export async function markdownOf(id: number, number: number): Promise<string> {
  const response = await fetch(`/api/trials/${id}/lines/${number}/line.md`);
  if (!response.ok) {
    throw new Error(`The server answered ${response.status}.`);
  }
  return response.text();
}

/** The latest trials of all books, to hold one against. */
export const useTrials = () =>
  useQuery({ queryKey: ["trials"], queryFn: async () => dataOf(await api.GET("/api/trials")) });

/** Of each book the latest trial. */
export const useLatestTrials = () =>
  useQuery({
    queryKey: ["trials", "latest"],
    queryFn: async () => dataOf(await api.GET("/api/trials", { params: { query: { each: true } } })),
  });

/** Two trials side by side. */
export const useBeside = (id: number, other: number | undefined) =>
  useQuery({
    queryKey: ["beside", id, other],
    enabled: other !== undefined,
    queryFn: async () =>
      dataOf(
        await api.GET("/api/trials/{id}/beside/{other}", { params: { path: { id, other: other ?? 0 } } }),
      ),
  });

/** A trial, kept up to date by the server's events while it waits or runs. */
export function useTrial(id: number) {
  const client = useQueryClient();
  const query = useQuery({
    queryKey: ["trial", id],
    enabled: id > 0,
    queryFn: async () => dataOf(await api.GET("/api/trials/{id}", { params: { path: { id } } })),
  });
  const state = query.data?.trial.state;
  const live = state === "waiting" || state === "running";
  useEffect(() => {
    if (!live) {
      return;
    }
    const patch = (change: (page: TrialPageView) => TrialPageView) =>
      client.setQueryData<TrialPageView>(["trial", id], (page) => page && change(page));
    const again = () => {
      client.invalidateQueries({ queryKey: ["trial", id] });
      client.invalidateQueries({ queryKey: ["line", id] });
    };
    const source = new EventSource(`/api/trials/${id}/events`);
    source.addEventListener("hello", again);
    source.addEventListener("trial", again);
    source.addEventListener("stage", (e) => {
      const stage = JSON.parse(e.data) as Schemas["StageView"];
      patch((page) => ({ ...page, stage }));
    });
    source.addEventListener("line", (e) => {
      const line = JSON.parse(e.data) as LineView;
      patch((page) => ({
        ...page,
        lines: page.lines.map((l) => (l.result.number === line.result.number ? line : l)),
      }));
    });
    return () => source.close();
  }, [client, id, live]);
  return { ...query, live };
}

/** All that was found in a trial's plans after the change; read once it has ended. */
export const useFindings = (id: number, enabled: boolean) =>
  useQuery({
    queryKey: ["findings", id],
    enabled,
    queryFn: async () => dataOf(await api.GET("/api/trials/{id}/findings", { params: { path: { id } } })),
  });

/** Something that alters what is kept; everything that is shown is read again. */
export function useChange<T, R>(send: (request: T) => Promise<R>) {
  const client = useQueryClient();
  return useMutation({ mutationFn: send, onSuccess: () => client.invalidateQueries() });
}

export function useStartTrial() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (request: Schemas["TrialRequest"]) =>
      dataOf(await api.POST("/api/trials", { body: request })),
    onSuccess: () => client.invalidateQueries(),
  });
}

/** What can be done to a trial by one press, and the trial that comes of it. */
const trialActions = {
  cancel: async (id: number) =>
    dataOf(await api.POST("/api/trials/{id}/cancel", { params: { path: { id } } })),
  again: async (id: number) => dataOf(await api.POST("/api/trials/{id}/again", { params: { path: { id } } })),
  decide: async (id: number) =>
    dataOf(await api.POST("/api/trials/{id}/decide", { params: { path: { id } } })).trial,
};

export function useTrialAction(action: keyof typeof trialActions) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: trialActions[action],
    onSuccess: () => client.invalidateQueries(),
  });
}
