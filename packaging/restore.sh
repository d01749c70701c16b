#!/bin/sh
# Bring a backup back into an empty database and folder. Usage: restore.sh BACKUP, with the settings of the new house in
# BOUQUET_ENV_FILE. The key (BOUQUET_SECRET_KEY) must be the backup's.
set -eu
backup=${1:?Say which backup.}
env=${BOUQUET_ENV_FILE:-/etc/bouquet/bouquet.env}
set -a; . "$env"; set +a
pg_restore --exit-on-error --no-owner --dbname "$BOUQUET_STORE_URL" "$backup/store.dump"
mkdir -p "$BOUQUET_FILES"
tar -C "$BOUQUET_FILES" -xf "$backup/files.tar"
bouquet migrate
# Says whether store and files agree; ends with 1 where they do not.
bouquet sweep --only-look
