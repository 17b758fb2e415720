import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type Problem = Schemas["ProblemView"];
export type TrialPageView = Schemas["TrialPage"];
export type LineView = Schemas["LineView"];
export type Result = Schemas["ResultLine"];
export type Summary = Schemas["TrialSummary"];

/** The header that the server asks for on every request that changes something. */
export const ownHeader = { "X-Swift-Ledger": "1" };

// The function of the moment: a test answers in its place.
export const api = createClient<paths>({ headers: ownHeader, fetch: (request) => globalThis.fetch(request) });

/** What the server refused, with its reasons. */
export class Refused extends Error {
  readonly problems: Problem[];
  readonly status: number;

  constructor(problems: Problem[], status: number) {
    super(problems[0]?.message ?? "The server refused this.");
    this.problems = problems;
    this.status = status;
  }
}

/** What a refusing answer says, in words that a person can use. */
function refusal(body: unknown, status: number): Refused {
  const problems = (body as { problems?: Problem[] } | undefined)?.problems;
  return new Refused(
    problems ?? [
      { part: "request", line: null, column: null, length: 0, message: `The server answered ${status}.` },
    ],
    status,
  );
}

// Every request that is refused throws: none can forget to look.
api.use({
  onResponse: async ({ response }) => {
    if (!response.ok) {
      throw refusal(await response.json().catch(() => undefined), response.status);
    }
  },
});

/** The data of an answer that must have some. */
export function dataOf<T>(answer: { data?: T; error?: unknown; response: Response }): T {
  if (answer.data !== undefined) {
    return answer.data;
  }
  throw refusal(answer.error, answer.response.status);
}

/** Sends a file as it is; its name is only shown. */
export async function upload(file: File): Promise<Schemas["UploadView"]> {
  const response = await fetch(`/api/uploads?name=${encodeURIComponent(file.name)}`, {
    method: "POST",
    headers: { ...ownHeader, "Content-Type": "application/octet-stream" },
    body: file,
  });
  const body = await response.json().catch(() => undefined);
  return dataOf({ data: response.ok ? body : undefined, error: body, response });
}
