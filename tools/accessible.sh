#!/usr/bin/env bash
# Opens the report in a browser with an accessibility checker, fetched once into build/axe.
set -euo pipefail
cd "$(dirname "$0")/.."
if [ ! -e build/axe/package/axe.min.js ]; then
  command -v npm >/dev/null || { echo "This needs npm."; exit 1; }
  mkdir -p build/axe
  (cd build/axe && npm pack axe-core --silent >/dev/null && tar xzf axe-core-*.tgz package/axe.min.js)
fi
timeout 600 Rscript tools/test.R browser
