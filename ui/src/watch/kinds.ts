/** Kinds of wait in the server's words (PostgreSQL manual, 28.2.3), put into ours where theirs are terse. */
const words: Record<string, string> = {
  running: "on a processor",
  Lock: "a lock",
  LWLock: "a latch of shared memory",
  BufferPin: "a pinned page",
  IO: "the disk",
  IPC: "another process",
  Client: "the client",
  Timeout: "a time-out",
  Extension: "an extension",
  Activity: "background work",
};

/** What sessions wait for; the server's own word where we have none. */
export function wordOf(kind: string): string {
  return words[kind] ?? kind;
}
