// Changes one rule of Core at a time and sees whether a test of Core notices: `./swift-ledger mutate [NAME...]`.
// A change that no test notices is a survivor; any makes the exit 1.
import { execFileSync, spawnSync } from "node:child_process";
import { cpSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join, resolve } from "node:path";
import { fileURLToPath } from "node:url";

const here = dirname(fileURLToPath(import.meta.url));
const top = resolve(here, "../..");
const wanted = process.argv.slice(2);
const mutations = JSON.parse(readFileSync(join(here, "mutations.json"), "utf8")).filter(
  (m) => wanted.length === 0 || wanted.some((w) => m.name.includes(w) || m.file.includes(w)),
);

const copy = mkdtempSync(join(tmpdir(), "swift-ledger-mutations-"));
process.on("SIGINT", () => process.exit(130));
process.on("exit", () => rmSync(copy, { recursive: true, force: true }));
const leaveOut = /\/(obj|bin|artifacts|node_modules|servers)(\/|$)/;
for (const part of ["src/Core", "tests/Core.Tests", "tests/Shared", "Directory.Build.props", "Directory.Packages.props", "global.json", "nuget.config", ".editorconfig"]) {
  try {
    cpSync(join(top, part), join(copy, part), { recursive: true, filter: (f) => !leaveOut.test(f) });
  } catch (e) {
    if (e.code !== "ENOENT") throw e;
  }
}

const build = (...more) =>
  spawnSync("dotnet", ["build", join(copy, "tests/Core.Tests"), "-c", "Release", "--nologo", "-v", "quiet", "-p:RunAnalyzers=false", "-p:TreatWarningsAsErrors=false", "-p:EnforceCodeStyleInBuild=false", ...more], { encoding: "utf8" });
const tests = join(copy, "artifacts/bin/SwiftLedger.Core.Tests/release/SwiftLedger.Core.Tests");
// The tests that stand beside a rule have to notice; those of other folders do not count.
const beside = { Likenesses: ["Likenesses"], Measuring: ["Measuring", "Trials", "Likenesses"], Trials: ["Measuring", "Trials"], Plans: ["Plans"], Engines: ["Plans", "Proposals"], Budgets: ["Budgets"], Captures: ["Captures"], Ledger: ["Ledger"], Holds: ["Holds"], Rehearsals: ["Rehearsals"], Sql: ["Sql"], Proposals: ["Proposals"], Workloads: ["Workloads", "Budgets"], Migrations: ["Migrations"] };
const notice = (folder) =>
  spawnSync(tests, ["-noLogo", "-noColor", "-stopOnFail", ...beside[folder].flatMap((n) => ["-namespace", `SwiftLedger.Core.Tests.${n}`])], { encoding: "utf8", timeout: 180_000 });

const first = build();
if (first.status !== 0) {
  console.error(first.stdout);
  process.exit(2);
}
for (const folder of Object.keys(beside)) {
  const plain = notice(folder);
  if (plain.status !== 0) {
    console.error(`The tests fail without any change.\n${plain.stdout}`);
    process.exit(2);
  }
}

const survivors = [];
let broken = 0;
for (const [i, m] of mutations.entries()) {
  const path = join(copy, "src/Core", m.file);
  const text = readFileSync(path, "utf8");
  const parts = text.split(m.from);
  if (parts.length !== 2) {
    console.log(`${String(i + 1).padStart(3)}  cannot be made  ${m.name}: the text stands ${parts.length - 1} times in ${m.file}`);
    broken++;
    continue;
  }
  writeFileSync(path, parts.join(m.to));
  const built = build("--no-restore");
  const ran = built.status === 0 ? notice(m.file.split("/")[0]) : null;
  writeFileSync(path, text);
  const word = built.status !== 0 ? "does not compile" : ran.status === 0 ? "SURVIVED" : "noticed";
  if (word === "does not compile") broken++;
  if (word === "SURVIVED") survivors.push(m);
  const by = word === "noticed" ? (ran.stdout.match(/^\s+SwiftLedger\.Core\.Tests\.(\S+?)(?:\(.*)? \[FAIL\]/m)?.[1] ?? "a test that did not end") : "";
  console.log(`${String(i + 1).padStart(3)}  ${word.padEnd(16)} ${m.name}${by ? `: ${by}` : ""}`);
}

const noticed = mutations.length - broken - survivors.length;
console.log(`\n${noticed} of ${mutations.length} changes noticed, ${survivors.length} survived, ${broken} could not be made.`);
process.exit(survivors.length + broken > 0 ? 1 : 0);
