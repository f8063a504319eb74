// The level as a step function: from which tick on how much is there.
#pragma once
#include "core/sweep.h"
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

// Steps come by group and start, from the first change of a group to its last;
// one that never ends stops at never(). Two of them that meet differ in level.
template <class Number, class Tick, class Source>
StepTable<Tick, Number> find_steps(const Source& source) {
  std::vector<Change<Tick, Number>> changes;
  source.each([&](Tick start, Tick stop, int group, Number weight, auto) {
    if (stop <= start) return;
    changes.push_back({start, group, weight});
    changes.push_back({stop, group, static_cast<Number>(-weight)});
  });
  std::sort(changes.begin(), changes.end(), [](const auto& a, const auto& b) {
    return a.group != b.group ? a.group < b.group : a.at < b.at;
  });
  StepTable<Tick, Number> steps;
  Number level = 0;
  bool running = false;  // the last step has no stop yet
  for (std::size_t i = 0; i < changes.size();) {
    const int group = changes[i].group;
    const Tick at = changes[i].at;
    const Number before = level;
    for (; i < changes.size() && changes[i].group == group && changes[i].at == at; ++i) {
      level += changes[i].by;
    }
    const bool last = i == changes.size() || changes[i].group != group;
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

}  // namespace ridge
