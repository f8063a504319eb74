// How many are active in each period, by the six rules, without ever holding a
// row per span and period.
#pragma once
#include "core/partial.h"
#include "core/rules.h"
#include <utility>

namespace ridge {

// Levels by one of the first four rules. One row per group, of periods + 1 numbers: the
// changes, until they are finished into the level of each period and a last 0.
template <class Number> class LevelPart {
 public:
  LevelPart(Rule rule, int periods, int groups)
      : rule_(rule), row_(static_cast<std::size_t>(periods) + 1), cells_(row_ * groups) {}

  template <class Source, class Locator> void fill(const Source& source, const Locator& locator) {
    with_rule(rule_, [&](auto chosen) {
      int counted = 0;  // the key before is counted in all periods before this one
      source.each([&](auto start, auto stop, int group, Number weight, auto again) {
        PeriodRange range = active_periods<decltype(chosen)::value>(locator, start, stop);
        if (again) range.from = std::max(range.from, counted);
        if (range.from < range.to && start < stop) {
          cells_[group * row_ + range.from] += weight;
          cells_[group * row_ + range.to] -= weight;
          counted = range.to;
        } else if (!again) {
          counted = 0;
        }
      });
    });
  }

  // The same for records without group or weight on an axis of single days, where
  // the four rules agree. Places are worked out a block at a time, apart from the
  // counting, because that keeps both loops free of waiting for each other.
  void fill_daily(const Spans<std::int32_t>& spans, const Axis<std::int32_t>& axis) {
    constexpr std::size_t block = 1024;
    const std::int32_t origin = axis.first[0], end = origin + axis.size;
    std::int32_t begins[block], ends[block];
    for (std::size_t at = 0; at < spans.size; at += block) {
      const std::size_t count = std::min(block, spans.size - at);
      for (std::size_t i = 0; i < count; ++i) {
        begins[i] = std::clamp(spans.start[at + i], origin, end) - origin;
        ends[i] = std::clamp(spans.stop[at + i], origin, end) - origin;
      }
      for (std::size_t i = 0; i < count; ++i) {
        ++cells_[begins[i]];
        --cells_[ends[i]];
      }
    }
  }

  void add(const LevelPart& other) { cells_.add(other.cells_); }
  const Cells<Number>& finish() {
    cells_.run(row_);
    return cells_;
  }
  std::size_t row() const { return row_; }

 private:
  Rule rule_;
  std::size_t row_;
  Cells<Number> cells_;
};

// The average level over each period's ticks: what covers a period throughout, and what
// does so partly.
template <class Tick> class MeanPart {
 public:
  MeanPart(const Axis<Tick>& axis, int groups)
      : axis_(axis), groups_(groups), row_(static_cast<std::size_t>(axis.size) + 1),
        throughout_(row_ * groups), partly_(static_cast<std::size_t>(axis.size) * groups) {}

  template <class Source, class Locator> void fill(const Source& source, const Locator& locator) {
    const std::size_t periods = axis_.size;
    source.each([&](Tick start, Tick stop, int group, auto weight, auto) {
      const PeriodRange range = touched_periods(locator, start, stop);
      if (range.from >= range.to || start >= stop) return;
      const auto add_slice = [&](int p) {
        const Tick ticks = std::min(stop, axis_.stop[p]) - std::max(start, axis_.first[p]);
        partly_[group * periods + p] += static_cast<Wide>(weight) * ticks;
      };
      add_slice(range.from);
      if (range.to - range.from < 2) return;
      add_slice(range.to - 1);
      throughout_[group * row_ + range.from + 1] += weight;
      throughout_[group * row_ + range.to - 1] -= weight;
    });
  }

  void add(const MeanPart& other) {
    throughout_.add(other.throughout_);
    partly_.add(other.partly_);
  }

  std::vector<double> finish(double scale) {
    throughout_.run(row_);
    const std::size_t periods = axis_.size;
    std::vector<double> mean(periods * groups_, 0);
    for (int g = 0; g < groups_; ++g) {
      for (std::size_t p = 0; p < periods; ++p) {
        const Tick length = axis_.stop[p] - axis_.first[p];
        if (length == 0) continue;
        const Wide total =
            partly_[g * periods + p] + static_cast<Wide>(throughout_[g * row_ + p]) * length;
        mean[g * periods + p] = static_cast<double>(total) / (scale * static_cast<double>(length));
      }
    }
    return mean;
  }

 private:
  Axis<Tick> axis_;
  int groups_;
  std::size_t row_;
  Cells<std::int64_t> throughout_;
  Cells<Wide> partly_;
};

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

// The highest level: what is seen of each group, a group at a time.
template <class Tick> class PeakPart {
 public:
  PeakPart(const Axis<Tick>& axis, int groups) : axis_(axis), by_group_(groups) {}

  template <class Source, class Locator> void fill(const Source& source, const Locator&) {
    source.each([&](Tick start, Tick stop, int group, auto weight, auto) {
      const bool seen = start < axis_.stop[axis_.size - 1] && stop > axis_.first[0];
      if (start < stop && seen) by_group_[group].push_back({start, stop, weight});
    });
  }

  void add(const PeakPart& other) {
    for (std::size_t g = 0; g < by_group_.size(); ++g) {
      by_group_[g].insert(by_group_[g].end(), other.by_group_[g].begin(), other.by_group_[g].end());
    }
  }

  Cells<std::int64_t> finish() {
    Cells<std::int64_t> peak(static_cast<std::size_t>(axis_.size) * by_group_.size());
    for (std::size_t g = 0; g < by_group_.size(); ++g) {
      peaks_of_group(by_group_[g], axis_, &peak[g * axis_.size]);
      std::vector<Weighted<Tick>>().swap(by_group_[g]);
    }
    return peak;
  }

 private:
  Axis<Tick> axis_;
  std::vector<std::vector<Weighted<Tick>>> by_group_;
};

}  // namespace ridge
