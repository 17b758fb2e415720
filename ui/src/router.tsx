import { createRootRoute, createRoute, createRouter, Outlet } from "@tanstack/react-router";
import type { Narrowing, RankBy, View } from "./api/daybook";
import { BatchView } from "./batch/BatchView";
import { BooksView } from "./book/BooksView";
import { BookView } from "./book/BookView";
import { CatalogueView } from "./catalogue/CatalogueView";
import { DaybookView } from "./daybook/DaybookView";
import { columns, otherRanks } from "./daybook/measures";
import { NewTrialView } from "./newtrial/NewTrialView";
import { Frame } from "./parts/Frame";
import { EmptyState } from "./parts/Notice";
import { GlossaryView } from "./plans/GlossaryView";
import { PastedView } from "./plans/PastedView";
import { PlanHistoryView } from "./plans/PlanHistoryView";
import { PlansView } from "./plans/PlansView";
import { StatementView } from "./statement/StatementView";
import { TrialView } from "./trial/TrialView";
import { WatchView } from "./watch/WatchView";

const whole = (value: unknown): number | undefined => {
  const number = Number(value);
  return Number.isInteger(number) && number > 0 ? number : undefined;
};

const root = createRootRoute({
  component: () => (
    <div className="flex h-full flex-col">
      <Outlet />
    </div>
  ),
  notFoundComponent: () => (
    <Frame>
      <div className="px-5">
        <EmptyState wholePage title="There is nothing at this address">
          <a className="link" href="/">
            Go to the books
          </a>
        </EmptyState>
      </div>
    </Frame>
  ),
});

const books = createRoute({ getParentRoute: () => root, path: "/", component: BooksView });

const bookRoute = createRoute({
  getParentRoute: () => root,
  path: "/books/$bookId",
  validateSearch: (s: Record<string, unknown>): { change?: number } => ({ change: whole(s.change) }),
  component: BookView,
});

const ranks: RankBy[] = [...columns, ...otherRanks].map((c) => c.rank);

type DaybookSearch = Narrowing & View & { measure?: string; rank?: RankBy; deployment?: number };

const text = (value: unknown): string | undefined =>
  value === undefined || value === null || value === "" ? undefined : String(value);

const daybookRoute = createRoute({
  getParentRoute: () => root,
  path: "/books/$bookId/daybook",
  validateSearch: (s: Record<string, unknown>): DaybookSearch => ({
    from: text(s.from),
    to: text(s.to),
    sources: text(s.sources),
    text: text(s.text),
    kind: text(s.kind),
    table: text(s.table),
    tag: text(s.tag),
    database: text(s.database),
    user: text(s.user),
    application: text(s.application),
    load: text(s.load),
    slow: whole(s.slow),
    measure: text(s.measure),
    rank: ranks.find((r) => r === s.rank),
    since: text(s.since),
    until: text(s.until),
    apart: s.apart === true || undefined,
    deployment: whole(s.deployment),
  }),
  component: DaybookView,
});

const statementRoute = createRoute({
  getParentRoute: () => root,
  path: "/books/$bookId/statements/$hash",
  component: StatementView,
});

const newTrialRoute = createRoute({
  getParentRoute: () => root,
  path: "/new",
  validateSearch: (
    s: Record<string, unknown>,
  ): { book?: number; change?: number; trial?: number; deployment?: number } => ({
    book: whole(s.book),
    change: whole(s.change),
    trial: whole(s.trial),
    deployment: whole(s.deployment),
  }),
  component: NewTrialView,
});

const trialRoute = createRoute({
  getParentRoute: () => root,
  path: "/trials/$trialId",
  component: TrialView,
});

const lineRoute = createRoute({
  getParentRoute: () => trialRoute,
  path: "/lines/$line",
  component: () => null,
});

const linePlansRoute = createRoute({
  getParentRoute: () => root,
  path: "/trials/$trialId/plans/$line",
  component: PlansView,
});

const pastedRoute = createRoute({
  getParentRoute: () => root,
  path: "/plans",
  validateSearch: (s: Record<string, unknown>): { book?: number } => ({ book: whole(s.book) }),
  component: PastedView,
});

const catalogueRoute = createRoute({
  getParentRoute: () => root,
  path: "/books/$bookId/catalogue",
  validateSearch: (s: Record<string, unknown>): { table?: string } => ({ table: text(s.table) }),
  component: CatalogueView,
});

const batch = createRoute({ getParentRoute: () => root, path: "/books/$bookId/batch", component: BatchView });

const watch = createRoute({
  getParentRoute: () => root,
  path: "/books/$bookId/watches/$watchId",
  component: WatchView,
});

const planHistoryRoute = createRoute({
  getParentRoute: () => root,
  path: "/books/$bookId/plans/$hash",
  component: PlanHistoryView,
});

const glossary = createRoute({ getParentRoute: () => root, path: "/glossary", component: GlossaryView });

export const router = createRouter({
  routeTree: root.addChildren([
    books,
    bookRoute,
    daybookRoute,
    statementRoute,
    newTrialRoute,
    trialRoute.addChildren([lineRoute]),
    linePlansRoute,
    pastedRoute,
    glossary,
    catalogueRoute,
    batch,
    watch,
    planHistoryRoute,
  ]),
});

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}
