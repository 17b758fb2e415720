import { useMutation } from "@tanstack/react-query";
import { api, dataOf } from "./client";

/** Runs a script on a copy of a book's database. */
export const useBatch = (id: number) =>
  useMutation({
    mutationFn: async (script: string) =>
      dataOf(
        await api.POST("/api/books/{id}/batch", {
          params: { path: { id } },
          body: { script, trustSql: false },
        }),
      ),
  });
