# For the scripts beside it: `setting NAME [OTHERWISE]` prints a setting as Bouquet itself reads it. The file is none for a
# shell: addresses of databases hold `&`, and options are JSON.
env=${BOUQUET_ENV_FILE:-/etc/bouquet/bouquet.env}
programs=$(cd "$(dirname "$0")/../.venv/bin" 2>/dev/null && pwd || dirname "$(command -v bouquet)")

setting() {
  "$programs/python" -c 'import os, sys; from dotenv import dotenv_values
print({**dotenv_values(sys.argv[1]), **os.environ}.get(sys.argv[2]) or sys.argv[3])' "$env" "$1" "${2:-}"
}
