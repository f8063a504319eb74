// Memory that will be written whole is asked for in large pages, where the system has them: to be
// handed it in small ones takes as long as to sort what comes into it.
#pragma once
#include "core/threads.h"
#include <cstddef>
#include <cstdint>
#include <vector>
#if defined(__linux__)
#include <sys/mman.h>
#endif

namespace ridge {

// What is no more than a few pages is left alone.
inline void in_large_pages(void* memory, std::size_t bytes) {
#if defined(__linux__) && defined(MADV_HUGEPAGE)
  constexpr std::uintptr_t small = 4096, large = std::uintptr_t{1} << 21;
  if (bytes < 2 * large) return;
  const std::uintptr_t at = reinterpret_cast<std::uintptr_t>(memory);
  const std::uintptr_t from = (at + small - 1) / small * small, to = (at + bytes) / small * small;
  // Where it is refused, the pages are small.
  (void)madvise(reinterpret_cast<void*>(from), to - from, MADV_HUGEPAGE);
#else
  static_cast<void>(memory);
  static_cast<void>(bytes);
#endif
}

// The same where several threads will write all over it: each is handed its own part first. Two
// that come to a new page at once both wait until it is cleared, or clear it twice.
inline void in_large_pages(void* memory, std::size_t bytes, int threads) {
  constexpr std::size_t large = std::size_t{1} << 21;
  in_large_pages(memory, bytes);
  if (threads < 2 || bytes < 2 * large) return;
  volatile char* const all = static_cast<volatile char*>(memory);
  in_blocks(bytes / large, threads, [=](std::size_t page, std::size_t to) {
    for (; page < to; ++page) all[page * large] = 0;
  });
}

// Asks for what stands somewhere before it is needed.
inline void fetch(const void* address) {
#if defined(__GNUC__)
  __builtin_prefetch(address);
#else
  static_cast<void>(address);
#endif
}

// Numbers that are all zero.
template <class Number> std::vector<Number> large_vector(std::size_t size) {
  std::vector<Number> made;
  made.reserve(size);
  in_large_pages(made.data(), size * sizeof(Number));
  made.resize(size);
  return made;
}

}  // namespace ridge
