// Stretches of records that follow each other without a break, and what is
// behind a record: the earlier one of its line that reaches furthest.
#pragma once
#include "core/spans.h"
#include "core/threads.h"
#include <cstddef>

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

// Lines of spans [from, to), which begin with a line of their own: calls begin(i) for the first
// span of each stretch and more(i, longer) for each further one; empty spans are in none.
template <class Tick, class Distance, class Begin, class More>
void walk_stretches(const Spans<Tick>& spans, const int* line, Block part, Distance distance,
                    Tick tolerance, Begin begin, More more) {
  int own = -1;
  Tick stop = 0;
  for (std::size_t i = part.from; i < part.to; ++i) {
    if (spans.stop[i] <= spans.start[i]) continue;
    const int here = line ? line[i] : 0;
    if (here != own || distance(stop, spans.start[i]) > tolerance) {
      own = here;
      stop = spans.stop[i];
      begin(i);
    } else {
      const bool longer = spans.stop[i] > stop;
      if (longer) stop = spans.stop[i];
      more(i, longer);
    }
  }
}

template <class Tick, class Distance>
std::size_t count_stretches(const Spans<Tick>& spans, const int* line, Block part, Distance distance,
                            Tick tolerance) {
  std::size_t found = 0;
  walk_stretches(spans, line, part, distance, tolerance, [&](std::size_t) { ++found; },
                 [](std::size_t, bool) {});
  return found;
}

// Where stretches are put. `furthest`, its record that reaches furthest, `first` and `tag`,
// the number of each record's stretch from 1, are null where not asked for.
template <class Value> struct StretchColumns {
  Value *start, *stop;
  int *line, *records;
  int *first, *furthest;  // places of records, from 1
  int* tag;
};

// Spans come by line and start; `line` may be null. value(tick) is what is put.
template <class Tick, class Distance, class Value, class Convert>
void put_stretches(const Spans<Tick>& spans, const int* line, Block part, Distance distance,
                   Tick tolerance, const StretchColumns<Value>& to, std::size_t at, Convert value) {
  std::size_t next = at;
  walk_stretches(spans, line, part, distance, tolerance, [&](std::size_t i) {
    to.start[next] = value(spans.start[i]);
    to.stop[next] = value(spans.stop[i]);
    to.line[next] = line ? line[i] : 0;
    to.records[next] = 1;
    if (to.first) to.first[next] = to.furthest[next] = static_cast<int>(i) + 1;
    ++next;
    if (to.tag) to.tag[i] = static_cast<int>(next);
  }, [&](std::size_t i, bool longer) {
    ++to.records[next - 1];
    if (longer) to.stop[next - 1] = value(spans.stop[i]);
    if (longer && to.first) to.furthest[next - 1] = static_cast<int>(i) + 1;
    if (to.tag) to.tag[i] = static_cast<int>(next);
  });
}

// Calls visit(before, after) for the uncovered ranges between the stretches of each line: the
// record behind that reaches furthest, and the one ahead.
template <class Tick, class Distance, class Visit>
void each_gap(const Spans<Tick>& spans, const int* line, Block part, Distance distance, Tick least,
              Visit visit) {
  int own = -1;
  std::size_t furthest = 0;
  for (std::size_t i = part.from; i < part.to; ++i) {
    if (spans.stop[i] <= spans.start[i]) continue;
    const int here = line ? line[i] : 0;
    if (here != own) {
      own = here;
      furthest = i;
      continue;
    }
    const Tick stop = spans.stop[furthest];
    if (spans.start[i] > stop && distance(stop, spans.start[i]) >= least) visit(furthest, i);
    if (spans.stop[i] > stop) furthest = i;
  }
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
