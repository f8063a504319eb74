// Pairs of spans of one line that have at least `least` ticks in common.
#pragma once
#include "core/partial.h"
#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <vector>

namespace ridge {

// Spans come by line and start. `line` may be null; `side` too: otherwise only
// pairs of different sides count, as of two tables or of two people.
template <class Tick> struct OverlapQuery {
  Spans<Tick> spans;
  const int* line;
  const int* side;
  Tick least;

  std::size_t size() const { return spans.size; }
  std::size_t end_of(std::size_t at) const { return line_end(line, spans.size, at); }
  OverlapQuery part(std::size_t from, std::size_t to) const {
    return {spans.part(from, to), line ? line + from : nullptr, side ? side + from : nullptr, least};
  }

  int line_of(std::size_t i) const { return line ? line[i] : 0; }
  bool long_enough(std::size_t i) const {
    return spans.stop[i] > spans.start[i] && spans.stop[i] >= spans.start[i] + least;
  }
};

// How many pairs there are among these records, in order of start, without
// looking at any: earlier ones less those that ended too early.
template <class Tick>
double count_among(const OverlapQuery<Tick>& query, const std::vector<std::size_t>& places,
                   std::vector<Tick>& stops) {
  stops.clear();
  for (std::size_t i : places) stops.push_back(query.spans.stop[i]);
  std::sort(stops.begin(), stops.end());
  double pairs = 0;
  std::size_t over = 0;
  for (std::size_t rank = 0; rank < places.size(); ++rank) {
    const Tick start = query.spans.start[places[rank]];
    while (over < stops.size() && stops[over] < start + query.least) ++over;
    pairs += static_cast<double>(rank) - static_cast<double>(over);
  }
  return pairs;
}

template <class Tick, class Poll = NoPoll>
double count_overlaps(const OverlapQuery<Tick>& query, const Poll& poll = Poll()) {
  const std::size_t n = query.spans.size;
  double pairs = 0;
  std::size_t polled = 0;
  std::vector<std::size_t> places;
  std::vector<std::pair<int, std::size_t>> by_side;
  std::vector<Tick> stops;
  for (std::size_t from = 0, to = 0; from < n; from = to) {
    if (from - polled > poll_mask) {
      poll();
      polled = from;
    }
    places.clear();
    for (; to < n && query.line_of(to) == query.line_of(from); ++to) {
      if (query.long_enough(to)) places.push_back(to);
    }
    if (places.size() < 2) continue;
    pairs += count_among(query, places, stops);
    if (!query.side) continue;
    by_side.clear();
    for (std::size_t i : places) by_side.emplace_back(query.side[i], i);
    std::sort(by_side.begin(), by_side.end());
    for (std::size_t a = 0, b = 0; a < by_side.size(); a = b) {
      places.clear();
      for (; b < by_side.size() && by_side[b].first == by_side[a].first; ++b) {
        places.push_back(by_side[b].second);
      }
      if (places.size() > 1) pairs -= count_among(query, places, stops);
    }
  }
  return pairs;
}

// Calls visit(earlier, later) for each pair, by line and by the later one. A
// record stays among the running ones until it can be in no further pair. With
// sides the running ones of each side are apart, so that no pair of one side is
// ever looked at.
template <class Tick, class Visit, class Poll = NoPoll>
void each_overlap(const OverlapQuery<Tick>& query, int sides, Visit visit,
                  const Poll& poll = Poll()) {
  std::vector<std::vector<std::size_t>> running(std::max(1, sides));
  std::vector<int> busy;  // sides with somebody running
  int own = -1;
  const auto still = [&](std::vector<std::size_t>& side, Tick limit, auto seen) {
    std::size_t kept = 0;
    for (std::size_t j : side) {
      if (query.spans.stop[j] < limit) continue;
      seen(j);
      side[kept++] = j;
    }
    side.resize(kept);
  };
  std::vector<std::size_t> partners;
  for (std::size_t i = 0; i < query.spans.size; ++i) {
    if ((i & poll_mask) == 0) poll();
    if (!query.long_enough(i)) continue;
    if (query.line_of(i) != own) {
      own = query.line_of(i);
      for (int side : busy) running[side].clear();
      busy.clear();
    }
    const int mine = query.side ? query.side[i] : 0;
    const Tick limit = query.spans.start[i] + query.least;
    partners.clear();
    for (std::size_t b = 0; b < busy.size();) {
      auto& side = running[busy[b]];
      if (query.side && busy[b] == mine) {
        ++b;
        continue;
      }
      still(side, limit, [&](std::size_t j) { partners.push_back(j); });
      if (side.empty()) {
        busy[b] = busy.back();
        busy.pop_back();
      } else {
        ++b;
      }
    }
    if (query.side) std::sort(partners.begin(), partners.end());
    for (std::size_t j : partners) visit(j, i);
    if (running[mine].empty()) busy.push_back(mine);
    running[mine].push_back(i);
  }
}

}  // namespace ridge
