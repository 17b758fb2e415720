import type { Schemas } from "../api/client";

export type Block = Schemas["PicturedBlockView"];
export type Rows = Schemas["RowCount"];

/** A stretch of a strand: from one place to another, as thick as its rows. */
export type Stretch = {
  from: { x: number; y: number };
  to: { x: number; y: number };
  /** Where it is level until; it bends behind. */
  bend: number;
  start: number;
  end: number;
  counted: boolean;
};

export type Station = { join: number; x: number; y: number; rows: Rows | null; tables: number[] };

export type Confluence = {
  stretches: Stretch[];
  stations: Station[];
  /** Where strands of tables that nothing ties break off. */
  breaks: { table: number; x: number; y: number }[];
  end: { x: number; y: number };
};

export const rowHeight = 34;
const thickest = 16;
const thinnest = 1;
const mouth = 46;

/** The most rows that a picture has to draw: pictures that stand side by side are on the scale of all of them. */
export const mostOf = (blocks: Block[]) =>
  Math.max(
    10,
    ...blocks.flatMap((b) => [
      ...b.tables.flatMap((t) => [t.holds?.rows ?? 0, t.passing?.rows ?? 0]),
      ...b.joins.map((j) => j.leaving?.rows ?? 0),
      b.result?.rows ?? 0,
    ]),
  );

/** Thickness on a scale of powers of ten; what nobody knows is as thin as nothing. */
export const thickness = (rows: number | null | undefined, most: number) =>
  rows === null || rows === undefined
    ? thinnest
    : Math.max(thinnest, (Math.log10(rows + 1) / Math.log10(most + 1)) * thickest);

/**
 * Strands of tables, each on a line of its own, that narrow to what their conditions let through and flow into each other where they are
 * joined: the others bend into the one that the plan begins with.
 */
export function confluence(block: Block, width: number, most: number): Confluence {
  const stretches: Stretch[] = [];
  const stations: Station[] = [];
  const breaks: Confluence["breaks"] = [];
  const thick = (rows: Rows | null) => thickness(rows?.rows, most);
  type Bundle = { tables: number[]; x: number; y: number; rows: Rows | null };
  let bundles: Bundle[] = block.tables.map((t, n) => {
    const y = n * rowHeight + rowHeight / 2;
    stretches.push({
      from: { x: 0, y },
      to: { x: mouth, y },
      bend: mouth / 3,
      start: thick(t.holds),
      end: thick(t.passing),
      counted: (t.holds?.counted ?? false) && (t.passing?.counted ?? false),
    });
    return { tables: [n], x: mouth, y, rows: t.passing };
  });
  const step = (width - mouth) / Math.max(1, block.joins.length + 0.8);
  block.joins.forEach((join, n) => {
    const members = bundles.filter((b) => b.tables.every((t) => join.tables.includes(t)));
    const first = members[0];
    if (!first || members.length < 2) {
      return;
    }
    const x = mouth + step * (n + 1);
    for (const m of members) {
      // What nothing ties does not flow in: it is held against every row.
      const both = [first.tables, m.tables];
      const loose =
        m !== first &&
        both.some((b) => b.some((t) => block.tables[t]?.apart)) &&
        !block.ties.some((t) => both.every((b) => t.tables.some((n) => b.includes(n))));
      const to = loose ? { x: x - 18, y: m.y } : { x, y: first.y };
      stretches.push({
        from: { x: m.x, y: m.y },
        to,
        bend: loose ? to.x : Math.max(m.x, x - 40),
        start: thick(m.rows),
        end: thick(m.rows),
        counted: m.rows?.counted ?? false,
      });
      if (loose) {
        breaks.push({ table: m.tables[0] ?? 0, x: to.x, y: m.y });
      }
    }
    const tables = members.flatMap((m) => m.tables);
    stations.push({ join: n, x, y: first.y, rows: join.leaving, tables });
    bundles = [{ tables, x, y: first.y, rows: join.leaving }, ...bundles.filter((b) => !members.includes(b))];
  });
  const trunk = bundles[0] ?? { x: mouth, y: rowHeight / 2, rows: null };
  const end = { x: width, y: trunk.y };
  stretches.push({
    from: { x: trunk.x, y: trunk.y },
    to: end,
    bend: end.x,
    start: thick(trunk.rows),
    end: thick(block.result && block.folds ? block.result : trunk.rows),
    counted: trunk.rows?.counted ?? false,
  });
  return { stretches, stations, breaks, end };
}

/** The outline of a stretch. */
export function outline(s: Stretch): string {
  const a = s.start / 2;
  const b = s.end / 2;
  const middle = (s.bend + s.to.x) / 2;
  return [
    `M${s.from.x} ${s.from.y - a}`,
    `L${s.bend} ${s.from.y - a}`,
    `C${middle} ${s.from.y - a} ${middle} ${s.to.y - b} ${s.to.x} ${s.to.y - b}`,
    `L${s.to.x} ${s.to.y + b}`,
    `C${middle} ${s.to.y + b} ${middle} ${s.from.y + a} ${s.bend} ${s.from.y + a}`,
    `L${s.from.x} ${s.from.y + a}Z`,
  ].join(" ");
}
