import { useState } from "react";
import { count, three } from "../format/figures";
import type { Choice, Side } from "./choice";
import { type Block, confluence, mostOf, outline, type Rows, rowHeight } from "./confluence";
import { PictureDetail } from "./PictureDetail";

const drawing = 236;
const told = 96;

/** A part of a picture: a table, or a join. */
export type Part = { block: number; table?: number; join?: number } | null;

/** A statement as strands of rows that flow together: how much each table holds, what its conditions leave of it, and what leaves each join. */
export function Picture({
  blocks,
  sql,
  side,
  most = mostOf(blocks),
  choose,
}: {
  blocks: Block[];
  sql: string;
  side: Side;
  most?: number;
  choose?: (choice: Choice) => void;
}) {
  const [part, setPart] = useState<Part>(null);
  const pick = (to: NonNullable<Part>) => {
    setPart(to);
    const at = to.table === undefined ? undefined : blocks[to.block]?.tables[to.table]?.operator;
    if (at !== undefined && at !== null) {
      choose?.({ side, at });
    }
  };
  return (
    <>
      {blocks.map((b, n) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: blocks have no other name than their place.
        <BlockPicture key={n} block={b} number={n} side={side} most={most} part={part} pick={pick} />
      ))}
      {part && blocks[part.block] && (
        <PictureDetail block={blocks[part.block] as Block} sql={sql} part={part} />
      )}
      <p className="mt-1 text-quiet text-sm">
        Upright: counted. <i>Slanted: expected.</i> ?: nobody knows. Choose a table or a join to see its text.
      </p>
    </>
  );
}

function BlockPicture({
  block,
  number,
  side,
  most,
  part,
  pick,
}: {
  block: Block;
  number: number;
  side: Side;
  most: number;
  part: Part;
  pick: (to: NonNullable<Part>) => void;
}) {
  const height = block.tables.length * rowHeight;
  return (
    <table className="ruled mb-3 w-auto!">
      <caption className="text-left text-quiet text-sm">
        {block.isOuter
          ? block.statement
            ? `statement ${block.statement}`
            : "the query"
          : "a query within it"}
        {block.endsEarly && ": it may stop once it has enough; what leaves its joins is counted up to there"}
      </caption>
      <thead>
        <tr>
          <th scope="col">table</th>
          <th scope="col" className="num">
            holds
          </th>
          <th scope="col" className="num">
            pass
          </th>
          <th scope="col">rows that flow together</th>
        </tr>
      </thead>
      <tbody>
        {block.tables.map((t, n) => (
          <tr
            // biome-ignore lint/suspicious/noArrayIndexKey: a block may read a table twice.
            key={n}
            style={{ height: rowHeight }}
            className={part?.block === number && part.table === n ? "bg-chosen" : ""}
          >
            <td className="align-middle! whitespace-nowrap">
              <button
                type="button"
                className="link"
                aria-pressed={part?.block === number && part.table === n}
                onClick={() => pick({ block: number, table: n })}
              >
                {t.table || "query"}
                {t.alias && t.alias !== t.table && <span className="text-quiet"> {t.alias}</span>}
              </button>
              {t.optional && <span className="text-quiet text-sm"> optional</span>}
              {t.apart && (
                <strong className="block text-dearer text-sm leading-none">joined by nothing</strong>
              )}
            </td>
            <td className="num align-middle!">
              <Figure rows={t.holds} />
            </td>
            <td className="num align-middle!">{t.conditions.length > 0 && <Figure rows={t.passing} />}</td>
            {n === 0 && (
              <td rowSpan={block.tables.length} className="p-0! align-top!">
                <Strands
                  block={block}
                  number={number}
                  side={side}
                  most={most}
                  height={height}
                  part={part}
                  pick={pick}
                />
              </td>
            )}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Strands({
  block,
  number,
  side,
  most,
  height,
  part,
  pick,
}: {
  block: Block;
  number: number;
  side: Side;
  most: number;
  height: number;
  part: Part;
  pick: (to: NonNullable<Part>) => void;
}) {
  const drawn = confluence(block, drawing, most);
  const named = (tables: number[]) => tables.map((t) => block.tables[t]?.alias || "query").join(", ");
  return (
    <svg width={drawing + told} height={height} viewBox={`0 0 ${drawing + told} ${height}`} className="block">
      <title>{`${named(block.tables.map((_, n) => n))} flow together`}</title>
      {drawn.stretches.map((s, n) => (
        <path
          // biome-ignore lint/suspicious/noArrayIndexKey: stretches have no other name than their place.
          key={n}
          d={outline(s)}
          fill={
            side === "before" ? "var(--color-paper)" : s.counted ? "var(--color-strong)" : "var(--color-band)"
          }
          stroke="var(--color-strong)"
          strokeDasharray={s.counted ? undefined : "3 2"}
        />
      ))}
      {drawn.breaks.map((b) => (
        <path
          key={b.table}
          d={`M${b.x + 3} ${b.y - 7}l8 14m0 -14l-8 14`}
          className="stroke-dearer"
          strokeWidth="2"
          fill="none"
        />
      ))}
      {drawn.stations.map((s) => {
        const chosen = part?.block === number && part.join === s.join;
        const choose = () => pick({ block: number, join: s.join });
        return (
          <g
            key={s.join}
            role="button"
            tabIndex={0}
            aria-pressed={chosen}
            aria-label={`Join of ${named(s.tables)}: ${said(s.rows)} leave it`}
            className="cursor-pointer"
            onClick={choose}
            onKeyDown={(e) => {
              if (e.key === "Enter" || e.key === " ") {
                e.preventDefault();
                choose();
              }
            }}
          >
            <rect x={s.x - 6} y={s.y - 15} width={64} height={30} fill="transparent" />
            <circle
              cx={s.x}
              cy={s.y}
              r={chosen ? 6 : 4}
              fill="var(--color-paper)"
              stroke="var(--color-ink)"
              strokeWidth={chosen ? 2.5 : 1.5}
            />
            <text
              x={s.x + 8}
              y={s.y - 6}
              className={`fill-ink text-xs ${s.rows?.counted ? "" : "italic"}`}
              stroke="var(--color-paper)"
              strokeWidth="3"
              paintOrder="stroke"
            >
              {s.rows ? short(s.rows) : "?"}
            </text>
          </g>
        );
      })}
      <text x={drawn.end.x + 6} y={drawn.end.y + 4} className="fill-ink text-xs">
        {block.result
          ? `${count(block.result.rows)}${block.folds ? ` after ${block.folds}` : ""}`
          : block.folds}
      </text>
    </svg>
  );
}

function Figure({ rows }: { rows: Rows | null }) {
  return rows === null ? (
    <span className="text-quiet">not known</span>
  ) : rows.counted ? (
    count(rows.rows)
  ) : (
    <i className="text-quiet">{short(rows)}</i>
  );
}

const short = (rows: Rows | null) =>
  rows === null ? "not known" : rows.rows >= 1 || rows.rows === 0 ? count(rows.rows) : three(rows.rows);

const said = (rows: Rows | null) =>
  rows === null ? "nobody knows how many rows" : `${short(rows)} rows${rows.counted ? "" : ", as expected,"}`;
