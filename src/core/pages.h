// Memory that will be written whole is asked for in large pages, where the system has them: to be
// handed it in small ones takes as long as to sort what comes into it.
#pragma once
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
