// What is left of the spans of each key where other spans of that key are taken away.
#pragma once
#include "core/spans.h"
#include <cstddef>
#include <vector>

namespace ridge {

template <class Tick> struct PieceTable {
  std::vector<int> record;  // from 0
  std::vector<Tick> start, stop;
};

// Both by key and start; no two of those taken away touch or overlap within a key.
template <class Tick, class Poll = NoPoll>
PieceTable<Tick> take_away(const Spans<Tick>& spans, const int* key, const Spans<Tick>& away, const int* away_key,
                           const Poll& poll = Poll()) {
  PieceTable<Tick> left;
  std::size_t from = 0;
  for (std::size_t i = 0; i < spans.size; ++i) {
    if ((i & poll_mask) == 0) poll();
    // Starts only grow within a key: what stops before this one stops before the next.
    while (from < away.size && (away_key[from] < key[i] || (away_key[from] == key[i] && away.stop[from] <= spans.start[i]))) ++from;
    Tick at = spans.start[i];
    const auto keep = [&](Tick until) {
      if (at >= until) return;
      left.record.push_back(static_cast<int>(i));
      left.start.push_back(at);
      left.stop.push_back(until);
    };
    for (std::size_t j = from; j < away.size && away_key[j] == key[i] && away.start[j] < spans.stop[i]; ++j) {
      keep(away.start[j]);
      at = std::max(at, away.stop[j]);
    }
    keep(spans.stop[i]);
  }
  return left;
}

}  // namespace ridge
