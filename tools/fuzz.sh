#!/usr/bin/env bash
# Fuzzing: of texts by coverage, with the compiler that can do it, and of files of every
# format. What is found goes into tests/fuzz/corpus.
#   tools/fuzz.sh [SECONDS] [SEED]
set -euo pipefail
cd "$(dirname "$0")/.."
seconds="${1:-120}" seed="${2:-$(($(date +%s) % 1000000))}"
mkdir -p build/fuzz/new
if ! command -v clang++ > /dev/null && command -v apt-get > /dev/null && [ "$(id -u)" = 0 ]; then
  apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends clang > /dev/null || true
  runtime="libclang-rt-$(clang++ -dumpversion 2> /dev/null | cut -d. -f1)-dev"
  DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$runtime" > /dev/null || true
fi
if command -v clang++ > /dev/null &&
   clang++ -std=c++17 -O1 -g -fsanitize=fuzzer,address,undefined -fno-sanitize-recover=undefined -Isrc \
     tests/fuzz/texts.cpp -o build/fuzz/texts 2> build/fuzz/compile.log; then
  cp tests/fuzz/corpus/texts-* build/fuzz/new/
  build/fuzz/texts -max_total_time="$((seconds / 2))" -seed="$seed" -max_len=64 -print_final_stats=1 -verbosity=0 \
    -artifact_prefix=tests/fuzz/corpus/texts-crash- build/fuzz/new 2>&1 | grep -E "number_of_executed|ERROR|Test unit" || true
  if ls tests/fuzz/corpus/texts-crash-* > /dev/null 2>&1; then
    echo "fuzz: a text was found that is read wrongly; see tests/fuzz/corpus."
    exit 1
  fi
else
  echo "fuzz: no compiler here fuzzes by coverage; texts are only turned at random."
fi
Rscript tests/fuzz/files.R "$((seconds / 2))" "$seed"
