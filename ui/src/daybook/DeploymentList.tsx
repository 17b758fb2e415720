import type { Schemas } from "../api/client";
import type { Deployment, Narrowing } from "../api/daybook";
import { bytes, count, moment } from "../format/figures";
import { Rows } from "../parts/Rows";
import { Page } from "../parts/Spread";
import { Watches } from "../watch/Watches";
import { CapturedFindings } from "./CapturedFindings";
import { Departures } from "./Departures";
import { Jumps } from "./Jumps";
import { LogEvents } from "./LogEvents";
import { Pages } from "./Pages";
import { ReadCapture } from "./ReadCapture";
import { RecordDeployment } from "./RecordDeployment";
import { Repeats } from "./Repeats";
import { Tables } from "./Tables";
import { WhoseLoad } from "./WhoseLoad";

type Props = {
  page: Schemas["DaybookPage"];
  narrowing: Narrowing;
  set: (part: Partial<Narrowing>) => void;
  open: (deployment: number) => void;
};

/** The right page while nothing is chosen: what went live, and what was read. */
export function DeploymentList({ page, narrowing, set, open }: Props) {
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
          <Rows>
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
          </Rows>
        </table>
      )}
      <RecordDeployment book={page.bookId} />
      <Departures book={page.bookId} narrowing={narrowing} set={set} />
      <Jumps book={page.bookId} narrowing={narrowing} />
      <Tables book={page.bookId} narrowing={narrowing} set={set} />
      <CapturedFindings book={page.bookId} narrowing={narrowing} />
      <WhoseLoad book={page.bookId} narrowing={narrowing} set={set} />
      <LogEvents book={page.bookId} narrowing={narrowing} />
      <Pages book={page.bookId} narrowing={narrowing} />
      <Repeats book={page.bookId} />
      <Watches book={page.bookId} />
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
