import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, dataOf, type Schemas } from "./client";

export type GatePage = Schemas["GatePage"];
export type GateCourse = Schemas["GateCourse"];
export type CheckState = Schemas["CheckState"];

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
