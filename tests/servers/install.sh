#!/usr/bin/env bash
# Gets the servers ready to run: the packages hold no links between library files, only a list of them.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")"
npm ci --ignore-scripts --no-audit --no-fund
for server in node_modules/postgres-*; do
  [ -d "$server/native/bin" ] || continue
  chmod +x "$server"/native/bin/*
  (cd "$server" && node -e '
    const fs = require("fs"), path = require("path");
    for (const { source, target } of JSON.parse(fs.readFileSync("native/pg-symlinks.json", "utf8"))) {
      fs.rmSync(target, { force: true });
      fs.symlinkSync(path.relative(path.dirname(target), source), target);
    }')
done
