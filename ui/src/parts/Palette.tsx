import { useQueries } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { Command } from "cmdk";
import { api, dataOf } from "../api/client";
import { useBooks } from "../api/hooks";
import { Wrong } from "./Notice";

/** One line in which everything can be found: books, their changes and trials, and what can be done. */
export function Palette({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  const navigate = useNavigate();
  const books = useBooks();
  const pages = useQueries({
    queries: (open ? (books.data ?? []) : []).map((b) => ({
      queryKey: ["book", b.id],
      queryFn: async () => dataOf(await api.GET("/api/books/{id}", { params: { path: { id: b.id } } })),
    })),
  });
  const run = (act: () => void) => () => {
    onOpenChange(false);
    act();
  };
  return (
    <Command.Dialog
      open={open}
      onOpenChange={onOpenChange}
      label="Go to or do"
      overlayClassName="fixed inset-0 bg-ink/25"
      contentClassName="fixed top-24 left-1/2 w-[36rem] -translate-x-1/2 border border-strong bg-paper p-3"
    >
      <Command.Input placeholder="Type a few letters" className="field w-full" />
      <Command.List className="mt-2 max-h-80 overflow-y-auto [&_[cmdk-group-heading]]:mt-2 [&_[cmdk-group-heading]]:text-quiet [&_[cmdk-item]]:cursor-pointer [&_[cmdk-item]]:px-2 [&_[cmdk-item]]:py-0.5 [&_[data-selected=true]]:bg-chosen">
        <Command.Empty className="px-2 text-quiet">Nothing is called that.</Command.Empty>
        <Wrong error={books.error ?? pages.find((p) => p.error)?.error ?? null} />
        <Command.Group heading="Do">
          <Command.Item onSelect={run(() => navigate({ to: "/new", search: {} }))}>
            Start a new trial
          </Command.Item>
        </Command.Group>
        <Command.Group heading="Books">
          {books.data?.map((b) => (
            <Command.Item
              key={b.id}
              value={`book ${b.id} ${b.name}`}
              onSelect={run(() =>
                navigate({ to: "/books/$bookId", params: { bookId: String(b.id) }, search: {} }),
              )}
            >
              {b.name}
            </Command.Item>
          ))}
        </Command.Group>
        <Command.Group heading="Daybooks">
          {books.data?.map((b) => (
            <Command.Item
              key={b.id}
              value={`daybook ${b.id} ${b.name}`}
              onSelect={run(() =>
                navigate({ to: "/books/$bookId/daybook", params: { bookId: String(b.id) }, search: {} }),
              )}
            >
              Daybook: {b.name}
            </Command.Item>
          ))}
        </Command.Group>
        <Command.Group heading="Trials and changes">
          {pages.flatMap((p) => [
            ...(p.data?.trials.slice(0, 20).map((t) => (
              <Command.Item
                key={`t${t.id}`}
                value={`trial ${t.id} ${t.title}`}
                onSelect={run(() => navigate({ to: "/trials/$trialId", params: { trialId: String(t.id) } }))}
              >
                Trial {t.id}: {t.title}
              </Command.Item>
            )) ?? []),
            ...(p.data?.changes.map((c) => (
              <Command.Item
                key={`c${c.id}`}
                value={`change ${c.id} ${c.title}`}
                onSelect={run(() =>
                  navigate({
                    to: "/books/$bookId",
                    params: { bookId: String(p.data?.book.id) },
                    search: { change: c.id },
                  }),
                )}
              >
                Change: {c.title}
              </Command.Item>
            )) ?? []),
          ])}
        </Command.Group>
      </Command.List>
    </Command.Dialog>
  );
}
