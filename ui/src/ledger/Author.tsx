import { useState } from "react";

const place = "author";

/** Who posts: remembered in this browser. */
export function useAuthor(): [string, (to: string) => void] {
  const [author, setAuthor] = useState(() => localStorage.getItem(place) ?? "");
  return [
    author,
    (to) => {
      localStorage.setItem(place, to);
      setAuthor(to);
    },
  ];
}

export function Author({ author, set }: { author: string; set: (to: string) => void }) {
  return (
    <label className="flex items-baseline gap-2">
      Who answers for it
      <input
        className="field min-w-0 grow"
        value={author}
        onChange={(e) => set(e.target.value)}
        required
        autoComplete="name"
      />
    </label>
  );
}
