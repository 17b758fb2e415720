import { useMemo } from "react";

const keywords = new Set(
  "select from where and or not in is null as on join left right inner outer cross group by order having limit offset union all except intersect insert into values update set delete create drop alter add table index view trigger unique begin end commit with recursive case when then else exists between like distinct primary key references default desc asc after before of for each row analyze pragma if returning integer text real blob using".split(
    " ",
  ),
);

const pieces = /(--[^\n]*|\/\*[\s\S]*?\*\/|'(?:[^']|'')*'|[A-Za-z_]\w*|[:@$?]\w+)/;

/** A piece of the text that belongs to an operator of a plan. */
export type SqlMark = { start: number; end: number; at: number };

type Props = {
  text: string;
  label: string;
  marks?: SqlMark[];
  chosen?: number | null;
  choose?: (at: number) => void;
};

const none: SqlMark[] = [];

/** SQL set for reading: keywords stand out by weight, strings and comments by ink. What the server ran is never altered. */
export function Sql({ text, label, marks = none, chosen = null, choose }: Props) {
  const parts = useMemo(() => cut(text, marks), [text, marks]);
  return (
    <pre
      role="group"
      tabIndex={0}
      aria-label={label}
      className="max-h-80 overflow-auto whitespace-pre-wrap break-words border-l-2 border-rule pl-3 font-mono text-sm"
    >
      {parts.map(({ piece, start, look, at }) => {
        const mine = chosen !== null && at.includes(chosen);
        const first = at[0];
        return first === undefined ? (
          <span key={start} className={look}>
            {piece}
          </span>
        ) : (
          // biome-ignore lint/a11y/useKeyWithClickEvents lint/a11y/noStaticElementInteractions: the plan's operators lead the same way by keyboard.
          <span
            key={start}
            className={`cursor-pointer ${look ?? ""} ${mine ? "bg-chosen underline decoration-2 underline-offset-2" : ""}`}
            data-operator={first}
            onClick={() => choose?.(first)}
          >
            {piece}
          </span>
        );
      })}
    </pre>
  );
}

function cut(text: string, marks: SqlMark[]) {
  const borders = new Set(marks.flatMap((m) => [m.start, m.end]));
  const parts: { piece: string; start: number; look: string | undefined; at: number[] }[] = [];
  const inOrder = [...marks].sort((a, b) => a.start - b.start);
  let open: SqlMark[] = [];
  let next = 0;
  let at = 0;
  for (const piece of text.split(pieces).filter((p) => p !== "")) {
    const look = lookOf(piece);
    let from = at;
    for (let i = at + 1; i <= at + piece.length; i++) {
      if (i === at + piece.length || borders.has(i)) {
        const start = from;
        while (next < inOrder.length && (inOrder[next]?.start ?? 0) <= start) {
          open.push(inOrder[next++] as SqlMark);
        }
        open = open.filter((m) => start < m.end);
        const mine = open.map((m) => m.at);
        const last = parts.at(-1);
        if (
          last &&
          last.look === look &&
          last.at.length === mine.length &&
          last.at.every((a, k) => a === mine[k])
        ) {
          last.piece += text.slice(from, i);
        } else {
          parts.push({ piece: text.slice(from, i), start, look, at: mine });
        }
        from = i;
      }
    }
    at += piece.length;
  }
  return parts;
}

function lookOf(piece: string): string | undefined {
  if (piece.startsWith("--") || piece.startsWith("/*")) {
    return "text-quiet italic";
  }
  if (piece.startsWith("'") || /^[:@$?]\w/.test(piece)) {
    return "text-cheaper";
  }
  return keywords.has(piece.toLowerCase()) ? "font-medium" : undefined;
}
