// What is behind a record: the earlier one that reaches furthest.
#pragma once
#include <cstddef>

namespace ridge {

// Records come by key and start; `key` may be null. `place` gets places from 1,
// 0 where no earlier record of the key covers anything.
template <class Tick>
void reach_before(const Tick* start, const Tick* stop, const int* key, std::size_t n, int* place) {
  int furthest = 0;
  for (std::size_t i = 0; i < n; ++i) {
    if (i > 0 && key && key[i] != key[i - 1]) furthest = 0;
    place[i] = furthest;
    const bool covers = stop[i] > start[i];
    if (covers && (furthest == 0 || stop[i] > stop[furthest - 1])) furthest = static_cast<int>(i) + 1;
  }
}

}  // namespace ridge
