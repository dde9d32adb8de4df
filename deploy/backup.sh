#!/bin/sh
# A checked backup of today; those older than two weeks go, but never the last seven.
set -eu
FOLDER="${NIGHT_TRAIL_BACKUPS:-/var/backups/night-trail}"
umask 077
"${NIGHT_TRAIL_BIN:-/srv/night-trail/.venv/bin}/night-trail" backup "$FOLDER/night-trail-$(date +%Y%m%d-%H%M%S).sqlite3"
cp -p "$NIGHT_TRAIL_VAR/secret_key" "$FOLDER/secret_key"
ls -1t "$FOLDER"/night-trail-*.sqlite3 | tail -n +8 | while read -r old; do
  find "$old" -mtime +14 -delete
done
