// Work on several cores. What is worked on is cut in parts that do not depend on how many
// threads there are, so that the outcome does not either.
#pragma once
#include <algorithm>
#include <atomic>
#include <cstddef>
#include <exception>
#include <functional>
#include <system_error>
#include <thread>
#include <vector>

namespace ridge {

// Calls work(t) for each thread t, the first on the thread that asks; an exception of any of
// them is thrown here, when all have ended. Where no thread can be had, this one does it all.
// One function for all kinds of work: one for each would take much room in the library.
inline void in_parallel(int threads, const std::function<void(int)>& work) {
  std::vector<std::exception_ptr> failures(std::max(threads, 1));
  const auto guarded = [&](int t) {
    try {
      work(t);
    } catch (...) {
      failures[t] = std::current_exception();
    }
  };
  std::vector<std::thread> others;
  int begun = 1;
  try {
    for (others.reserve(failures.size()); begun < threads; ++begun) others.emplace_back(guarded, begun);
  } catch (const std::system_error&) {
  }
  guarded(0);
  for (int t = begun; t < threads; ++t) guarded(t);
  for (std::thread& other : others) other.join();
  for (const std::exception_ptr& failure : failures) {
    if (failure) std::rethrow_exception(failure);
  }
}

// The part of n things that is a thread's own.
struct Block {
  std::size_t from, to;
};

inline Block block_of(std::size_t n, int threads, int t) { return {n * t / threads, n * (t + 1) / threads}; }

template <class Work> void in_blocks(std::size_t n, int threads, Work work) {
  in_parallel(threads, [&](int t) {
    const Block own = block_of(n, std::max(threads, 1), t);
    work(own.from, own.to);
  });
}

// Parts of unequal size: each thread takes the next that none has taken.
template <class Work> void take_parts(std::size_t parts, int threads, Work work) {
  std::atomic<std::size_t> next{0};
  std::atomic<bool> stopped{false};
  in_parallel(threads, [&](int t) {
    try {
      for (std::size_t part; !stopped && (part = next++) < parts;) work(part, t);
    } catch (...) {
      stopped = true;
      throw;
    }
  });
}

}  // namespace ridge
