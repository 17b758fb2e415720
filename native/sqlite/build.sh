#!/usr/bin/env bash
# Builds the SQLite that counts what each operator of a plan does: build.sh TARGET. The options are those of the library that trials
# are timed with, so that both plan alike, and three that count. STAT4 stays out for the same reason.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")"
target=$1
compiler=${CC:-$(command -v cc || command -v gcc || command -v clang || true)}
if [ -z "$compiler" ]; then
  echo "No C compiler was found: install gcc (Debian: apt-get install gcc libc6-dev) for true counts in plans." >&2
  exit 1
fi

[ -e node_modules/better-sqlite3/deps/sqlite3/sqlite3.c ] || npm ci --ignore-scripts --no-audit --no-fund
mkdir -p "$(dirname "$target")"
"$compiler" -O2 -fPIC -shared -o "$target.partial" \
  -DSQLITE_ENABLE_STMT_SCANSTATUS -DSQLITE_ENABLE_DBSTAT_VTAB -DSQLITE_ENABLE_BYTECODE_VTAB \
  -DSQLITE_DEFAULT_FOREIGN_KEYS=1 -DSQLITE_DQS=0 -DSQLITE_LIKE_DOESNT_MATCH_BLOBS \
  -DSQLITE_ENABLE_COLUMN_METADATA -DSQLITE_ENABLE_FTS3 -DSQLITE_ENABLE_FTS3_PARENTHESIS -DSQLITE_ENABLE_FTS4 -DSQLITE_ENABLE_FTS5 \
  -DSQLITE_ENABLE_GEOPOLY -DSQLITE_ENABLE_MATH_FUNCTIONS -DSQLITE_ENABLE_RTREE \
  node_modules/better-sqlite3/deps/sqlite3/sqlite3.c -lm -lpthread -ldl
mv "$target.partial" "$target"
