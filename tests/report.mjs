// Reads the reports that the test programs write (Common Test Report Format; ctrf.io).
//   report.mjs counts FIRST [SECOND]   passed, failed and skipped; what failed in FIRST and passed in SECOND passed
//   report.mjs methods FILE            the methods that have a failed test, one a line
//   report.mjs tell FILE               what failed and why, shortly: the whole is in the log
//   report.mjs alone FIRST SECOND      what failed beside other tests and passed alone, one a line
import { readFileSync } from "node:fs";

const [verb, first, second] = process.argv.slice(2);
const read = (file) => JSON.parse(readFileSync(file, "utf8")).results;
const failed = (report) => report.tests.filter((t) => t.status === "failed");
const passedAlone = () => {
  if (!second) return [];
  const passed = new Set(read(second).tests.filter((t) => t.status === "passed").map((t) => t.name));
  return failed(read(first)).filter((t) => passed.has(t.name));
};

switch (verb) {
  case "counts": {
    const { summary } = read(first);
    const alone = passedAlone().length;
    console.log(summary.passed + alone, summary.failed - alone, summary.skipped + summary.pending + summary.other);
    break;
  }
  case "methods":
    for (const method of new Set(failed(read(first)).map((t) => `${t.extra.type}.${t.extra.method}`))) console.log(method);
    break;
  case "tell":
    for (const t of failed(read(first))) {
      console.log(`FAILED ${t.name}, ${(t.duration / 1000).toFixed(1)} s`);
      for (const line of `${t.message ?? ""}\n${t.trace ?? ""}`.split("\n").slice(0, 40)) console.log(`    ${line.slice(0, 300)}`);
    }
    break;
  case "alone":
    for (const t of passedAlone()) console.log(t.name);
    break;
  default:
    console.error("counts, methods, tell or alone.");
    process.exit(2);
}
