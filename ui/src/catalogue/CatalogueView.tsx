import { Link, useNavigate, useParams, useSearch } from "@tanstack/react-router";
import type { Schemas } from "../api/client";
import { useIndexUsers } from "../api/costs";
import { useBook } from "../api/hooks";
import { useCatalogue } from "../api/plans";
import { bytes, count, moment, three } from "../format/figures";
import { BookLink, Frame } from "../parts/Frame";
import { moveAlong } from "../parts/keys";
import { EmptyState } from "../parts/Notice";
import { Page, Spread } from "../parts/Spread";
import { Findings } from "../plans/Findings";

type Catalogue = Schemas["CatalogueView"];
type Table = Schemas["TableView"];

/** What a book's database holds, and what its planner believes of it. */
export function CatalogueView() {
  const id = Number(useParams({ strict: false }).bookId);
  const { table } = useSearch({ strict: false });
  const book = useBook(id);
  const query = useCatalogue(id);
  const navigate = useNavigate();
  const page = query.data;
  const chosen = page?.tables.find((t) => t.name === table);
  const select = (name?: string) =>
    navigate({
      to: "/books/$bookId/catalogue",
      params: { bookId: String(id) },
      search: name ? { table: name } : {},
      replace: true,
    });
  return (
    <Frame
      title={book.data ? `Catalogue of ${book.data.book.name}` : undefined}
      at={
        <>
          <BookLink id={id} name={book.data?.book.name} />
          {" / "}catalogue
        </>
      }
      of={query}
      reading="Reading the catalogue."
    >
      {page && page.trialId === null && (
        <div className="px-5">
          <EmptyState wholePage title="Nobody has read the catalogue yet">
            A trial reads it from its private copy, where the SQLite that counts is built.{" "}
            <Link className="link" to="/new" search={{ book: id }}>
              Start a trial
            </Link>
          </EmptyState>
        </div>
      )}
      {page && page.trialId !== null && (
        <Spread
          name="catalogue"
          left={
            <Page label="Tables" head={<Head page={page} />}>
              <Tables page={page} chosen={chosen?.name} select={select} />
            </Page>
          }
          right={
            chosen ? (
              <TablePanel book={id} table={chosen} pageSize={page.pageSize} close={() => select()} />
            ) : (
              <Page label="Indexes" head={<h2 className="head">Indexes that cost and serve nothing</h2>}>
                <Findings
                  findings={page.findings}
                  side="before"
                  none="Every index serves a statement of the workload, and none twice."
                />
              </Page>
            )
          }
        />
      )}
    </Frame>
  );
}

function Head({ page }: { page: Catalogue }) {
  const size = page.tables.reduce((s, t) => s + pagesOf(t), 0) * page.pageSize;
  return (
    <>
      <h1 className="head">
        {count(page.tables.length)} tables, {bytes(size)}
      </h1>
      <p className="text-quiet">
        before the change of{" "}
        <Link className="link" to="/trials/$trialId" params={{ trialId: String(page.trialId) }}>
          trial {page.trialId}
        </Link>
        {page.readAt && `, ${moment(page.readAt)}`}
      </p>
    </>
  );
}

const pagesOf = (t: Table) => (t.pages ?? 0) + t.indexes.reduce((s, i) => s + (i.index.pages ?? 0), 0);
const mib = (pages: number | null, pageSize: number) =>
  pages === null ? "" : three((pages * pageSize) / (1 << 20));

