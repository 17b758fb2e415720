import { useState } from "react";
import { useReadCapture } from "../api/daybook";
import { bytes, count } from "../format/figures";
import { Wrong } from "../parts/Notice";

/** Hands a log to the server: what was understood, and what was not, stands below. */
export function ReadCapture({ book }: { book: string }) {
  const read = useReadCapture();
  const [source, setSource] = useState("server");
  const [prefix, setPrefix] = useState("");
  const [columns, setColumns] = useState("");
  const [file, setFile] = useState<File | null>(null);
  return (
    <form
      className="grid max-w-lg grid-cols-[6rem_1fr] items-baseline gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        if (file) {
          read.mutate({ book, source, prefix, columns, file });
        }
      }}
    >
      <label htmlFor="capture-file">log</label>
      <input
        id="capture-file"
        type="file"
        className="min-w-0"
        onChange={(e) => setFile(e.target.files?.[0] ?? null)}
      />
      <Field name="source" value={source} set={setSource} />
      <Field
        name="prefix"
        placeholder="log_line_prefix, if it is an unusual one"
        value={prefix}
        set={setPrefix}
      />
      <Field
        name="columns"
        placeholder="of a CSV file: at=started, ms=took, sql=query"
        value={columns}
        set={setColumns}
      />
      <span />
      <div>
        <button type="submit" className="press" disabled={!file || read.isPending}>
          {read.isPending ? "Reading" : "Read this log"}
        </button>
        <p className="mt-1 text-sm text-quiet">
          PostgreSQL's logs (plain, csv, json), MySQL's slow log, OpenTelemetry traces (OTLP JSON), CSV, JSON
          lines or a workload file; plain or gzip. What was read before is not counted again.
        </p>
        <Wrong error={read.error} />
        {read.data && (
          <div role="status" className="mt-1">
            <p>
              {count(read.data.statements)} statements from {bytes(read.data.bytes)}
              {read.data.skippedBytes > 0 && `; ${bytes(read.data.skippedBytes)} were read before`}.
              {read.data.own + read.data.housekeeping > 0 &&
                ` Apart stand ${count(read.data.own)} of Swift Ledger's own and ${count(read.data.housekeeping)} of the engine's housekeeping.`}
            </p>
            {read.data.problem && <p className="text-failed">{read.data.problem}</p>}
            {read.data.rejected.map((r) => (
              <p key={r.reason} className="text-failed">
                {count(r.count)} not understood, first in line {r.firstLine}: {r.reason}
              </p>
            ))}
          </div>
        )}
      </div>
    </form>
  );
}

function Field(p: { name: string; placeholder?: string; value: string; set: (value: string) => void }) {
  return (
    <>
      <label htmlFor={`capture-${p.name}`}>{p.name}</label>
      <input
        id={`capture-${p.name}`}
        className="field font-mono text-sm"
        placeholder={p.placeholder}
        value={p.value}
        onChange={(e) => p.set(e.target.value)}
      />
    </>
  );
}
