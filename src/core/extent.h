// What the spans that cover something reach to, and how many are open or empty.
#pragma once
#include <algorithm>
#include <cstddef>
#include <limits>

namespace ridge {

template <class Number> struct Extent {
  Number first = std::numeric_limits<Number>::max();
  Number last_start = std::numeric_limits<Number>::lowest();
  Number last_stop = std::numeric_limits<Number>::lowest();
  std::size_t open = 0, empty = 0;

  void add(Number start, Number stop, Number never) {
    if (!(stop > start)) {
      ++empty;
      return;
    }
    first = std::min(first, start);
    last_start = std::max(last_start, start);
    if (stop == never) ++open;
    else last_stop = std::max(last_stop, stop);
  }

  void add(const Extent& other) {
    first = std::min(first, other.first);
    last_start = std::max(last_start, other.last_start);
    last_stop = std::max(last_stop, other.last_stop);
    open += other.open;
    empty += other.empty;
  }
};

}  // namespace ridge
