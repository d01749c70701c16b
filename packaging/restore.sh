#!/bin/sh
# Bring a backup back into an empty database and folder. Usage: restore.sh BACKUP, with the settings of the new house in
# BOUQUET_ENV_FILE. The key (BOUQUET_SECRET_KEY) must be the backup's.
set -eu
. "$(dirname "$0")/settings.sh"
backup=${1:?Say which backup.}
pg_restore --exit-on-error --no-owner --dbname "$(setting BOUQUET_STORE_URL)" "$backup/store.dump"
if [ -f "$backup/files.tar" ]; then
  files=$(setting BOUQUET_FILES var/files)
  files=${files#file://}
  [ -d "$files" ] || install -d -m 700 "$files"
  tar -C "$files" -xf "$backup/files.tar"
fi
export BOUQUET_ENV_FILE="$env"
"$programs/bouquet" migrate
# Says whether store and files agree; ends with 1 where they do not.
"$programs/bouquet" sweep --only-look
