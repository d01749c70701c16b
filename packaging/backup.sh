#!/bin/sh
# Back up Bouquet: its own database, the files that runs made, and the settings with the key. Usage: backup.sh FOLDER
set -eu
. "$(dirname "$0")/settings.sh"
folder=${1:?Say into which folder.}
target=$folder/bouquet-$(date -u +%Y%m%dT%H%M%SZ)
umask 077
mkdir -p "$target"
# The database first: a file that a newer run makes in the meantime is one too many, never one too few.
pg_dump --format=custom --file "$target/store.dump" "$(setting BOUQUET_STORE_URL)"
files=$(setting BOUQUET_FILES var/files)
case ${files#file://} in
  *://*) echo "The files are kept at ${files%%://*}://…: back them up there, now or later." >&2 ;;
  *) tar -C "${files#file://}" -cf "$target/files.tar" . ;;
esac
[ ! -f "$env" ] || cp "$env" "$target/bouquet.env"
echo "$target"
