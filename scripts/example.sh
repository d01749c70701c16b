#!/usr/bin/env bash
# A full example without a browser: documents in, files out.
set -euo pipefail
cd "$(dirname "$0")/.."
export PATH="$PWD/.venv/bin:$PATH"
# The cluster is left as it was found.
bouquet cluster status >/dev/null || trap 'bouquet cluster stop' EXIT
bouquet demo --only-prepare
mkdir -p example-output
for document in bouquet/demo/templates/*.json; do
  bouquet explain "$document"
  bouquet run "$document" --out example-output --purpose "the example"
  echo
done
bouquet run bouquet/demo/templates/contractor-billing.json --out example-output --format xlsx --as-of 2026-11-01T06:00 --json >example-output/slip.json
ls -l example-output
