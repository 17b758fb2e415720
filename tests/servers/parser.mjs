// Asks PostgreSQL's own parser: reads lines of JSON, each a list of texts, and tells of each text whether the parser takes it, and whether all
// that it takes mean the same to it. Places in the text are no part of what it means.
import { createInterface } from "node:readline";
import { loadModule, parseSync } from "libpg-query";

await loadModule();

const places = new Set(["location", "stmt_location", "stmt_len", "list_start", "list_end", "rexpr_list_start", "rexpr_list_end", "name_location", "arg_location"]);

function meaning(text) {
  try {
    return JSON.stringify(parseSync(text), (key, value) => (places.has(key) ? undefined : value));
  } catch (problem) {
    if (problem.name === "RuntimeError") throw problem;
    return null;
  }
}

for await (const line of createInterface({ input: process.stdin })) {
  const meanings = JSON.parse(line).map(meaning);
  console.log(JSON.stringify({ taken: meanings.map((m) => m !== null), same: new Set(meanings).size === 1 }));
}
