import { useQuery } from "@tanstack/react-query";
import { api, dataOf, type Schemas } from "./client";

export type Round = Schemas["RoundView"];
export type Alerts = Schemas["AlertsPage"];
export type Alert = Schemas["AlertView"];

const pace = 5000;

/** What the server does for a book again and again. */
export const useRounds = (id: number) =>
  useQuery({
    queryKey: ["rounds", id],
    queryFn: async () => dataOf(await api.GET("/api/books/{id}/rounds", { params: { path: { id } } })),
    refetchInterval: pace,
  });

/** What a book told whoever does not look at it. */
export const useAlerts = (id: number) =>
  useQuery({
    queryKey: ["alerts", id],
    queryFn: async () => dataOf(await api.GET("/api/books/{id}/alerts", { params: { path: { id } } })),
    refetchInterval: pace,
  });
