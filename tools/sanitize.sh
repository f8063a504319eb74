#!/usr/bin/env bash
# The core tests and a hostile caller of every kernel, compiled so that what is read or
# written past an end, and what overflows, ends the run. To optimise the core tests for the
# first sanitizer would take longer than they run.
#   tools/sanitize.sh [SECONDS] [SEED]
set -euo pipefail
cd "$(dirname "$0")/.."
seconds="${1:-120}" seed="${2:-$(date +%s)}"
flags="-fsanitize=address,undefined -fno-sanitize-recover=undefined -fno-omit-frame-pointer"
compiler="$(R CMD config CXX17)"
mkdir -p build/sanitize/lib
if ! echo 'int main() {}' | $compiler $flags -x c++ - -o build/sanitize/probe 2>/dev/null; then
  echo "sanitize: this compiler has no sanitizers; left out."
  exit 0
fi

$compiler -std=c++17 -O0 -g -pthread $flags -Isrc tests/core/core-test.cpp -o build/sanitize/core-test
build/sanitize/core-test
# And whether threads get in each other's way, where the system lets that be watched.
if echo 'int main() {}' | $compiler -fsanitize=thread -x c++ - -o build/sanitize/probe 2>/dev/null && build/sanitize/probe 2>/dev/null; then
  $compiler -std=c++17 -O1 -g -pthread -fsanitize=thread -Isrc tests/core/core-test.cpp -o build/sanitize/threads-test
  build/sanitize/threads-test
fi

# The package as it stands, in a library of its own.
rm -rf build/sanitize/package && mkdir build/sanitize/package
cp -r DESCRIPTION NAMESPACE LICENSE R src inst exec build/sanitize/package/
rm -f build/sanitize/package/src/*.o build/sanitize/package/src/*.so
cat > build/sanitize/Makevars <<FLAGS
CXX17FLAGS = -O1 -g $flags
LDFLAGS = $flags
FLAGS
preload="$($compiler -print-file-name=libasan.so) $($compiler -print-file-name=libubsan.so)"
MAKEFLAGS="-j$(nproc)" R_MAKEVARS_USER="$PWD/build/sanitize/Makevars" R CMD INSTALL --no-docs \
  --no-test-load --no-byte-compile --library=build/sanitize/lib build/sanitize/package > build/sanitize/install.log 2>&1 ||
  { tail -20 build/sanitize/install.log; exit 1; }
# What R itself keeps to its end is no leak of ours. A fault is told again below its long stack,
# where who reads only the end of a log sees it.
log=build/sanitize/hostile.log
R_LIBS="$PWD/build/sanitize/lib:${R_LIBS:-}" LD_PRELOAD="$preload" ASAN_OPTIONS=detect_leaks=0 \
  UBSAN_OPTIONS=print_stacktrace=1 Rscript tests/attack/hostile.R "$seconds" "$seed" 2>&1 | tee "$log" ||
  { grep -m1 -A8 'runtime error:\|ERROR: AddressSanitizer' "$log" | cut -c1-200; exit 1; }