function Tables(p: { page: Catalogue; chosen?: string | undefined; select: (name: string) => void }) {
  const { tables, pageSize } = p.page;
  const at = tables.findIndex((t) => t.name === p.chosen);
  return (
    <table className="ruled">
      <caption className="sr-only">Tables; arrow keys select one.</caption>
      <thead>
        <tr>
          <th scope="col">table</th>
          <th scope="col" className="num">
            rows
          </th>
          <th scope="col" className="num">
            MiB
          </th>
          <th scope="col" className="num">
            indexes
          </th>
          <th scope="col" className="num">
            their MiB
          </th>
          <th scope="col">statistics</th>
        </tr>
      </thead>
      <tbody
        onKeyDown={(e) =>
          moveAlong(e, tables.length, at, (to) => {
            const next = tables[to];
            if (next) {
              p.select(next.name);
              document.getElementById(`table-${next.name}`)?.focus();
            }
          })
        }
      >
        {tables.map((t) => (
          <tr key={t.name} className={t.name === p.chosen ? "bg-chosen" : ""}>
            <td className="w-full">
              <button
                type="button"
                id={`table-${t.name}`}
                aria-pressed={t.name === p.chosen}
                className="w-full cursor-pointer text-left"
                onClick={() => p.select(t.name)}
              >
                {t.name}
              </button>
            </td>
            <td className="num">{t.rows === null ? "not counted" : count(t.rows)}</td>
            <td className="num">{mib(t.pages, pageSize)}</td>
            <td className="num">{t.indexes.length}</td>
            <td className="num">
              {mib(
                t.indexes.reduce((s, i) => s + (i.index.pages ?? 0), 0),
                pageSize,
              )}
            </td>
            <td className="whitespace-nowrap">
              <Statistics table={t} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** How old the statistics are, told by the rows that they know of. */
function Statistics({ table: t }: { table: Table }) {
  if (t.analyzedRows === null) {
    return <strong className="text-dearer">none</strong>;
  }
  if (t.stale && t.changedRows !== null && (t.statisticsOffBy ?? 1) < 1.5) {
    return <strong className="text-dearer">stale: {count(t.changedRows)} rows written since</strong>;
  }
  if (t.statisticsOffBy !== null && t.statisticsOffBy >= 1.5) {
    return (
      <strong className="text-dearer">
        stale: {count(t.analyzedRows)} rows, {three(t.statisticsOffBy)}x off
      </strong>
    );
  }
  if (t.stale && t.apart) {
    return (
      <strong className="text-dearer">
        stale: {count(t.apart.counted)} values of {t.apart.column}, {count(t.apart.believed)} known
      </strong>
    );
  }
  return <span className="text-quiet">fresh</span>;
}

type PanelProps = { book: number; table: Table; pageSize: number; close: () => void };

/** Statements whose captured plans went through an index, the last first. */
function InDaybook({ book, users }: { book: number; users: Schemas["IndexUserView"][] }) {
  const last = [...users].sort((a, b) => b.last.localeCompare(a.last))[0];
  if (!last) {
    return null;
  }
  return (
    <Link
      className="link"
      to="/books/$bookId/statements/$hash"
      params={{ bookId: String(book), hash: last.hash }}
      title={users.map((u) => `${u.text} (since ${moment(u.since)})`).join("\n")}
    >
      {count(users.length)} {users.length === 1 ? "statement" : "statements"}, last {moment(last.last)}
    </Link>
  );
}

function TablePanel({ book, table: t, pageSize, close }: PanelProps) {
  const users = useIndexUsers(book).data ?? [];
  return (
    <Page
      key={t.name}
      label="Table"
      head={
        <>
          <div className="flex items-baseline justify-between gap-3">
            <h2 className="head">{t.name}</h2>
            <button type="button" className="link text-quiet" onClick={close}>
              close
            </button>
          </div>
          <p className="text-quiet">
            {t.rows === null ? "rows not counted" : `${count(t.rows)} rows`}; statistics:{" "}
            <Statistics table={t} />
          </p>
        </>
      }
    >
      <h3 className="section">Indexes</h3>
      {t.indexes.length === 0 ? (
        <p className="text-quiet">No index but the table's own key.</p>
      ) : (
        <table className="ruled">
          <thead>
            <tr>
              <th scope="col">index</th>
              <th scope="col">columns</th>
              <th scope="col" className="num">
                MiB
              </th>
              <th scope="col" className="num" title="rows that share a value, from the statistics">
                rows a key
              </th>
              <th scope="col">workload</th>
              <th scope="col">daybook</th>
            </tr>
          </thead>
          <tbody>
            {t.indexes.map(({ index: i, used }) => (
              <tr key={i.name}>
                <td>
                  {i.name}
                  {i.unique && <span className="text-quiet"> unique</span>}
                  {i.partial && <span className="text-quiet"> partial</span>}
                </td>
                <td className="font-mono text-sm">{i.columns.join(", ")}</td>
                <td className="num">{mib(i.pages, pageSize)}</td>
                <td className="num text-quiet italic">
                  {i.rowsPerKey.length === 0 ? "" : i.rowsPerKey.map((n) => `~${three(n)}`).join(", ")}
                </td>
                <td>{used === null ? "" : used ? "used" : <strong>not used</strong>}</td>
                <td className="text-sm">
                  <InDaybook book={book} users={users.filter((u) => u.index === i.name)} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <h3 className="section">Columns</h3>
      <table className="ruled">
        <tbody>
          {t.columns.map((c) => (
            <tr key={c.name}>
              <td>{c.name}</td>
              <td className="font-mono text-sm">{c.type}</td>
              <td className="text-quiet">
                {[c.key > 0 && "key", c.notNull && "not null"].filter(Boolean).join(", ")}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {t.triggers.length > 0 && (
        <>
          <h3 className="section">Triggers</h3>
          <ul>
            {t.triggers.map((g) => (
              <li key={g.name}>
                {g.name} <span className="text-quiet">at {g.event}</span>
              </li>
            ))}
          </ul>
        </>
      )}
    </Page>
  );
}
