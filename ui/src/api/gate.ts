import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, dataOf, type Schemas } from "./client";
import { useChange } from "./hooks";

export type GatePage = Schemas["GatePage"];
export type GateCourse = Schemas["GateCourse"];
export type CheckState = Schemas["CheckState"];

export type Limits = Schemas["LimitsText"];
export type CheckRule = Schemas["CheckRule"];

/** What a change can be held against; the same for all books. */
export const useRules = () =>
  useQuery({
    queryKey: ["rules"],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: async () => dataOf(await api.GET("/api/rules")),
  });

/** The limits of a book as text, to be edited. */
export const useLimits = (id: number) =>
  useQuery({
    queryKey: ["limits", id],
    // What was kept when they were edited before may be another text by now.
    gcTime: 0,
    queryFn: async () => dataOf(await api.GET("/api/books/{id}/limits", { params: { path: { id } } })),
  });

export const useKeepLimits = (id: number) =>
  useChange((edit: Schemas["LimitsEdit"]) =>
    api.PUT("/api/books/{id}/limits", { params: { path: { id } }, body: edit }),
  );

/** The checks of a book, and the limits of one of them. */
export const useGate = (id: number, check: number | undefined) =>
  useQuery({
    queryKey: ["gate", id, check],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      dataOf(
        await api.GET("/api/books/{id}/gate", {
          params: { path: { id }, query: check === undefined ? {} : { check } },
        }),
      ),
  });
