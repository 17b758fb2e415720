import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import {
  createMemoryHistory,
  createRootRoute,
  createRoute,
  createRouter,
  Outlet,
  RouterProvider,
} from "@tanstack/react-router";
import { cleanup, configure, render } from "@testing-library/react";
import type { ReactNode } from "react";
import { afterEach, vi } from "vitest";

// A machine that is busy is no fault of what is shown.
configure({ asyncUtilTimeout: 20_000 });

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
  localStorage.clear();
});

/** What the server is asked for in a test, by method and path without its query. */
export type Answers = Record<string, unknown>;

/** A request that a component made. */
export type Asked = { method: string; path: string; query: URLSearchParams; body: unknown };

/** Answers the requests of a test; what is not listed is refused. */
export function serve(answers: Answers): Asked[] {
  const asked: Asked[] = [];
  vi.stubGlobal("fetch", async (input: Request | string, init?: RequestInit) => {
    const request =
      input instanceof Request ? input : new Request(new URL(input, "http://ledger.test"), init);
    const { pathname: path, searchParams: query } = new URL(request.url);
    const text = request.method === "GET" ? "" : await request.clone().text();
    asked.push({ method: request.method, path, query, body: text.startsWith("{") ? JSON.parse(text) : text });
    const answer = answers[`${request.method} ${path}`];
    return answer === undefined
      ? Response.json({ problems: [{ part: "request", message: "Refused for the test." }] }, { status: 422 })
      : Response.json(answer);
  });
  return asked;
}

/** Shows the application itself at an address. */
export async function visit(path: string) {
  const { router } = await import("../router");
  router.update({ ...router.options, history: createMemoryHistory({ initialEntries: [path] }) });
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  const shown = render(
    <QueryClientProvider client={client}>
      <RouterProvider router={router} />
    </QueryClientProvider>,
  );
  await router.load();
  return { ...shown, router };
}

/** Shows a component where links lead somewhere and requests go through a cache, as in the application; at the address of a route, if need be. */
export async function show(element: ReactNode, path = "/", at = path) {
  const root = createRootRoute({ component: Outlet });
  const here = createRoute({ getParentRoute: () => root, path, component: () => element });
  const elsewhere = createRoute({ getParentRoute: () => root, path: "$", component: () => <p>elsewhere</p> });
  const router = createRouter({
    routeTree: root.addChildren([here, elsewhere]),
    history: createMemoryHistory({ initialEntries: [at] }),
  });
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  const shown = render(
    <QueryClientProvider client={client}>
      {/* The application's own router is the one that links are typed by. */}
      <RouterProvider router={router as never} />
    </QueryClientProvider>,
  );
  await router.load();
  return { ...shown, router };
}
