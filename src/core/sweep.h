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

  std::size_t cells() const { return cells_.size(); }
  void add(const LevelPart& other) { cells_.add(other.cells_); }
  void put(Bytes& bytes) const { cells_.put(bytes); }
  void take(Bytes& bytes) { cells_.take(bytes); }
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

  std::size_t cells() const { return throughout_.size() + partly_.size(); }
  void add(const MeanPart& other) {
    throughout_.add(other.throughout_);
    partly_.add(other.partly_);
  }
  void put(Bytes& bytes) const {
    throughout_.put(bytes);
    partly_.put(bytes);
  }
  void take(Bytes& bytes) {
    throughout_.take(bytes);
    partly_.take(bytes);
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

// What changes the level of one group, from when on. Changes of one moment are joined as they
// come, so that there are never many more than moments.
template <class Tick> class Changes {
 public:
  struct Change {
    Tick at;
    std::int64_t by;
  };

  void add(Tick start, Tick stop, std::int64_t weight) {
    changes_.push_back({start, weight});
    changes_.push_back({stop, -weight});
    if (changes_.size() >= full_) join();
  }

  void add(const Changes& other) {
    changes_.insert(changes_.end(), other.changes_.begin(), other.changes_.end());
    if (changes_.size() >= full_) join();
  }

  // In order, one of each moment.
  const std::vector<Change>& join() {
    std::sort(changes_.begin(), changes_.end(), [](const Change& a, const Change& b) { return a.at < b.at; });
    std::size_t kept = 0;
    for (std::size_t i = 0; i < changes_.size();) {
      Change joined = changes_[i++];
      while (i < changes_.size() && changes_[i].at == joined.at) joined.by += changes_[i++].by;
      if (joined.by != 0) changes_[kept++] = joined;
    }
    changes_.resize(kept);
    full_ = std::max(least_full, 4 * kept);
    return changes_;
  }

  std::vector<Change>& all() { return changes_; }
  const std::vector<Change>& all() const { return changes_; }

 private:
  static constexpr std::size_t least_full = 4096;
  std::vector<Change> changes_;
  std::size_t full_ = least_full;
};

// The same on days, with a difference for each one, once there are enough to be worth it.
class DailyChanges {
 public:
  DailyChanges(std::int64_t origin, std::int64_t length) : origin_(origin), length_(length) {}

  void add(std::int32_t start, std::int32_t stop, std::int64_t weight) {
    if (!daily_.empty()) {
      daily_[place(start)] += weight;
      daily_[place(stop)] -= weight;
      return;
    }
    few_.add(start, stop, weight);
    if (static_cast<std::int64_t>(few_.all().size()) > length_) spread();
  }

  void add(const DailyChanges& other) {
    for (const auto& change : other.few_.all()) {
      if (daily_.empty()) few_.all().push_back(change);
      else daily_[place(change.at)] += change.by;
    }
    if (other.daily_.empty()) return;
    if (daily_.empty()) spread();
    for (std::size_t day = 0; day < daily_.size(); ++day) daily_[day] += other.daily_[day];
  }

  void put(Bytes& bytes) const {
    bytes.put(few_.all());
    bytes.put(daily_);
  }

  void take(Bytes& bytes) {
    bytes.take(few_.all());
    bytes.take(daily_);
    if (!daily_.empty() && static_cast<std::int64_t>(daily_.size()) != length_ + 1) {
      throw std::invalid_argument("A part of an answer is of another shape.");
    }
  }

  void peaks(const Axis<std::int32_t>& axis, std::int64_t* peak) {
    if (daily_.empty()) spread();
    for (std::int64_t day = 1; day <= length_; ++day) daily_[day] += daily_[day - 1];
    for (int p = 0; p < axis.size; ++p) {
      for (std::int64_t t = axis.first[p]; t < axis.stop[p]; ++t) {
        peak[p] = std::max(peak[p], daily_[t - origin_]);
      }
    }
    std::vector<std::int64_t>().swap(daily_);
  }

 private:
  std::int64_t origin_, length_;
  Changes<std::int32_t> few_;
  std::vector<std::int64_t> daily_;

  std::size_t place(std::int32_t day) const { return std::clamp<std::int64_t>(day - origin_, 0, length_); }

  void spread() {
    daily_.assign(length_ + 1, 0);
    for (const auto& change : few_.all()) daily_[place(change.at)] += change.by;
    few_ = Changes<std::int32_t>();
  }
};

// The same at moments.
class MomentChanges {
 public:
  MomentChanges(std::int64_t, std::int64_t) {}
  void add(std::int64_t start, std::int64_t stop, std::int64_t weight) { changes_.add(start, stop, weight); }
  void add(const MomentChanges& other) { changes_.add(other.changes_); }
  void put(Bytes& bytes) const { bytes.put(changes_.all()); }
  void take(Bytes& bytes) { bytes.take(changes_.all()); }

  void peaks(const Axis<std::int64_t>& axis, std::int64_t* peak) {
    const auto& changes = changes_.join();
    std::int64_t level = 0;
    auto next = changes.begin();
    for (int p = 0; p < axis.size; ++p) {
      if (axis.first[p] == axis.stop[p]) continue;
      while (next != changes.end() && next->at <= axis.first[p]) level += (next++)->by;
      peak[p] = level;
      while (next != changes.end() && next->at < axis.stop[p]) {
        level += (next++)->by;
        peak[p] = std::max(peak[p], level);
      }
    }
    changes_ = Changes<std::int64_t>();
  }

 private:
  Changes<std::int64_t> changes_;
};

// The highest level: what is seen of each group, a group at a time.
template <class Tick> class PeakPart {
  using Group = std::conditional_t<std::is_same<Tick, std::int32_t>::value, DailyChanges, MomentChanges>;

 public:
  PeakPart(const Axis<Tick>& axis, int groups)
      : axis_(axis), by_group_(groups, Group(axis.first[0], axis.stop[axis.size - 1] - axis.first[0])) {}

  template <class Source, class Locator> void fill(const Source& source, const Locator&) {
    source.each([&](Tick start, Tick stop, int group, auto weight, auto) {
      const bool seen = start < axis_.stop[axis_.size - 1] && stop > axis_.first[0];
      if (start < stop && seen) by_group_[group].add(start, stop, weight);
    });
  }

  std::size_t cells() const { return by_group_.size(); }
  void add(const PeakPart& other) {
    for (std::size_t g = 0; g < by_group_.size(); ++g) by_group_[g].add(other.by_group_[g]);
  }
  void put(Bytes& bytes) const {
    for (const Group& group : by_group_) group.put(bytes);
  }
  void take(Bytes& bytes) {
    for (Group& group : by_group_) group.take(bytes);
  }

  Cells<std::int64_t> finish() {
    Cells<std::int64_t> peak(static_cast<std::size_t>(axis_.size) * by_group_.size());
    for (std::size_t g = 0; g < by_group_.size(); ++g) by_group_[g].peaks(axis_, peak.row(g * axis_.size));
    return peak;
  }

 private:
  Axis<Tick> axis_;
  std::vector<Group> by_group_;
};

}  // namespace ridge
