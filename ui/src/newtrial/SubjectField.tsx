import { useMutation } from "@tanstack/react-query";
import { useRef } from "react";
import { type Problem, Refused, upload } from "../api/client";
import { bytes } from "../format/figures";
import { Problems } from "../parts/Notice";

type Props = { subject: string; onChange: (subject: string, name?: string) => void; problems: Problem[] };

/** The database: a path on the server's machine, a file from here, or a server's address. */
export function SubjectField({ subject, onChange, problems }: Props) {
  const picker = useRef<HTMLInputElement>(null);
  const sending = useMutation({ mutationFn: upload, onSuccess: (sent) => onChange(sent.path, sent.name) });
  const shown =
    sending.error instanceof Refused
      ? sending.error.problems
      : sending.error
        ? [{ part: "subject", line: null, column: null, length: 0, message: sending.error.message }]
        : problems;
  return (
    <div>
      <label htmlFor="subject" className="font-semibold">
        Database
      </label>
      <div className="flex gap-2">
        <input
          id="subject"
          className="field flex-1 font-mono text-sm"
          value={subject}
          placeholder="path of a SQLite file, or postgresql://user@host/database"
          spellCheck={false}
          onChange={(e) => {
            sending.reset();
            onChange(e.target.value);
          }}
        />
        <input
          ref={picker}
          type="file"
          id="upload"
          aria-label="Upload a SQLite file"
          className="sr-only"
          tabIndex={-1}
          onChange={(e) => {
            const file = e.target.files?.[0];
            if (file) {
              sending.mutate(file);
            }
            e.target.value = "";
          }}
        />
        <button
          type="button"
          className="press"
          disabled={sending.isPending}
          onClick={() => picker.current?.click()}
        >
          {sending.isPending ? "Sending" : "Upload"}
        </button>
      </div>
      {sending.data && !sending.error && (
        <p className="text-sm text-quiet">
          {sending.data.name}, {bytes(sending.data.bytes)}, is on the server.
        </p>
      )}
      <Problems problems={shown} />
    </div>
  );
}
