#!/bin/sh
# Back up Bouquet: its own database, the files that runs made, and the settings with the key. Usage: backup.sh FOLDER
set -eu
folder=${1:?Say into which folder.}
env=${BOUQUET_ENV_FILE:-/etc/bouquet/bouquet.env}
set -a; . "$env"; set +a
target=$folder/bouquet-$(date -u +%Y%m%dT%H%M%SZ)
umask 077
mkdir -p "$target"
# The database first: a file that a newer run makes in the meantime is one too many, never one too few.
pg_dump --format=custom --file "$target/store.dump" "$BOUQUET_STORE_URL"
tar -C "$BOUQUET_FILES" -cf "$target/files.tar" .
cp "$env" "$target/bouquet.env"
echo "$target"
