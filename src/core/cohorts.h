// Of those who started together, how many are there later on.
#pragma once
#include "core/axis.h"
#include <algorithm>
#include <vector>

namespace ridge {

struct CohortTable {
  std::vector<std::int32_t> size;    // by group and cohort
  std::vector<std::int32_t> active;  // by group, cohort and period
};

// Keys, by key and start; `home` is the group of each record, the key's is that
// of its first one. Periods are those of the cohorts. Keys that start after the
// last period, or at `until` or later, are in no cohort. Without `returns` only
// the first stretch counts.
template <class Tick, class Locator>
CohortTable find_cohorts(const Spans<Tick>& spans, const int* key, const int* home, int groups, const Axis<Tick>& axis,
                         const Locator& locator, Rule rule, bool returns, Tick until) {
  const std::size_t periods = axis.size, row = periods + 1;
  CohortTable table{std::vector<std::int32_t>(periods * groups, 0), {}};
  std::vector<std::int32_t> change(periods * groups * row, 0);
  // The group of each key's first record; of several that start at once the lowest.
  std::size_t at = 0;
  with_rule(rule, [&](auto chosen) {
    std::size_t line = 0;
    bool in_cohort = false;
    int counted = 0;
    each_stretch(spans, key, nullptr, [&](const Stretch<Tick>& stretch, bool again) {
      if (!again) {
        while (key[at] != stretch.key || spans.start[at] >= spans.stop[at]) ++at;
        int group = home ? home[at] : 0;
        for (std::size_t i = at + 1; home && i < spans.size && key[i] == stretch.key && spans.start[i] == stretch.start; ++i) {
          if (spans.start[i] < spans.stop[i]) group = std::min(group, home[i]);
        }
        in_cohort = stretch.start < until && stretch.start >= axis.first[0];
        counted = 0;
        if (!in_cohort) return;
        line = group * periods + locator.ended(stretch.start);
        ++table.size[line];
      } else if (!in_cohort || !returns) {
        return;
      }
      PeriodRange range = active_periods<decltype(chosen)::value>(locator, stretch.start, stretch.stop);
      range.from = std::max(range.from, counted);
      if (range.from >= range.to) return;
      ++change[line * row + range.from];
      --change[line * row + range.to];
      counted = range.to;
    });
  });
  for (std::size_t line = 0; line < periods * groups; ++line) {
    for (std::size_t p = 1; p < row; ++p) change[line * row + p] += change[line * row + p - 1];
  }
  table.active = std::move(change);
  return table;
}

}  // namespace ridge
