import {
  createRootRoute,
  createRoute,
  createRouter,
  lazyRouteComponent,
  notFound,
  Outlet,
  useRouterState,
} from "@tanstack/react-router";
import type { Narrowing, RankBy, View } from "./api/daybook";
import type { RehearsalSearch } from "./api/rehearsals";
import type { WatchNarrowing } from "./api/watch";
import { columns, otherRanks } from "./daybook/measures";
import { Away } from "./parts/Away";
import { Frame } from "./parts/Frame";
import { EmptyState } from "./parts/Notice";
import { useFocusOnArrival } from "./parts/page";
import { type LinesView, sortKeys } from "./trial/rows";

const above = (value: unknown): number | undefined => (Number(value) > 0 ? Number(value) : undefined);

const whole = (value: unknown): number | undefined => {
  const number = Number(value);
  return Number.isInteger(number) && number > 0 ? number : undefined;
};

/** Numbers in an address: where one is none, nothing can be there, and nobody is asked. */
const numbered = ({ params }: { params: Record<string, string> }) => {
  for (const name of ["bookId", "trialId", "watchId", "line"]) {
    if (params[name] !== undefined && whole(params[name]) === undefined) {
      throw notFound();
    }
  }
};

function Whole() {
  const path = useRouterState({ select: (s) => s.location.pathname });
  // The lines of a trial open within its page.
  useFocusOnArrival(path.replace(/\/lines\/.*/, ""));
  return (
    <div className="flex h-full flex-col">
      <a className="skip" href="#content">
        To the content
      </a>
      <Away />
      <Outlet />
    </div>
  );
}

