// The rows behind movement: each time that a key comes into a group or leaves one, with the
// record with which it does, and the group that it comes from or goes to.
#pragma once
#include "core/movement.h"
#include <algorithm>
#include <vector>

namespace ridge {

constexpr int no_group = -1;

template <class Tick> struct MovementRows {
  std::vector<int> line, other, flow, place, record;
  std::vector<Tick> at;

  void add(int of_line, int from_or_to, Flow what, int period, int with, Tick when) {
    line.push_back(of_line);
    other.push_back(from_or_to);
    flow.push_back(static_cast<int>(what));
    place.push_back(period);
    record.push_back(with);
    at.push_back(when);
  }
};

// Records of one key in one group that touch or overlap, with the first and the one that
// reaches furthest.
template <class Tick> struct Run {
  Tick start, stop;
  int group, first, last;
};

template <class Tick> std::vector<Run<Tick>> joined_runs(std::vector<Run<Tick>> runs) {
  std::sort(runs.begin(), runs.end(), [](const Run<Tick>& a, const Run<Tick>& b) {
    if (a.group != b.group) return a.group < b.group;
    return a.start != b.start ? a.start < b.start : a.first < b.first;
  });
  std::vector<Run<Tick>> joined;
  for (const Run<Tick>& run : runs) {
    if (joined.empty() || joined.back().group != run.group || run.start > joined.back().stop) {
      joined.push_back(run);
    } else if (run.stop > joined.back().stop) {
      joined.back().stop = run.stop;
      joined.back().last = run.last;
    }
  }
  return joined;
}

// One stay of a key, from none to none. Of the groups that it leaves and comes into at one
// moment the first goes with the first, and so on; what is left over goes with none.
template <class Tick, class Place>
void list_stay(const std::vector<Run<Tick>>& runs, const Place& place, int periods, Flow coming,
               MovementRows<Tick>& rows) {
  struct Moment {
    Tick at;
    bool in;
    int run;
  };
  std::vector<Moment> moments;
  const auto opening = [&](const Run<Tick>& run) {
    if (place(run.start) < 0) rows.add(run.group, no_group, Flow::opening, 0, run.first, run.start);
  };
  for (std::size_t i = 0; i < runs.size(); ++i) {
    moments.push_back({runs[i].start, true, static_cast<int>(i)});
    if (runs[i].stop == never<Tick>()) opening(runs[i]);
    else moments.push_back({runs[i].stop, false, static_cast<int>(i)});
  }
  std::sort(moments.begin(), moments.end(), [](const Moment& a, const Moment& b) {
    if (a.at != b.at) return a.at < b.at;
    return a.in != b.in ? b.in : a.run < b.run;
  });
  int present = 0;
  for (std::size_t i = 0; i < moments.size();) {
    const Tick at = moments[i].at;
    std::size_t gained = i;
    while (gained < moments.size() && moments[gained].at == at && !moments[gained].in) ++gained;
    std::size_t to = gained;
    while (to < moments.size() && moments[to].at == at) ++to;
    const int lost = static_cast<int>(gained - i), won = static_cast<int>(to - gained);
    const int after = present - lost + won;
    const auto group_at = [&](std::size_t from, int nth, int of) {
      return nth < of ? runs[moments[from + nth].run].group : no_group;
    };
    const Tick last = after > 0 ? at : at - 1;
    for (int n = 0; n < lost; ++n) {
      const Run<Tick>& run = runs[moments[i + n].run];
      const int period = place(last);
      if (period >= 0) opening(run);
      if (period < 0 || period >= periods) continue;
      if (after > 0) rows.add(run.group, group_at(gained, n, won), Flow::moved_out, period, run.last, last);
      else rows.add(run.group, no_group, Flow::ended, period, run.last, last);
    }
    const int period = place(at);
    for (int n = 0; n < won && period >= 0 && period < periods; ++n) {
      const Run<Tick>& run = runs[moments[gained + n].run];
      if (present > 0) rows.add(run.group, group_at(i, n, lost), Flow::moved_in, period, run.first, at);
      else rows.add(run.group, no_group, coming, period, run.first, at);
    }
    present = after;
    i = to;
  }
}

// Keys, by key and start.
template <class Tick, class Place, class Poll>
void list_moves(const KeySource<Tick>& source, const Place& place, int periods, bool returns,
                MovementRows<Tick>& rows, const Poll& poll) {
  const Spans<Tick>& spans = source.spans;
  int seen = -1;
  std::vector<Run<Tick>> runs;
  for (std::size_t i = 0; i < spans.size;) {
    if (spans.start[i] >= spans.stop[i]) {
      ++i;
      continue;
    }
    poll();
    const int key = source.key[i];
    Tick stop = spans.stop[i];
    runs.clear();
    for (; i < spans.size && source.key[i] == key && spans.start[i] <= stop; ++i) {
      if (spans.start[i] >= spans.stop[i]) continue;
      const int record = static_cast<int>(i);
      runs.push_back({spans.start[i], spans.stop[i], source.group ? source.group[i] : 0, record, record});
      stop = std::max(stop, spans.stop[i]);
    }
    list_stay(runs.size() > 1 ? joined_runs(runs) : runs, place, periods,
              seen == key && returns ? Flow::returned : Flow::started, rows);
    seen = key;
  }
}

}  // namespace ridge
