// @vitest-environment happy-dom
import { screen, within } from "@testing-library/react";
import { expect, test } from "vitest";
import type { RehearsalResult } from "../api/rehearsals";
import { serve, show } from "../testing/show";
import { Counted, Queues } from "./Counted";

const nothing = {
  tasks: 10,
  writtenBytes: null,
  pagesRead: null,
  tempFiles: null,
  tempBytes: null,
  checkpoints: null,
  cpuMs: null,
  cpuWaitMs: null,
  medianSessionCpu: null,
  busiestSessionCpu: null,
};

const result = (of: object) =>
  ({ before: { counts: null }, after: { counts: null }, queues: [], ...of }) as unknown as RehearsalResult;

test("counts stand side by side, with how many times as much only where they are counts", async () => {
  serve({});
  await show(
    <Counted
      result={result({
        before: { counts: { ...nothing, writtenBytes: 1024, tempFiles: 0, cpuMs: 1, checkpoints: 0 } },
        after: { counts: { ...nothing, writtenBytes: 2048, tempFiles: 12, cpuMs: 2, checkpoints: 0 } },
      })}
    />,
  );
  const row = (name: string) =>
    [...(screen.getByText(name).closest("tr")?.cells ?? [])].map((c) => c.textContent);
  expect(row("written").slice(1)).toEqual(["1.00 KiB", "2.00 KiB", "2.00x more"]);
  expect(row("temporary files, in 1,000 tasks").slice(1)).toEqual(["0", "12.0", ""]);
  expect(row("of a processor").at(-1)).toBe("");
  expect(screen.queryByText("checkpoints in all stints")).toBeNull();
});

test("what an older result does not tell leaves no empty table", async () => {
  serve({});
  await show(
    <>
      <Counted result={result({})} />
      <Queues result={result({ queues: undefined })} />
    </>,
  );
  expect(screen.queryByRole("table")).toBeNull();
});

test("queues name who waited, and for whom", async () => {
  serve({});
  const queue = {
    statement: "book",
    behind: null,
    kind: "IO: WALSync",
    meaning: "commit",
    before: 0,
    after: 0.2,
    longest: 14,
    depth: 2,
  };
  await show(
    <Queues
      result={result({
        queues: [
          queue,
          { ...queue, behind: "take_bunk", kind: "running", meaning: "running", after: 0.1, depth: 1 },
          { ...queue, after: 0.001, kind: "other" },
        ],
      })}
    />,
  );
  const rows = within(screen.getByRole("table")).getAllByRole("row");
  expect(rows).toHaveLength(3);
  expect(rows[1]?.textContent).toContain("booka commit (IO: WALSync)");
  expect(rows[1]?.textContent).toContain("14, 2 deep");
  expect(rows[2]?.textContent).toContain("take_bunk (running)");
});
