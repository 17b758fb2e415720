import type { ReactNode } from "react";
import type { Schemas } from "../api/client";
import { count, percent, three } from "../format/figures";
import type { Block } from "./confluence";
import type { Part } from "./Picture";

/** The text of a part of the picture, and what serves it: indexes, and what is known of the columns that it names. */
export function PictureDetail({ block, sql, part }: { block: Block; sql: string; part: NonNullable<Part> }) {
  const text = (p: Schemas["PlaceView"]) => sql.slice(p.start, p.start + p.length);
  if (part.join !== undefined) {
    const join = block.joins[part.join];
    const within = (tables: number[]) => tables.every((t) => join?.tables.includes(t));
    const sooner = block.joins.slice(0, part.join);
    const ties = block.ties.filter(
      (t) => within(t.tables) && !sooner.some((j) => t.tables.every((n) => j.tables.includes(n))),
    );
    return (
      <Detail>
        <Row name="tied by">
          {ties.length > 0 ? (
            <Codes texts={ties.map((t) => text(t.place))} />
          ) : (
            <strong className="text-dearer">nothing: every row meets every row</strong>
          )}
        </Row>
      </Detail>
    );
  }
  const table = block.tables[part.table ?? 0];
  if (!table) {
    return null;
  }
  const ties = block.ties.filter((t) => t.tables.includes(part.table ?? 0));
  return (
    <Detail>
      <Row name="read as">
        <Codes texts={[text(table.place)]} />
      </Row>
      {table.conditions.length > 0 && (
        <Row name="its conditions">
          <Codes texts={table.conditions.map(text)} />
        </Row>
      )}
      {ties.length > 0 && (
        <Row name="tied by">
          <Codes texts={ties.map((t) => text(t.place))} />
        </Row>
      )}
      <Row name="indexes">
        {table.indexes.length === 0
          ? "none begins with a column that these name"
          : table.indexes.map((i) => (
              <span key={i.name} className="block">
                {i.name} (<strong>{i.columns.slice(0, i.leading).join(", ")}</strong>
                {i.leading > 0 && i.leading < i.columns.length && ", "}
                {i.columns.slice(i.leading).join(", ")}){i.used && ", used by the plan"}
                {i.rowsPerKey !== null && (
                  <i className="text-quiet">, about {three(i.rowsPerKey)} rows share what is named</i>
                )}
              </span>
            ))}
      </Row>
      {table.columns.length > 0 && (
        <Row name="columns">
          {table.columns.map((c) => (
            <span key={c.name} className="block">
              {c.name}
              <span className="text-quiet">{known(c)}</span>
            </span>
          ))}
        </Row>
      )}
    </Detail>
  );
}

function known(c: Schemas["KnownColumn"]): string {
  const said = [
    c.distinct !== null && `about ${count(c.distinct)} different values`,
    c.commonest !== null && `the commonest in ${percent(c.commonest)} of the rows`,
    c.nullFraction !== null &&
      (c.nullFraction > 0 ? `${percent(c.nullFraction)} without a value` : "never without a value"),
  ].filter((t) => t);
  return said.length > 0 ? `: ${said.join(", ")}` : ": no statistics";
}

function Detail({ children }: { children: ReactNode }) {
  return (
    <dl aria-live="polite" className="grid grid-cols-[auto_1fr] gap-x-4 border-rule border-l-2 pl-2 text-sm">
      {children}
    </dl>
  );
}

function Row({ name, children }: { name: string; children: ReactNode }) {
  return (
    <>
      <dt className="whitespace-nowrap text-quiet">{name}</dt>
      <dd className="min-w-0 break-words">{children}</dd>
    </>
  );
}

function Codes({ texts }: { texts: string[] }) {
  return texts.map((t, n) => (
    // biome-ignore lint/suspicious/noArrayIndexKey: a condition may stand twice.
    <code key={n} className="block whitespace-pre-wrap font-mono">
      {t}
    </code>
  ));
}
