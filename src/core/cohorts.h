// Of those who started together, how many are there later on.
#pragma once
#include "core/partial.h"
#include "core/rules.h"
#include <algorithm>
#include <vector>

namespace ridge {

// Keys, by key and start; the group of a record is `home` to the key that first starts
// with it. Periods are those of the cohorts. Keys that start after the last period, or at
// `until` or later, are in no cohort. Without `returns` only the first stretch counts.
template <class Tick> class CohortPart {
 public:
  CohortPart(const Axis<Tick>& axis, int groups, Rule rule, bool returns, Tick until)
      : axis_(axis), rule_(rule), returns_(returns), until_(until), periods_(axis.size),
        row_(periods_ + 1), size_(periods_ * groups), change_(periods_ * groups * row_) {}

  template <class Locator> void fill(const KeySource<Tick>& source, const Locator& locator) {
    std::size_t at = 0;
    with_rule(rule_, [&](auto chosen) {
      std::size_t line = 0;
      bool in_cohort = false;
      int counted = 0;
      each_stretch(source.spans, source.key, nullptr, [&](const Stretch<Tick>& stretch, bool again) {
        if (!again) {
          const int group = home(source, stretch, at);
          in_cohort = stretch.start < until_ && stretch.start >= axis_.first[0] &&
                      stretch.start < axis_.stop[periods_ - 1];
          counted = 0;
          if (!in_cohort) return;
          line = group * periods_ + locator.ended(stretch.start);
          ++size_[line];
        } else if (!in_cohort || !returns_) {
          return;
        }
        PeriodRange range = active_periods<decltype(chosen)::value>(locator, stretch.start, stretch.stop);
        range.from = std::max(range.from, counted);
        if (range.from >= range.to) return;
        ++change_[line * row_ + range.from];
        --change_[line * row_ + range.to];
        counted = range.to;
      });
    });
  }

  std::size_t cells() const { return change_.size(); }
  void add(const CohortPart& other) {
    size_.add(other.size_);
    change_.add(other.change_);
  }
  void put(Bytes& bytes) const {
    size_.put(bytes);
    change_.put(bytes);
  }
  void take(Bytes& bytes) {
    size_.take(bytes);
    change_.take(bytes);
  }

  void finish() { change_.run(row_); }
  const std::vector<std::int32_t>& size() const { return size_.all(); }      // by group and cohort
  const std::vector<std::int32_t>& active() const { return change_.all(); }  // and by period

 private:
  Axis<Tick> axis_;
  Rule rule_;
  bool returns_;
  Tick until_;
  std::size_t periods_, row_;
  Cells<std::int32_t> size_, change_;

  // The group of a key's first record; of several that start at once the lowest.
  static int home(const KeySource<Tick>& source, const Stretch<Tick>& stretch, std::size_t& at) {
    const Spans<Tick>& spans = source.spans;
    while (source.key[at] != stretch.key || spans.start[at] >= spans.stop[at]) ++at;
    int group = source.group ? source.group[at] : 0;
    if (!source.group) return group;
    for (std::size_t i = at + 1; i < spans.size && source.key[i] == stretch.key && spans.start[i] == stretch.start; ++i) {
      if (spans.start[i] < spans.stop[i]) group = std::min(group, source.group[i]);
    }
    return group;
  }
};

}  // namespace ridge
