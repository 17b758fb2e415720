import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { goesOn } from "./batch";
import { api, dataOf, type Schemas } from "./client";

export type ProposalSearch = Schemas["ProposalPage"];
export type Proposal = Schemas["ProposalView"];
export type Measured = Schemas["MeasuredBill"];
export type Proof = Schemas["ProofItem"];
export type ProposalSettings = Schemas["ProposalSettings"];
export type Kind = Schemas["ProposalKind"];
export type Fate = Schemas["ProposalFate"];

const pace = 1000;

/** The searches of a book, the latest first. */
export const useProposalSearches = (id: number) =>
  useQuery({
    queryKey: ["proposal searches", id],
    enabled: id > 0,
    queryFn: async () => dataOf(await api.GET("/api/books/{id}/proposals", { params: { path: { id } } })),
    refetchInterval: (query) => (query.state.data?.searches.some((s) => goesOn(s.state)) ? 3 * pace : false),
  });

/** One of them with what it found; asked for again while it waits or runs. */
export const useProposalSearch = (id: number, search: number | undefined) =>
  useQuery({
    queryKey: ["proposals", id, search],
    enabled: search !== undefined,
    queryFn: async () =>
      dataOf(
        await api.GET("/api/books/{id}/proposals/{search}", {
          params: { path: { id, search: search ?? 0 } },
        }),
      ),
    refetchInterval: (query) => (goesOn(query.state.data?.state) ? pace : false),
  });

/** What comes back of an action is the search as it is then. */
function useKept(id: number) {
  const client = useQueryClient();
  return (made: ProposalSearch) => {
    client.setQueryData(["proposals", id, made.id], made);
    client.invalidateQueries({ queryKey: ["proposal searches", id] });
    client.invalidateQueries({ queryKey: ["book", id] });
  };
}

export function useLookForProposals(id: number) {
  const kept = useKept(id);
  return useMutation({
    mutationFn: async (settings: ProposalSettings) =>
      dataOf(
        await api.POST("/api/books/{id}/proposals", {
          params: { path: { id } },
          body: { workload: null, settings },
        }),
      ),
    onSuccess: kept,
  });
}

/** Measures those of some numbers, or, where none are given, all that the limits allow and then the set. */
export function useTryProposals(id: number, search: number) {
  const kept = useKept(id);
  return useMutation({
    mutationFn: async (numbers: number[] | null) =>
      dataOf(
        await api.POST("/api/books/{id}/proposals/{search}/try", {
          params: { path: { id, search } },
          body: { numbers },
        }),
      ),
    onSuccess: kept,
  });
}

export function useTurnDown(id: number, search: number, number: number) {
  const kept = useKept(id);
  const path = { id, search, number };
  const down = useMutation({
    mutationFn: async (body: Schemas["TurnDownRequest"]) =>
      dataOf(
        await api.POST("/api/books/{id}/proposals/{search}/{number}/turn-down", { params: { path }, body }),
      ),
    onSuccess: kept,
  });
  const back = useMutation({
    mutationFn: async () =>
      dataOf(await api.POST("/api/books/{id}/proposals/{search}/{number}/take-back", { params: { path } })),
    onSuccess: kept,
  });
  return { down, back };
}

export function useProposalSearchAction(id: number) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ search, act }: { search: number; act: "cancel" | "delete" }) => {
      const params = { path: { id, search } };
      await (act === "cancel"
        ? api.POST("/api/books/{id}/proposals/{search}/cancel", { params })
        : api.DELETE("/api/books/{id}/proposals/{search}", { params }));
    },
    onSuccess: () => {
      client.invalidateQueries({ queryKey: ["proposal searches", id] });
      client.invalidateQueries({ queryKey: ["proposals", id] });
    },
  });
}
