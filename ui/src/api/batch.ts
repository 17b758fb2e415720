import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, dataOf, type Schemas } from "./client";

export type Script = Schemas["ScriptPage"];

export const goesOn = (state: string | undefined) => state === "waiting" || state === "running";

const pace = 700;

/** The scripts that were run on copies of a book's database, the latest first. */
export const useScripts = (id: number) =>
  useQuery({
    queryKey: ["scripts", id],
    enabled: id > 0,
    queryFn: async () => dataOf(await api.GET("/api/books/{id}/scripts", { params: { path: { id } } })),
  });

/** One of them; asked for again while it waits or runs. */
export const useScript = (id: number, script: number | undefined) =>
  useQuery({
    queryKey: ["script", id, script],
    enabled: script !== undefined,
    queryFn: async () =>
      dataOf(
        await api.GET("/api/books/{id}/scripts/{script}", { params: { path: { id, script: script ?? 0 } } }),
      ),
    refetchInterval: (query) => (goesOn(query.state.data?.state) ? pace : false),
  });

/** Has a script run on a copy of a book's database, when its turn comes. */
export function useRunScript(id: number) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async (script: string) =>
      dataOf(
        await api.POST("/api/books/{id}/scripts", {
          params: { path: { id } },
          body: { script, trustSql: false },
        }),
      ),
    onSuccess: (made) => {
      client.setQueryData(["script", id, made.id], made);
      client.invalidateQueries({ queryKey: ["scripts", id] });
    },
  });
}

export function useScriptAction(id: number) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: async ({ script, act }: { script: number; act: "cancel" | "delete" }) => {
      const params = { path: { id, script } };
      await (act === "cancel"
        ? api.POST("/api/books/{id}/scripts/{script}/cancel", { params })
        : api.DELETE("/api/books/{id}/scripts/{script}", { params }));
    },
    onSuccess: () => {
      client.invalidateQueries({ queryKey: ["scripts", id] });
      client.invalidateQueries({ queryKey: ["script", id] });
    },
  });
}
