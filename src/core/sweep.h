// How many are active in each period, by the six rules, without ever holding a
// row per span and period.
#pragma once
#include "core/axis.h"
#include <type_traits>
#include <utility>

namespace ridge {

__extension__ typedef __int128 Wide;  // weight units times ticks

// What is counted comes from a source: each() calls visit(start, stop, group,
// weight, again), where `again` says that this is the same key in the same
// group as the call before.
template <class Tick, class Weight> struct RecordSource {
  Spans<Tick> spans;
  const int* group;      // null: all in group 0
  const Weight* weight;  // null: each counts 1

  template <class Visit> void each(Visit visit) const {
    for (std::size_t i = 0; i < spans.size; ++i) {
      visit(spans.start[i], spans.stop[i], group ? group[i] : 0,
            weight ? weight[i] : Weight{1}, std::false_type());
    }
  }
};

template <class Tick> struct KeySource {
  Spans<Tick> spans;  // by key and start
  const int* key;
  const int* group;

  template <class Visit> void each(Visit visit) const {
    each_stretch(spans, key, group, [&](const Stretch<Tick>& stretch, bool again) {
      visit(stretch.start, stretch.stop, stretch.group, 1, again);
    });
  }
};

template <class Number> void running_sums(std::vector<Number>& change, int groups, int periods) {
  const std::size_t row = static_cast<std::size_t>(periods) + 1;
  for (int g = 0; g < groups; ++g) {
    for (std::size_t p = 1; p < row; ++p) change[g * row + p] += change[g * row + p - 1];
  }
}

// One row per group, of periods + 1 numbers: the level in each period by one of
// the first four rules, and a last entry that is always 0.
template <class Number, class Source, class Locator>
std::vector<Number> levels(Rule rule, const Source& source, const Locator& locator, int periods,
                           int groups) {
  const std::size_t row = static_cast<std::size_t>(periods) + 1;
  std::vector<Number> change(row * groups, 0);
  with_rule(rule, [&](auto chosen) {
    int counted = 0;  // the key before is counted in all periods before this one
    source.each([&](auto start, auto stop, int group, Number weight, auto again) {
      PeriodRange range = active_periods<decltype(chosen)::value>(locator, start, stop);
      if (again) range.from = std::max(range.from, counted);
      if (range.from < range.to && start < stop) {
        change[group * row + range.from] += weight;
        change[group * row + range.to] -= weight;
        counted = range.to;
      } else if (!again) {
        counted = 0;
      }
    });
  });
  running_sums(change, groups, periods);
  return change;
}

// The same for records without group or weight on an axis of single days, where
// the four rules agree. Places are worked out a block at a time, apart from the
// counting, because that keeps both loops free of waiting for each other.
inline std::vector<std::int32_t> daily_levels(const Spans<std::int32_t>& spans,
                                              const Axis<std::int32_t>& axis) {
  constexpr std::size_t block = 1024;
  const std::int32_t origin = axis.first[0], end = origin + axis.size;
  std::vector<std::int32_t> change(axis.size + 1, 0);
  std::int32_t begins[block], ends[block];
  for (std::size_t at = 0; at < spans.size; at += block) {
    const std::size_t count = std::min(block, spans.size - at);
    for (std::size_t i = 0; i < count; ++i) {
      begins[i] = std::clamp(spans.start[at + i], origin, end) - origin;
      ends[i] = std::clamp(spans.stop[at + i], origin, end) - origin;
    }
    for (std::size_t i = 0; i < count; ++i) {
      ++change[begins[i]];
      --change[ends[i]];
    }
  }
  running_sums(change, 1, axis.size);
  return change;
}

// The average level over each period's ticks, one row of `axis.size` per group.
template <class Source, class Locator, class Tick>
std::vector<double> mean_levels(const Source& source, const Locator& locator,
                                const Axis<Tick>& axis, int groups, double scale) {
  const std::size_t periods = axis.size, row = periods + 1;
  std::vector<std::int64_t> throughout(row * groups, 0);
  std::vector<Wide> partly(periods * groups, 0);
  source.each([&](Tick start, Tick stop, int group, auto weight, auto) {
    const PeriodRange range = active_periods<Rule::any>(locator, start, stop);
    if (range.from >= range.to || start >= stop) return;
    const auto add_slice = [&](int p) {
      const Tick ticks = std::min(stop, axis.stop[p]) - std::max(start, axis.first[p]);
      partly[group * periods + p] += static_cast<Wide>(weight) * ticks;
    };
    add_slice(range.from);
    if (range.to - range.from < 2) return;
    add_slice(range.to - 1);
    throughout[group * row + range.from + 1] += weight;
    throughout[group * row + range.to - 1] -= weight;
  });
  running_sums(throughout, groups, axis.size);
  std::vector<double> mean(periods * groups, 0);
  for (int g = 0; g < groups; ++g) {
    for (std::size_t p = 0; p < periods; ++p) {
      const Tick length = axis.stop[p] - axis.first[p];
      if (length == 0) continue;
      const Wide total =
          partly[g * periods + p] + static_cast<Wide>(throughout[g * row + p]) * length;
      mean[g * periods + p] = static_cast<double>(total) / (scale * static_cast<double>(length));
    }
  }
  return mean;
}

template <class Tick> struct Weighted {
  Tick start;
  Tick stop;
  std::int64_t weight;
};

// The highest level in each period of one group. Few ticks: a difference for
// every tick of the axis. Many: a difference for every start and stop, sorted.
inline void peaks_of_group(const std::vector<Weighted<std::int32_t>>& items,
                           const Axis<std::int32_t>& axis, std::int64_t* peak) {
  const std::int64_t origin = axis.first[0], length = axis.stop[axis.size - 1] - origin;
  std::vector<std::int64_t> level(length + 1, 0);
  for (const auto& item : items) {
    level[std::clamp<std::int64_t>(item.start - origin, 0, length)] += item.weight;
    level[std::clamp<std::int64_t>(item.stop - origin, 0, length)] -= item.weight;
  }
  for (std::int64_t day = 1; day <= length; ++day) level[day] += level[day - 1];
  for (int p = 0; p < axis.size; ++p) {
    for (std::int64_t t = axis.first[p]; t < axis.stop[p]; ++t) {
      peak[p] = std::max(peak[p], level[t - origin]);
    }
  }
}

inline void peaks_of_group(const std::vector<Weighted<std::int64_t>>& items,
                           const Axis<std::int64_t>& axis, std::int64_t* peak) {
  std::vector<std::pair<std::int64_t, std::int64_t>> changes;
  for (const auto& item : items) {
    changes.emplace_back(item.start, item.weight);
    changes.emplace_back(item.stop, -item.weight);
  }
  std::sort(changes.begin(), changes.end());
  std::int64_t level = 0;
  auto next = changes.begin();
  for (int p = 0; p < axis.size; ++p) {
    if (axis.first[p] == axis.stop[p]) continue;
    while (next != changes.end() && next->first <= axis.first[p]) level += (next++)->second;
    peak[p] = level;
    while (next != changes.end() && next->first < axis.stop[p]) {
      const std::int64_t moment = next->first;
      while (next != changes.end() && next->first == moment) level += (next++)->second;
      peak[p] = std::max(peak[p], level);
    }
  }
}

template <class Source, class Tick>
std::vector<std::int64_t> peak_levels(const Source& source, const Axis<Tick>& axis, int groups) {
  std::vector<std::vector<Weighted<Tick>>> by_group(groups);
  source.each([&](Tick start, Tick stop, int group, auto weight, auto) {
    const bool seen = start < axis.stop[axis.size - 1] && stop > axis.first[0];
    if (start < stop && seen) by_group[group].push_back({start, stop, weight});
  });
  std::vector<std::int64_t> peak(static_cast<std::size_t>(axis.size) * groups, 0);
  for (int g = 0; g < groups; ++g) {
    peaks_of_group(by_group[g], axis, peak.data() + static_cast<std::size_t>(axis.size) * g);
    std::vector<Weighted<Tick>>().swap(by_group[g]);
  }
  return peak;
}

}  // namespace ridge