const root = createRootRoute({
  component: Whole,
  beforeLoad: numbered,
  notFoundComponent: () => (
    <Frame title="Nothing here">
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

const books = createRoute({
  getParentRoute: () => root,
  path: "/",
  component: lazyRouteComponent(() => import("./book/BooksView"), "BooksView"),
});

const bookRoute = createRoute({
  getParentRoute: () => root,
  path: "/books/$bookId",
  validateSearch: (s: Record<string, unknown>): { change?: number } => ({ change: whole(s.change) }),
  component: lazyRouteComponent(() => import("./book/BookView"), "BookView"),
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
  component: lazyRouteComponent(() => import("./daybook/DaybookView"), "DaybookView"),
});

const executionsRoute = createRoute({
  getParentRoute: () => root,
  path: "/books/$bookId/executions",
  validateSearch: (s: Record<string, unknown>): Narrowing => ({
    from: text(s.from),
    to: text(s.to),
    sources: text(s.sources),
    text: text(s.text),
    kind: text(s.kind),
    table: text(s.table),
    tag: text(s.tag),
    slow: whole(s.slow),
  }),
  component: lazyRouteComponent(() => import("./executions/ExecutionsView"), "ExecutionsView"),
});

const statementRoute = createRoute({
  getParentRoute: () => root,
  path: "/books/$bookId/statements/$hash",
  component: lazyRouteComponent(() => import("./statement/StatementView"), "StatementView"),
});

const rehearsalsRoute = createRoute({
  getParentRoute: () => root,
  path: "/books/$bookId/rehearsals",
  validateSearch: (s: Record<string, unknown>): RehearsalSearch => ({
    run: whole(s.run),
    load: whole(s.load),
    beside: whole(s.beside),
    trial: whole(s.trial),
    only: text(s.only),
    hashes: text(s.hashes),
    from: text(s.from),
    to: text(s.to),
    sources: text(s.sources),
    database: text(s.database),
    user: text(s.user),
    application: text(s.application),
    seen: s.seen === true || undefined,
  }),
  component: lazyRouteComponent(() => import("./rehearsal/RehearsalView"), "RehearsalView"),
});

const proposalsRoute = createRoute({
  getParentRoute: () => root,
  path: "/books/$bookId/proposals",
  validateSearch: (s: Record<string, unknown>): { search?: number; open?: number; anew?: boolean } => ({
    search: whole(s.search),
    open: s.open === 0 || s.open === "0" ? 0 : whole(s.open),
    anew: s.anew === true || undefined,
  }),
  component: lazyRouteComponent(() => import("./proposals/ProposalsView"), "ProposalsView"),
});

const entryRoute = createRoute({
  getParentRoute: () => root,
  path: "/books/$bookId/entries/$number",
  component: lazyRouteComponent(() => import("./ledger/EntryView"), "EntryView"),
});

const keepRoute = createRoute({
  getParentRoute: () => root,
  path: "/books/$bookId/keep",
  component: lazyRouteComponent(() => import("./keep/KeepView"), "KeepView"),
});

const postRoute = createRoute({
  getParentRoute: () => root,
  path: "/books/$bookId/post",
  validateSearch: (s: Record<string, unknown>): { trial?: number; rehearsal?: number } => ({
    trial: whole(s.trial),
    rehearsal: whole(s.rehearsal),
  }),
  component: lazyRouteComponent(() => import("./ledger/PostView"), "PostView"),
});

const newTrialRoute = createRoute({
  getParentRoute: () => root,
  path: "/new",
  validateSearch: (
    s: Record<string, unknown>,
  ): { book?: number; change?: number; trial?: number; deployment?: number; take?: string } => ({
    book: whole(s.book),
    change: whole(s.change),
    trial: whole(s.trial),
    deployment: whole(s.deployment),
    take: text(s.take),
  }),
  component: lazyRouteComponent(() => import("./newtrial/NewTrialView"), "NewTrialView"),
});

const trialRoute = createRoute({
  getParentRoute: () => root,
  path: "/trials/$trialId",
  validateSearch: (s: Record<string, unknown>): LinesView => ({
    show: text(s.show),
    find: text(s.find),
    sort: sortKeys.find((k) => k === s.sort),
    down: s.down === true || undefined,
    from: above(s.from),
    to: above(s.to),
  }),
  component: lazyRouteComponent(() => import("./trial/TrialView"), "TrialView"),
});

const lineRoute = createRoute({
  getParentRoute: () => trialRoute,
  path: "/lines/$line",
  component: () => null,
});

const linePlansRoute = createRoute({
  getParentRoute: () => root,
  path: "/trials/$trialId/plans/$line",
  component: lazyRouteComponent(() => import("./plans/PlansView"), "PlansView"),
});

const besideRoute = createRoute({
  getParentRoute: () => root,
  path: "/trials/$trialId/beside",
  validateSearch: (s: Record<string, unknown>): { with?: number; all?: boolean } => ({
    with: whole(s.with),
    all: s.all === true || undefined,
  }),
  component: lazyRouteComponent(() => import("./trial/BesideView"), "BesideView"),
});

const pastedRoute = createRoute({
  getParentRoute: () => root,
  path: "/plans",
  validateSearch: (s: Record<string, unknown>): { book?: number; pair?: number } => ({
    book: whole(s.book),
    pair: whole(s.pair),
  }),
  component: lazyRouteComponent(() => import("./plans/PastedView"), "PastedView"),
});

const gateRoute = createRoute({
  getParentRoute: () => root,
  path: "/books/$bookId/gate",
  validateSearch: (s: Record<string, unknown>): { check?: number; limit?: string; edit?: true } => ({
    check: whole(s.check),
    limit: text(s.limit),
    edit: s.edit === true || undefined,
  }),
  component: lazyRouteComponent(() => import("./gate/GateView"), "GateView"),
});

const catalogueRoute = createRoute({
  getParentRoute: () => root,
  path: "/books/$bookId/catalogue",
  validateSearch: (s: Record<string, unknown>): { table?: string } => ({ table: text(s.table) }),
  component: lazyRouteComponent(() => import("./catalogue/CatalogueView"), "CatalogueView"),
});

const batch = createRoute({
  getParentRoute: () => root,
  path: "/books/$bookId/batch",
  validateSearch: (s: Record<string, unknown>): { run?: number; statement?: number } => ({
    run: whole(s.run),
    statement: whole(s.statement),
  }),
  component: lazyRouteComponent(() => import("./batch/BatchView"), "BatchView"),
});

const watch = createRoute({
  getParentRoute: () => root,
  path: "/books/$bookId/watches/$watchId",
  validateSearch: (s: Record<string, unknown>): WatchNarrowing => ({
    from: text(s.from),
    to: text(s.to),
    session: whole(s.session),
    pattern: text(s.pattern),
    beside: text(s.beside),
  }),
  component: lazyRouteComponent(() => import("./watch/WatchView"), "WatchView"),
});

const planHistoryRoute = createRoute({
  getParentRoute: () => root,
  path: "/books/$bookId/plans/$hash",
  component: lazyRouteComponent(() => import("./plans/PlanHistoryView"), "PlanHistoryView"),
});

const glossary = createRoute({
  getParentRoute: () => root,
  path: "/glossary",
  component: lazyRouteComponent(() => import("./plans/GlossaryView"), "GlossaryView"),
});

export const router = createRouter({
  routeTree: root.addChildren([
    books,
    bookRoute,
    daybookRoute,
    executionsRoute,
    statementRoute,
    newTrialRoute,
    rehearsalsRoute,
    proposalsRoute,
    keepRoute,
    entryRoute,
    postRoute,
    trialRoute.addChildren([lineRoute]),
    linePlansRoute,
    besideRoute,
    pastedRoute,
    glossary,
    catalogueRoute,
    gateRoute,
    batch,
    watch,
    planHistoryRoute,
  ]),
  defaultPreload: "intent",
  defaultPendingMs: 150,
  defaultPendingComponent: () => (
    <Frame of={{ error: null, isPending: true, refetch: () => {} }} reading="Opening the page." />
  ),
});

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}
