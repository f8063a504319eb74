#!/usr/bin/env bash
# Fuzzing: of texts by coverage, with the compiler that can do it, and of files of every
# format. What is found goes into tests/fuzz/corpus.
#   tools/fuzz.sh [SECONDS] [SEED]
set -euo pipefail
cd "$(dirname "$0")/.."
seconds="${1:-120}" seed="${2:-$(($(date +%s) % 1000000))}"
if ! command -v clang++ > /dev/null && command -v apt-get > /dev/null && [ "$(id -u)" = 0 ]; then
  apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends clang > /dev/null || true
  runtime="libclang-rt-$(clang++ -dumpversion 2> /dev/null | cut -d. -f1)-dev"
  DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$runtime" > /dev/null || true
fi
# fuzz_target NAME MOST_BYTES: for a quarter of the time, from what is in build/fuzz/NAME.
fuzz_target() {
  clang++ -std=c++17 -O1 -g -fsanitize=fuzzer,address,undefined -fno-sanitize-recover=undefined -Isrc \
    "tests/fuzz/$1.cpp" -o "build/fuzz/$1-fuzz" 2> build/fuzz/compile.log || return 1
  "build/fuzz/$1-fuzz" -max_total_time="$((seconds / 4))" -seed="$seed" -max_len="$2" -print_final_stats=1 -verbosity=0 \
    -artifact_prefix="tests/fuzz/corpus/$1-crash-" "build/fuzz/$1" 2>&1 | grep -aE "number_of_executed|ERROR|runtime error|Test unit" || true
}
mkdir -p build/fuzz/texts build/fuzz/parquet
cp tests/fuzz/corpus/texts-* build/fuzz/texts/
cp tests/fuzz/corpus/parquet-* build/fuzz/parquet/
Rscript tests/fuzz/seeds.R build/fuzz/parquet
if command -v clang++ > /dev/null && fuzz_target texts 64 && fuzz_target parquet 4096; then
  if ls tests/fuzz/corpus/*-crash-* > /dev/null 2>&1; then
    echo "fuzz: something was found that is read wrongly; see tests/fuzz/corpus."
    exit 1
  fi
else
  echo "fuzz: no compiler here fuzzes by coverage; texts are only turned at random."
fi
Rscript tests/fuzz/files.R "$((seconds / 2))" "$seed"
