import { useQuery } from "@tanstack/react-query";
import { api, dataOf, type Schemas } from "./client";
import { useChange } from "./hooks";

export type Fallback = Schemas["FallbackView"];

/** The stand-in for the application: `demo --live` alone has one, and so it is no part of the described API. */
export type Live = {
  on: boolean;
  book: number | null;
  clock: string;
  pace: number;
  version: string;
  answers: boolean;
  perSecond: number;
  held: string[];
  problem: string | null;
  versions: { version: string; title: string; deployed: boolean; refusal: string | null }[];
  steps: { text: string; at: string | null }[];
};

const pace = 3000;

/** Texts that keep a statement's plan, and when each was in force; what is in force goes on by itself. */
export function useFallbacks(book: number) {
  const live = useLive().data?.on === true;
  return useQuery({
    queryKey: ["fallbacks", book],
    queryFn: async () =>
      dataOf(await api.GET("/api/books/{id}/fallbacks", { params: { path: { id: book } } })),
    refetchInterval: (query) => (live || query.state.data?.some((f) => f.droppedAt === null) ? pace : false),
  });
}

export const useKeepFallback = (book: number) =>
  useChange(async (body: Schemas["FallbackRequest"]) =>
    dataOf(await api.POST("/api/books/{id}/fallbacks", { params: { path: { id: book } }, body })),
  );

export const useHoldAct = (book: number) =>
  useChange(
    async (
      of:
        | { act: "drop"; fallback: number }
        | { act: "hold"; fallback: number; author: string }
        | { act: "release"; hold: number; author: string; reason: string },
    ) => {
      if (of.act === "release") {
        return dataOf(
          await api.POST("/api/books/{id}/holds/{hold}/release", {
            params: { path: { id: book, hold: of.hold } },
            body: { author: of.author, reason: of.reason },
          }),
        );
      }
      const path = { id: book, fallback: of.fallback };
      return of.act === "drop"
        ? dataOf(await api.POST("/api/books/{id}/fallbacks/{fallback}/drop", { params: { path } }))
        : dataOf(
            await api.POST("/api/books/{id}/fallbacks/{fallback}/hold", {
              params: { path },
              body: { author: of.author, reason: "" },
            }),
          );
    },
  );

/** The stand-in for the application, where this server has one. */
export const useLive = () =>
  useQuery({
    queryKey: ["live"],
    queryFn: async (): Promise<Live> => {
      const answer = await fetch("/api/live");
      if (!answer.ok) {
        throw new Error("There is no stand-in.");
      }
      return answer.json();
    },
    refetchInterval: (query) => (query.state.data?.on ? 1000 : false),
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });

export const useDeploy = () =>
  useChange(async (version: string) => {
    const answer = await fetch("/api/live/deploy", {
      method: "POST",
      headers: { "Content-Type": "application/json", "X-Swift-Ledger": "1" },
      body: JSON.stringify({ version }),
    });
    if (!answer.ok) {
      throw new Error((await answer.json()).problems?.[0]?.message ?? "It could not be deployed.");
    }
  });
