// Stretches of records that follow each other without a break, and what is
// behind a record: the earlier one of its line that reaches furthest.
#pragma once
#include "core/spans.h"
#include <cstddef>
#include <vector>

namespace ridge {

// How much lies uncovered between two spans: ticks, or working days only.
template <class Tick> struct TicksBetween {
  Tick operator()(Tick stop, Tick start) const { return start <= stop ? 0 : start - stop; }
};

struct WorkingDaysBetween {
  const int* before;  // working days before each day from `origin` on
  int origin;

  int operator()(int stop, int start) const {
    return start <= stop ? 0 : before[start - origin] - before[stop - origin];
  }
};

template <class Tick> struct StretchTable {
  std::vector<Tick> start, stop;
  std::vector<int> line, records;
  std::vector<int> first, furthest;  // places of records, from 0, where asked for
};

// Spans come by line and start; `line` may be null. `tag`, where it is not null,
// gets the number of each record's stretch from 1, 0 for those that are empty.
template <class Tick, class Distance, class Poll = NoPoll>
StretchTable<Tick> find_stretches(const Spans<Tick>& spans, const int* line, Distance distance,
                                  Tick tolerance, int* tag, bool with_places,
                                  const Poll& poll = Poll()) {
  StretchTable<Tick> found;
  // Room for all, of which the system only hands out what is used.
  found.start.reserve(spans.size);
  found.stop.reserve(spans.size);
  found.line.reserve(spans.size);
  found.records.reserve(spans.size);
  for (std::size_t i = 0; i < spans.size; ++i) {
    if ((i & poll_mask) == 0) poll();
    const bool empty = spans.stop[i] <= spans.start[i];
    if (tag) tag[i] = 0;
    if (empty) continue;
    const int own = line ? line[i] : 0;
    const bool goes_on = !found.start.empty() && found.line.back() == own &&
                         distance(found.stop.back(), spans.start[i]) <= tolerance;
    if (!goes_on) {
      found.start.push_back(spans.start[i]);
      found.stop.push_back(spans.stop[i]);
      found.line.push_back(own);
      found.records.push_back(1);
      if (with_places) {
        found.first.push_back(static_cast<int>(i));
        found.furthest.push_back(static_cast<int>(i));
      }
    } else {
      ++found.records.back();
      if (spans.stop[i] > found.stop.back()) {
        found.stop.back() = spans.stop[i];
        if (with_places) found.furthest.back() = static_cast<int>(i);
      }
    }
    if (tag) tag[i] = static_cast<int>(found.start.size());
  }
  return found;
}

// The uncovered ranges between the stretches of each line.
template <class Tick> struct GapTable {
  std::vector<Tick> start, stop;
  std::vector<int> line, before, after;  // places of the neighbours, from 0
};

template <class Tick, class Distance, class Poll = NoPoll>
GapTable<Tick> find_gaps(const Spans<Tick>& spans, const int* line, Distance distance, Tick least,
                         const Poll& poll = Poll()) {
  GapTable<Tick> found;
  int own = -1, furthest = -1;
  for (std::size_t i = 0; i < spans.size; ++i) {
    if ((i & poll_mask) == 0) poll();
    if (spans.stop[i] <= spans.start[i]) continue;
    const int here = line ? line[i] : 0;
    if (here != own) {
      own = here;
      furthest = static_cast<int>(i);
      continue;
    }
    const Tick stop = spans.stop[furthest];
    if (spans.start[i] > stop && distance(stop, spans.start[i]) >= least) {
      found.start.push_back(stop);
      found.stop.push_back(spans.start[i]);
      found.line.push_back(here);
      found.before.push_back(furthest);
      found.after.push_back(static_cast<int>(i));
    }
    if (spans.stop[i] > stop) furthest = static_cast<int>(i);
  }
  return found;
}

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
