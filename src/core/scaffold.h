// The slices of records and of keys: one row per period in which they are active.
#pragma once
#include "core/rules.h"

namespace ridge {

// The periods of a record to show, and the step that the first of them is.
struct ShownPeriods {
  int from;
  int to;
  int step;
};

// Steps are counted from the record's own first period, also where that lies
// before the window [from, to): a window hides, it does not cut history off.
template <Rule rule, class Locator, class Tick>
ShownPeriods shown_periods(const Locator& locator, Tick start, Tick stop, PeriodRange window) {
  if (start >= stop) return {0, 0, 1};
  const PeriodRange kept = active_periods<rule>(locator, start, stop);
  const int from = std::max(kept.from, window.from);
  return {from, std::max(from, std::min(kept.to, window.to)), from - kept.from + 1};
}

// Calls visit(record, shown) for each record that is shown in some period.
template <class Tick, class Locator, class Visit>
void each_shown(Rule rule, const Spans<Tick>& spans, const Locator& locator, PeriodRange window,
                Visit visit) {
  with_rule(rule, [&](auto chosen) {
    for (std::size_t i = 0; i < spans.size; ++i) {
      const ShownPeriods shown = shown_periods<decltype(chosen)::value>(
          locator, spans.start[i], spans.stop[i], window);
      if (shown.from < shown.to) visit(i, shown);
    }
  });
}

// What one key covers of one period: from its first covered tick up to its
// last, and how many ticks of those in between.
template <class Tick> struct KeySlice {
  int key;
  int step;
  int period;
  Tick start;
  Tick stop;
  Tick covered;
};

// Calls visit(KeySlice) for each key and period of the window in which the
// union of the key's spans is active by the rule. The spans come by key and
// start.
template <class Tick, class Locator, class Visit>
void each_key_slice(Rule rule, const Spans<Tick>& spans, const int* key, const Axis<Tick>& axis,
                    const Locator& locator, PeriodRange window, Visit visit) {
  with_rule(rule, [&](auto chosen) {
    KeySlice<Tick> slice{-1, 0, -1, 0, 0, 0};
    bool kept = false;
    const auto finish = [&] {
      if (!kept) return;
      ++slice.step;
      if (slice.period >= window.from && slice.period < window.to) visit(slice);
    };
    each_stretch(spans, key, nullptr, [&](const Stretch<Tick>& stretch, bool) {
      const PeriodRange touched = active_periods<Rule::any>(locator, stretch.start, stretch.stop);
      const PeriodRange active =
          active_periods<decltype(chosen)::value>(locator, stretch.start, stretch.stop);
      for (int p = touched.from; p < touched.to; ++p) {
        const Tick start = std::max(stretch.start, axis.first[p]);
        const Tick stop = std::min(stretch.stop, axis.stop[p]);
        const bool keep = p >= active.from && p < active.to && axis.first[p] < axis.stop[p];
        if (slice.period == p && slice.key == stretch.key) {
          slice.stop = stop;
          slice.covered += stop - start;
          kept = kept || keep;
          continue;
        }
        finish();
        const int step = slice.key == stretch.key ? slice.step : 0;
        slice = {stretch.key, step, p, start, stop, static_cast<Tick>(stop - start)};
        kept = keep;
      }
    });
    finish();
  });
}

}  // namespace ridge
