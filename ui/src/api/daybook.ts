import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, dataOf, ownHeader, type Schemas } from "./client";
import { useChange } from "./hooks";

export type Point = Schemas["CoursePoint"];
export type Deployment = Schemas["DeploymentView"];
export type Pattern = Schemas["PatternRow"];
export type Effect = Schemas["EffectRow"];
export type Repeat = Schemas["RepeatView"];
export type Sample = Schemas["SampleView"];
/** What the list of patterns can be ranked by: the server's names. */
export type RankBy = NonNullable<Schemas["RankBy"]>;

/** What narrows the daybook; an empty field does not. */
export type Narrowing = {
  from?: string;
  to?: string;
  sources?: string;
  text?: string;
  kind?: string;
  table?: string;
  tag?: string;
  database?: string;
  user?: string;
  application?: string;
  /** Load that stands apart: "own" or "housekeeping"; that of applications where it is left out. */
  load?: string;
  /** Milliseconds from which a worst call stands out; a second where it is left out. */
  slow?: number;
};

/** What of the course is looked at: all of it where nothing is said, and its sources in one. */
export type View = { since?: string; until?: string; apart?: boolean };

/** The course of a book; the span that is chosen narrows only what stands below it. */
export function useDaybook(
  id: number,
  narrowing: Narrowing,
  view: View,
  percentiles = false,
  every: number | false = false,
) {
  const { from: _from, to: _to, slow: _slow, ...rest } = narrowing;
  const query = { ...rest, from: view.since, to: view.until, apart: view.apart, percentiles };
  return useQuery({
    queryKey: ["daybook", id, query],
    enabled: id > 0,
    placeholderData: keepPreviousData,
    refetchInterval: every,
    queryFn: async () =>
      dataOf(await api.GET("/api/books/{id}/daybook", { params: { path: { id }, query } })),
  });
}

export const usePatterns = (id: number, narrowing: Narrowing, rank: RankBy, limit: number) =>
  useQuery({
    queryKey: ["patterns", id, narrowing, rank, limit],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      dataOf(
        await api.GET("/api/books/{id}/patterns", {
          params: { path: { id }, query: { ...narrowing, rank, limit } },
        }),
      ),
  });

/** What says whose load is asked for. */
export type Whose = Pick<Narrowing, "sources" | "database" | "user" | "application" | "load">;

export const useCallers = (id: number, { from, to, sources }: Narrowing) =>
  useQuery({
    queryKey: ["callers", id, from, to, sources],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      dataOf(
        await api.GET("/api/books/{id}/callers", {
          params: { path: { id }, query: { from, to, sources } },
        }),
      ),
  });

export const useEvents = (id: number, { from, to, sources }: Narrowing) =>
  useQuery({
    queryKey: ["events", id, from, to, sources],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      dataOf(
        await api.GET("/api/books/{id}/events", { params: { path: { id }, query: { from, to, sources } } }),
      ),
  });

export const usePages = (id: number, { from, to, sources }: Narrowing) =>
  useQuery({
    queryKey: ["pages", id, from, to, sources],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      dataOf(
        await api.GET("/api/books/{id}/pages", { params: { path: { id }, query: { from, to, sources } } }),
      ),
  });

export const useJumps = (id: number, { from, to, ...whose }: Whose & { from?: string; to?: string }) =>
  useQuery({
    queryKey: ["jumps", id, from, to, whose],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      dataOf(
        await api.GET("/api/books/{id}/jumps", { params: { path: { id }, query: { from, to, ...whose } } }),
      ),
  });

export const useEffects = (id: number, deployment: number, limit: number, days?: number, whose: Whose = {}) =>
  useQuery({
    queryKey: ["effects", id, deployment, limit, days, whose],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      dataOf(
        await api.GET("/api/books/{id}/deployments/{deployment}", {
          params: { path: { id, deployment }, query: { ...whose, limit, days } },
        }),
      ),
  });

export const useRepeats = (id: number) =>
  useQuery({
    queryKey: ["repeats", id],
    queryFn: async () => dataOf(await api.GET("/api/books/{id}/repeats", { params: { path: { id } } })),
  });

/** A statement through several deployments, as one account. */
export const useStory = (id: number, hash: string) =>
  useQuery({
    queryKey: ["story", id, hash],
    queryFn: async () =>
      dataOf(await api.GET("/api/books/{id}/statements/{hash}/story", { params: { path: { id, hash } } })),
  });

export const useStatement = (id: number, hash: string) =>
  useQuery({
    queryKey: ["statement", id, hash],
    queryFn: async () =>
      dataOf(await api.GET("/api/books/{id}/statements/{hash}", { params: { path: { id, hash } } })),
  });

export const useTake = (id: number) =>
  useChange(async (hashes: string[]) =>
    dataOf(
      await api.POST("/api/books/{id}/workload", { params: { path: { id } }, body: { hashes, keep: true } }),
    ),
  );

/** The workload with these statements at its top; the book's own stays as it is. */
export const useTaken = (id: number, hashes: string) =>
  useQuery({
    queryKey: ["taken", id, hashes],
    enabled: id > 0 && hashes !== "",
    queryFn: async () =>
      dataOf(
        await api.POST("/api/books/{id}/workload", {
          params: { path: { id } },
          body: { hashes: hashes.split(","), keep: false },
        }),
      ),
  });

export const useNote = (id: number, hash: string) =>
  useChange(async (text: string) =>
    dataOf(
      await api.POST("/api/books/{id}/statements/{hash}/notes", {
        params: { path: { id, hash } },
        body: { text },
      }),
    ),
  );

export const useKeep = (id: number) =>
  useChange(async ({ hash, atTop }: { hash: string; atTop: boolean }) =>
    dataOf(
      await api.POST("/api/books/{id}/statements/{hash}/keep", {
        params: { path: { id, hash } },
        body: { atTop },
      }),
    ),
  );

export const useRecordDeployment = (id: number) =>
  useChange(async (body: Schemas["DeploymentRequest"]) =>
    dataOf(await api.POST("/api/books/{id}/deployments", { params: { path: { id } }, body })),
  );

export type CaptureRequest = { book: string; source: string; prefix: string; columns: string; file: File };

export const useReadCapture = () =>
  useChange(async ({ book, source, prefix, columns, file }: CaptureRequest) => {
    const query = new URLSearchParams({ book, source, name: file.name });
    if (prefix) {
      query.set("prefix", prefix);
    }
    if (columns) {
      query.set("columns", columns);
    }
    const response = await fetch(`/api/captures?${query}`, {
      method: "POST",
      headers: { ...ownHeader, "Content-Type": "application/octet-stream" },
      body: file,
    });
    const body = await response.json().catch(() => undefined);
    return dataOf<Schemas["CaptureView"]>({ data: response.ok ? body : undefined, error: body, response });
  });
