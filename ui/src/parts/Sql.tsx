import { useMemo } from "react";

const keywords = new Set(
  "select from where and or not in is null as on join left right inner outer cross group by order having limit offset union all except intersect insert into values update set delete create drop alter add table index view trigger unique begin end commit with recursive case when then else exists between like distinct primary key references default desc asc after before of for each row analyze pragma if returning integer text real blob using".split(
    " ",
  ),
);

const pieces = /(--[^\n]*|\/\*[\s\S]*?\*\/|'(?:[^']|'')*'|[A-Za-z_]\w*|[:@$?]\w+)/;

/** SQL set for reading: keywords stand out by weight, strings and comments by ink. What the server ran is never altered. */
export function Sql({ text, label }: { text: string; label: string }) {
  const parts = useMemo(() => {
    let at = 0;
    return text
      .split(pieces)
      .filter((piece) => piece !== "")
      .map((piece) => {
        const start = at;
        at += piece.length;
        return { piece, start, look: lookOf(piece) };
      });
  }, [text]);
  return (
    <pre
      role="group"
      tabIndex={0}
      aria-label={label}
      className="max-h-80 overflow-auto whitespace-pre-wrap break-words border-l-2 border-rule pl-3 font-mono text-[13px]"
    >
      {parts.map(({ piece, start, look }) => (
        <span key={start} className={look}>
          {piece}
        </span>
      ))}
    </pre>
  );
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
