import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, dataOf, type Schemas } from "./client";
import type { Narrowing } from "./daybook";

export type DepartureView = Schemas["DepartureView"];
export type Execution = Schemas["ExecutionView"];

const whoseOf = ({ from, to, sources, database, user, application, load }: Narrowing) => ({
  from,
  to,
  sources,
  database,
  user,
  application,
  load,
});

/** What the statements that name each table took in a span. */
export const useTables = (id: number, narrowing: Narrowing) =>
  useQuery({
    queryKey: ["tables", id, whoseOf(narrowing)],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      dataOf(
        await api.GET("/api/books/{id}/tables", {
          params: { path: { id }, query: whoseOf(narrowing) },
        }),
      ),
  });

/** Hours that took more or less than they usually do. */
export const useDepartures = (id: number, narrowing: Narrowing) =>
  useQuery({
    queryKey: ["departures", id, whoseOf(narrowing)],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      dataOf(
        await api.GET("/api/books/{id}/departures", {
          params: { path: { id }, query: whoseOf(narrowing) },
        }),
      ),
  });

/** What was found in the plans that captures hold. */
export const useCapturedFindings = (id: number, narrowing: Narrowing) =>
  useQuery({
    queryKey: ["captured findings", id, whoseOf(narrowing)],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      dataOf(
        await api.GET("/api/books/{id}/findings", {
          params: { path: { id }, query: whoseOf(narrowing) },
        }),
      ),
  });

/** Which statements of the daybook ran through which index. */
export const useIndexUsers = (id: number) =>
  useQuery({
    queryKey: ["index users", id],
    queryFn: async () => dataOf(await api.GET("/api/books/{id}/indexes", { params: { path: { id } } })),
  });

/** The kept executions of a span, the longest first. */
export const useExecutions = (id: number, narrowing: Narrowing) => {
  const { from, to, sources, text, kind, table, tag, slow } = narrowing;
  const query = { from, to, sources, text, kind, table, tag, slow };
  return useQuery({
    queryKey: ["executions", id, query],
    placeholderData: keepPreviousData,
    queryFn: async () =>
      dataOf(await api.GET("/api/books/{id}/executions", { params: { path: { id }, query } })),
  });
};
