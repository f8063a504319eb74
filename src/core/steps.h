// The level as a step function: from which tick on how much is there.
#pragma once
#include "core/partial.h"
#include <algorithm>
#include <vector>

namespace ridge {

template <class Tick, class Number> struct StepTable {
  std::vector<Tick> start, stop;
  std::vector<int> group;
  std::vector<Number> level;
};

template <class Tick, class Number> struct Change {
  Tick at;
  int group;
  Number by;
};

// The changes of all groups, until they are finished into steps: by group and start, from
// the first change of a group to its last; one that never ends stops at never(). Two of
// them that meet differ in level.
template <class Tick, class Number> class StepPart {
 public:
  template <class Source> void fill(const Source& source) {
    source.each([&](Tick start, Tick stop, int group, Number weight, auto) {
      if (stop <= start) return;
      changes_.push_back({start, group, weight});
      changes_.push_back({stop, group, static_cast<Number>(-weight)});
      if (changes_.size() >= full_) join();
    });
  }

  std::size_t cells() const { return changes_.size(); }
  void add(const StepPart& other) {
    changes_.insert(changes_.end(), other.changes_.begin(), other.changes_.end());
    join();
  }
  void put(Bytes& bytes) const { bytes.put(changes_); }
  void take(Bytes& bytes) { bytes.take(changes_); }

  StepTable<Tick, Number> finish() {
    join();
    StepTable<Tick, Number> steps;
    Number level = 0;
    bool running = false;  // the last step has no stop yet
    for (std::size_t i = 0; i < changes_.size();) {
      const int group = changes_[i].group;
      const Tick at = changes_[i].at;
      const Number before = level;
      level += changes_[i++].by;
      const bool last = i == changes_.size() || changes_[i].group != group;
      if (running && (last || level != before)) {
        steps.stop.push_back(at);
        running = false;
      }
      if (!running && !last) {
        steps.start.push_back(at);
        steps.group.push_back(group);
        steps.level.push_back(level);
        running = true;
      }
      if (last) level = 0;
    }
    return steps;
  }

 private:
  static constexpr std::size_t least_full = std::size_t{1} << 20;
  std::vector<Change<Tick, Number>> changes_;
  std::size_t full_ = least_full;

  // By group and moment, one of each, so that there are never many more than those.
  void join() {
    std::sort(changes_.begin(), changes_.end(), [](const auto& a, const auto& b) {
      return a.group != b.group ? a.group < b.group : a.at < b.at;
    });
    std::size_t kept = 0;
    for (std::size_t i = 0; i < changes_.size();) {
      Change<Tick, Number> joined = changes_[i++];
      for (; i < changes_.size() && changes_[i].group == joined.group && changes_[i].at == joined.at; ++i) {
        joined.by += changes_[i].by;
      }
      changes_[kept++] = joined;
    }
    changes_.resize(kept);
    full_ = std::max(least_full, 4 * kept);
  }
};

}  // namespace ridge
