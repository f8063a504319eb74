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
    const bool covers = stop > start, is_open = stop == never;
    first = covers && start < first ? start : first;
    last_start = covers && start > last_start ? start : last_start;
    last_stop = covers && !is_open && stop > last_stop ? stop : last_stop;
    open += covers && is_open;
    empty += !covers;
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
