#!/usr/bin/env bash
# Gets the statements that the engines' own developers test their parsers with: Debian's source packages of PostgreSQL and SQLite hold them.
# Usage: install.sh FOLDER
set -euo pipefail
folder=$1
rm -rf "$folder"
mkdir -p "$folder/lists/partial" "$folder/postgresql" "$folder/sqlite"
cd "$folder"
mirror=$({ grep -hoE '^(URIs: |deb )[^ ]*' /etc/apt/sources.list.d/*.sources /etc/apt/sources.list 2>/dev/null || true; } | grep -v security | sed -n '1 { s/^URIs: //; s/^deb //; p }')
echo "deb-src [signed-by=/usr/share/keyrings/debian-archive-keyring.gpg] $mirror bookworm main" >sources.list
apt=(apt-get -o "Dir::Etc::sourcelist=$folder/sources.list" -o "Dir::Etc::sourceparts=$folder/none" -o "Dir::State::lists=$folder/lists" -o APT::Sandbox::User=root -q)
"${apt[@]}" update
"${apt[@]}" source --download-only postgresql-15 sqlite3
tar xjf postgresql-15_*.orig.tar.bz2 -C postgresql --strip-components=5 --wildcards '*/src/test/regress/sql/*.sql'
tar xJf sqlite3_*.orig.tar.xz -C sqlite --strip-components=2 --wildcards '*/test/*.test'
rm -rf lists ./*.tar.* ./*.dsc
