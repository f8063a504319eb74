// Who came and who went: what changes a key's groups, by group and period.
#pragma once
#include "core/axis.h"
#include "core/sweep.h"
#include <algorithm>
#include <vector>

namespace ridge {

enum class Flow { opening, started, returned, moved_in, ended, moved_out };
constexpr int flows = 6;

// One row of periods for each group and flow; what comes before the first period
// opens it.
template <class Number, class Tick, class Locator> class FlowTable {
 public:
  FlowTable(const Axis<Tick>& axis, const Locator& locator, int groups)
      : axis_(axis), locator_(locator), cells_(static_cast<std::size_t>(groups) * flows * axis.size, 0) {}

  void add(int group, Flow flow, Tick at, Number by) {
    if (at >= axis_.stop[axis_.size - 1]) return;
    if (at < axis_.first[0]) {
      const bool out = flow == Flow::ended || flow == Flow::moved_out;
      cell(group, Flow::opening, 0) += out ? -by : by;
    } else {
      cell(group, flow, locator_.ended(at)) += by;
    }
  }

  // Each period opens with what the one before closed with.
  const std::vector<Number>& carried(int groups) {
    for (int g = 0; g < groups; ++g) {
      for (int p = 1; p < axis_.size; ++p) cell(g, Flow::opening, p) = closing(g, p - 1);
    }
    return cells_;
  }

 private:
  Axis<Tick> axis_;
  const Locator& locator_;
  std::vector<Number> cells_;

  Number& cell(int group, Flow flow, int period) {
    return cells_[(static_cast<std::size_t>(group) * flows + static_cast<int>(flow)) * axis_.size + period];
  }
  Number closing(int g, int p) {
    return cell(g, Flow::opening, p) + cell(g, Flow::started, p) + cell(g, Flow::returned, p) +
           cell(g, Flow::moved_in, p) - cell(g, Flow::ended, p) - cell(g, Flow::moved_out, p);
  }
};

// A group that a key comes into or leaves.
template <class Tick> struct Turn {
  Tick at;
  int group;
  bool in;
};

// The turns of one key, in order: from no group it starts (or returns), to none it
// ends, at its last tick; else it moves. The line over all groups, `all`, sees
// the key alone.
template <class Tick, class Table>
void add_turns(const std::vector<Turn<Tick>>& turns, Table& table, int all, bool returns) {
  int present = 0;
  bool seen = false;
  for (std::size_t i = 0; i < turns.size();) {
    const Tick at = turns[i].at;
    std::size_t to = i;
    int after = present;
    for (; to < turns.size() && turns[to].at == at; ++to) after += turns[to].in ? 1 : -1;
    const Flow in = present > 0 ? Flow::moved_in : seen && returns ? Flow::returned : Flow::started;
    const Flow out = after > 0 ? Flow::moved_out : Flow::ended;
    for (; i < to; ++i) {
      if (turns[i].in) table.add(turns[i].group, in, at, 1);
      else table.add(turns[i].group, out, after > 0 ? at : at - 1, 1);
    }
    if (all >= 0 && present == 0) table.add(all, in, at, 1);
    if (all >= 0 && after == 0) table.add(all, out, at - 1, 1);
    present = after;
    seen = true;
  }
}

// Keys, by key and start. The table has a line more than there are groups where
// `all` names it.
template <class Tick, class Table>
void move_keys(const Spans<Tick>& spans, const int* key, const int* group, Table& table, int all, bool returns) {
  std::vector<Turn<Tick>> turns;
  int current = -1;
  const auto finish = [&] {
    const auto before = [](const Turn<Tick>& a, const Turn<Tick>& b) { return a.at < b.at; };
    if (!std::is_sorted(turns.begin(), turns.end(), before)) std::sort(turns.begin(), turns.end(), before);
    add_turns(turns, table, all, returns);
    turns.clear();
  };
  each_stretch(spans, key, group, [&](const Stretch<Tick>& stretch, bool) {
    if (stretch.key != current) finish();
    current = stretch.key;
    turns.push_back({stretch.start, stretch.group, true});
    if (stretch.stop != never<Tick>()) turns.push_back({stretch.stop, stretch.group, false});
  });
  finish();
}

// Records, or their weights, only start and end.
template <class Tick, class Number, class Table>
void move_records(const RecordSource<Tick, Number>& source, Table& table, int all) {
  source.each([&](Tick start, Tick stop, int group, Number weight, auto) {
    if (start >= stop) return;
    for (const int line : {group, all}) {
      if (line < 0) continue;
      table.add(line, Flow::started, start, weight);
      if (stop != never<Tick>()) table.add(line, Flow::ended, stop - 1, weight);
    }
  });
}

}  // namespace ridge
