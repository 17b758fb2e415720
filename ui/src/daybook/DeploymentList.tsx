import { useState } from "react";
import type { Schemas } from "../api/client";
import { type Deployment, useRecordDeployment } from "../api/daybook";
import { bytes, count, moment } from "../format/figures";
import { Page } from "../parts/Spread";
import { ReadCapture } from "./ReadCapture";
import { Repeats } from "./Repeats";

type Props = { page: Schemas["DaybookPage"]; open: (deployment: number) => void };

/** The right page while nothing is chosen: what went live, and what was read. */
export function DeploymentList({ page, open }: Props) {
  return (
    <Page label="Deployments" head={<h2 className="head">Deployments</h2>}>
      {page.deployments.length === 0 ? (
        <p className="text-quiet">
          None is known. Record one below, or from a pipeline with <code>swift-ledger deployment</code>; a
          schema change that a capture holds is noticed by itself.
        </p>
      ) : (
        <table className="ruled">
          <thead>
            <tr>
              <th scope="col">when</th>
              <th scope="col">version</th>
              <th scope="col">what</th>
            </tr>
          </thead>
          <tbody>
            {page.deployments.map((d) => (
              <tr key={d.id}>
                <td className="whitespace-nowrap">{moment(d.at)}</td>
                <td>
                  {d.version || (
                    <span className="font-semibold whitespace-nowrap text-unsettled">not announced</span>
                  )}
                </td>
                <td>
                  <button type="button" className="link text-left" onClick={() => open(d.id)}>
                    {d.noticed ? firstLine(d) : d.what || firstLine(d)}
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <RecordDeployment book={page.bookId} />
      <Repeats book={page.bookId} />
      <h3 className="section">Captures</h3>
      {page.files.length > 0 && (
        <table className="ruled mb-3">
          <thead>
            <tr>
              <th scope="col">file</th>
              <th scope="col">source</th>
              <th scope="col" className="num">
                statements
              </th>
              <th scope="col" className="num">
                read
              </th>
            </tr>
          </thead>
          <tbody>
            {page.files.map((f) => (
              <tr key={`${f.source}/${f.name}/${f.readAt}`}>
                <td className="break-all">
                  {f.name} <span className="text-quiet">{f.form}</span>
                  {f.rejected.map((r) => (
                    <span key={r.reason} className="block text-sm text-failed">
                      {count(r.count)} not understood, first in line {r.firstLine}: {r.reason}
                    </span>
                  ))}
                </td>
                <td>{f.source}</td>
                <td className="num">{count(f.statements)}</td>
                <td className="num">{bytes(f.bytes)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <ReadCapture book={page.bookName} />
    </Page>
  );
}

function firstLine(d: Deployment): string {
  return d.script.split("\n")[0] || d.what;
}

function RecordDeployment({ book }: { book: number }) {
  const record = useRecordDeployment(book);
  const [form, setForm] = useState({ at: "", version: "", what: "", script: "" });
  const set = (part: Partial<typeof form>) => setForm((f) => ({ ...f, ...part }));
  return (
    <details className="mt-2">
      <summary className="link inline-block">Record a deployment</summary>
      <form
        className="mt-2 grid max-w-lg grid-cols-[6rem_1fr] items-baseline gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          record.mutate(form, { onSuccess: () => setForm({ at: "", version: "", what: "", script: "" }) });
        }}
      >
        <label htmlFor="deployment-at">when, UTC</label>
        <input
          id="deployment-at"
          className="field"
          placeholder="now"
          value={form.at}
          onChange={(e) => set({ at: e.target.value })}
        />
        <label htmlFor="deployment-version">version</label>
        <input
          id="deployment-version"
          className="field"
          value={form.version}
          onChange={(e) => set({ version: e.target.value })}
        />
        <label htmlFor="deployment-what">what</label>
        <input
          id="deployment-what"
          className="field"
          value={form.what}
          onChange={(e) => set({ what: e.target.value })}
        />
        <label htmlFor="deployment-script">script</label>
        <textarea
          id="deployment-script"
          rows={3}
          className="field font-mono text-[13px]"
          value={form.script}
          onChange={(e) => set({ script: e.target.value })}
        />
        <span />
        <div>
          <button type="submit" className="press" disabled={record.isPending}>
            Record
          </button>
          {record.error && (
            <p role="alert" className="mt-1 text-failed">
              {record.error.message}
            </p>
          )}
        </div>
      </form>
    </details>
  );
}
