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
    });
  }

  void add(const StepPart& other) {
    changes_.insert(changes_.end(), other.changes_.begin(), other.changes_.end());
  }

  StepTable<Tick, Number> finish() {
    std::sort(changes_.begin(), changes_.end(), [](const auto& a, const auto& b) {
      return a.group != b.group ? a.group < b.group : a.at < b.at;
    });
    StepTable<Tick, Number> steps;
    Number level = 0;
    bool running = false;  // the last step has no stop yet
    for (std::size_t i = 0; i < changes_.size();) {
      const int group = changes_[i].group;
      const Tick at = changes_[i].at;
      const Number before = level;
      for (; i < changes_.size() && changes_[i].group == group && changes_[i].at == at; ++i) {
        level += changes_[i].by;
      }
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
  std::vector<Change<Tick, Number>> changes_;
};

}  // namespace ridge
