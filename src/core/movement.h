// Who came and who went: what changes a key's groups, by group and period.
#pragma once
#include "core/partial.h"
#include "core/rules.h"
#include <algorithm>
#include <vector>

namespace ridge {

enum class Flow { opening, started, returned, moved_in, ended, moved_out };
constexpr int flows = 6;

// The period that holds a tick; -1 before the first, the number of them after.
template <class Tick, class Locator>
int period_of(const Axis<Tick>& axis, const Locator& locator, Tick at) {
  if (at < axis.first[0]) return -1;
  return at < axis.stop[axis.size - 1] ? locator.ended(at) : axis.size;
}

// One row of periods for each group and flow; what comes before the first period
// opens it.
template <class Number, class Tick, class Locator> class FlowPart {
 public:
  FlowPart(const Axis<Tick>& axis, const Locator& locator, int lines)
      : axis_(axis), locator_(locator), lines_(lines),
        cells_(static_cast<std::size_t>(lines) * flows * axis.size) {}

  int place(Tick at) const { return period_of(axis_, locator_, at); }

  void count(int line, Flow flow, int place, Number by) {
    if (place >= axis_.size) return;
    if (place < 0) {
      const bool out = flow == Flow::ended || flow == Flow::moved_out;
      cell(line, Flow::opening, 0) += out ? -by : by;
    } else {
      cell(line, flow, place) += by;
    }
  }

  std::size_t cells() const { return cells_.size(); }
  void add(const FlowPart& other) { cells_.add(other.cells_); }
  void put(Bytes& bytes) const { cells_.put(bytes); }
  void take(Bytes& bytes) { cells_.take(bytes); }

  // Each period opens with what the one before closed with.
  const std::vector<Number>& finish() {
    for (int g = 0; g < lines_; ++g) {
      for (int p = 1; p < axis_.size; ++p) cell(g, Flow::opening, p) = closing(g, p - 1);
    }
    return cells_.all();
  }

 private:
  Axis<Tick> axis_;
  const Locator& locator_;
  int lines_;
  Cells<Number> cells_;

  Number& cell(int line, Flow flow, int period) {
    return cells_[(static_cast<std::size_t>(line) * flows + static_cast<int>(flow)) * axis_.size + period];
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

template <class Tick> bool earlier(const Turn<Tick>& a, const Turn<Tick>& b) { return a.at < b.at; }

// The turns of one key that is in no group before and after them, in order: from no
// group it starts (or returns), to none it ends, at its last tick; else it moves.
// The line over all groups, `all`, sees the key alone.
template <class Tick, class Table>
void add_turns(const std::vector<Turn<Tick>>& turns, Table& table, int all, Flow coming) {
  int present = 0;
  for (std::size_t i = 0; i < turns.size();) {
    const Tick at = turns[i].at;
    std::size_t to = i;
    int after = present;
    for (; to < turns.size() && turns[to].at == at; ++to) after += turns[to].in ? 1 : -1;
    const int place = table.place(at), last = after > 0 ? place : table.place(at - 1);
    for (; i < to; ++i) {
      if (turns[i].in) table.count(turns[i].group, present > 0 ? Flow::moved_in : coming, place, 1);
      else table.count(turns[i].group, after > 0 ? Flow::moved_out : Flow::ended, last, 1);
    }
    if (all >= 0 && present == 0) table.count(all, coming, place, 1);
    if (all >= 0 && after == 0) table.count(all, Flow::ended, last, 1);
    present = after;
  }
}

// Records of one key that touch or overlap: as turns of the groups they are in.
template <class Tick> class Stay {
 public:
  void clear() { runs_.clear(); }
  void add(Tick start, Tick stop, int group) { runs_.push_back({start, stop, 0, group}); }

  const std::vector<Turn<Tick>>& turns() {
    std::sort(runs_.begin(), runs_.end(), [](const Stretch<Tick>& a, const Stretch<Tick>& b) {
      return a.group != b.group ? a.group < b.group : a.start < b.start;
    });
    turns_.clear();
    for (std::size_t i = 0; i < runs_.size();) {
      Stretch<Tick> run = runs_[i++];
      while (i < runs_.size() && runs_[i].group == run.group && runs_[i].start <= run.stop) {
        run.stop = std::max(run.stop, runs_[i++].stop);
      }
      turns_.push_back({run.start, run.group, true});
      if (run.stop != never<Tick>()) turns_.push_back({run.stop, run.group, false});
    }
    std::sort(turns_.begin(), turns_.end(), earlier<Tick>);
    return turns_;
  }

 private:
  std::vector<Stretch<Tick>> runs_;
  std::vector<Turn<Tick>> turns_;
};

// A stay of one record, or of two in different groups, needs no sorting. `a` starts
// no later than `b`, which is null where there is none.
template <class Tick, class Table>
void add_stay(const Stretch<Tick>& a, const Stretch<Tick>* b, Table& table, int all, Flow coming) {
  const auto leave = [&](int group, Tick stop, bool stays) {
    if (stop == never<Tick>()) return;
    table.count(group, stays ? Flow::moved_out : Flow::ended, table.place(stays ? stop : stop - 1), 1);
  };
  const int first = table.place(a.start);
  const Tick stop = b ? std::max(a.stop, b->stop) : a.stop;
  table.count(a.group, coming, first, 1);
  leave(a.group, a.stop, a.stop < stop);
  if (b) {
    const bool together = b->start == a.start;
    table.count(b->group, together ? coming : Flow::moved_in, together ? first : table.place(b->start), 1);
    leave(b->group, b->stop, b->stop < stop);
  }
  if (all >= 0) {
    table.count(all, coming, first, 1);
    leave(all, stop, false);
  }
}

// Keys, by key and start. The table has a line more than there are groups where
// `all` names it.
template <class Tick, class Table>
void move_keys(const KeySource<Tick>& source, Table& table, int all, bool returns) {
  const Spans<Tick>& spans = source.spans;
  const int* const key = source.key;
  const int* const group = source.group;
  const auto record = [&](std::size_t i) { return Stretch<Tick>{spans.start[i], spans.stop[i], key[i], group ? group[i] : 0}; };
  const auto empty = [&](std::size_t i) { return spans.start[i] >= spans.stop[i]; };
  Stay<Tick> stay;
  int seen = -1;  // the key that has been there before
  for (std::size_t from = 0, to = 0; from < spans.size; from = to) {
    to = from + 1;
    if (empty(from)) continue;
    Stretch<Tick> a = record(from), b{};
    int records = 1;
    for (Tick stop = a.stop; to < spans.size && key[to] == a.key && spans.start[to] <= stop; ++to) {
      if (empty(to)) continue;
      if (++records == 2) b = record(to);
      stop = std::max(stop, spans.stop[to]);
    }
    const Flow coming = seen == a.key && returns ? Flow::returned : Flow::started;
    seen = a.key;
    if (records == 2 && a.group == b.group) {
      a.stop = std::max(a.stop, b.stop);
      records = 1;
    }
    if (records <= 2) {
      add_stay(a, records == 2 ? &b : nullptr, table, all, coming);
      continue;
    }
    stay.clear();
    for (std::size_t i = from; i < to; ++i) {
      if (!empty(i)) stay.add(spans.start[i], spans.stop[i], group ? group[i] : 0);
    }
    add_turns(stay.turns(), table, all, coming);
  }
}

// Records, or their weights, only start and end.
template <class Tick, class Number, class Table>
void move_records(const RecordSource<Tick, Number>& source, Table& table, int all) {
  source.each([&](Tick start, Tick stop, int group, Number weight, auto) {
    if (start >= stop) return;
    for (const int line : {group, all}) {
      if (line < 0) continue;
      table.count(line, Flow::started, table.place(start), weight);
      if (stop != never<Tick>()) table.count(line, Flow::ended, table.place(stop - 1), weight);
    }
  });
}

}  // namespace ridge
