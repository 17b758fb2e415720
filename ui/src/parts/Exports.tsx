/** Links to a list as a file, in both forms. */
export function Exports({ path, query, of }: { path: string; query?: Record<string, unknown>; of: string }) {
  const given = Object.entries(query ?? {}).filter(([, v]) => v !== undefined && v !== null && v !== "");
  const search = new URLSearchParams(given.map(([k, v]) => [k, String(v)])).toString();
  const href = (format: string) => `${path}.${format}${search ? `?${search}` : ""}`;
  return (
    <span className="inline-flex gap-2 font-normal">
      <a className="link" href={href("csv")} aria-label={`${of} as CSV`}>
        CSV
      </a>
      <a className="link" href={href("json")} aria-label={`${of} as JSON`}>
        JSON
      </a>
    </span>
  );
}
