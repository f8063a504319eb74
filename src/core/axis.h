// Periods as an axis, and where on it a span falls.
#pragma once
#include "core/spans.h"

namespace ridge {

// Sorted periods that do not overlap, each [first, stop); gaps are allowed.
template <class Tick> struct Axis {
  const Tick* first;
  const Tick* stop;
  int size;
};

// The periods from `from` up to, not including, `to`; none where from >= to.
struct PeriodRange {
  int from;
  int to;
};

// A locator answers two questions, by which every rule is expressed:
// begun(t), how many periods have their first tick before t, and
// ended(t), how many periods are over by t.

// Each period is one day and follows the one before.
class DailyLocator {
 public:
  explicit DailyLocator(const Axis<std::int32_t>& axis)
      : origin_(axis.size > 0 ? axis.first[0] : 0), size_(axis.size) {}
  int begun(std::int32_t t) const { return at(t); }
  int ended(std::int32_t t) const { return at(t); }

 private:
  std::int64_t origin_;
  std::int64_t size_;
  int at(std::int32_t t) const {
    return static_cast<int>(std::clamp<std::int64_t>(t - origin_, 0, size_));
  }
};

// Periods of days: one look into a table that has an entry for each day.
class TableLocator {
 public:
  explicit TableLocator(const Axis<std::int32_t>& axis) {
    if (axis.size == 0) return;
    origin_ = axis.first[0];
    last_ = axis.stop[axis.size - 1] - origin_;
    begun_.resize(last_ + 1);
    ended_.resize(last_ + 1);
    int begun = 0, ended = 0;
    for (std::int64_t day = 0; day <= last_; ++day) {
      const std::int64_t t = origin_ + day;
      while (begun < axis.size && axis.first[begun] < t) ++begun;
      while (ended < axis.size && axis.stop[ended] <= t) ++ended;
      begun_[day] = begun;
      ended_[day] = ended;
    }
  }
  int begun(std::int32_t t) const { return begun_[entry(t)]; }
  int ended(std::int32_t t) const { return ended_[entry(t)]; }

 private:
  std::int64_t origin_ = 0;
  std::int64_t last_ = 0;
  std::vector<int> begun_ = std::vector<int>(1, 0);
  std::vector<int> ended_ = std::vector<int>(1, 0);
  std::size_t entry(std::int32_t t) const {
    return static_cast<std::size_t>(std::clamp<std::int64_t>(t - origin_, 0, last_));
  }
};

class SearchLocator {
 public:
  explicit SearchLocator(const Axis<std::int64_t>& axis) : axis_(axis) {}
  int begun(std::int64_t t) const {
    return static_cast<int>(std::lower_bound(axis_.first, axis_.first + axis_.size, t) -
                            axis_.first);
  }
  int ended(std::int64_t t) const {
    return static_cast<int>(std::upper_bound(axis_.stop, axis_.stop + axis_.size, t) -
                            axis_.stop);
  }

 private:
  Axis<std::int64_t> axis_;
};

}  // namespace ridge
