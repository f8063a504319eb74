// Spans are half-open, [start, stop), in ticks: days as int32, instants as
// int64 microseconds. An open span stops at the largest tick there is.
#pragma once
#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <limits>
#include <vector>

namespace ridge {

template <class Tick> constexpr Tick never() { return std::numeric_limits<Tick>::max(); }

template <class Tick> struct Spans {
  const Tick* start;
  const Tick* stop;
  std::size_t size;

  Spans part(std::size_t from, std::size_t to) const { return {start + from, stop + from, to - from}; }
};

// Work that takes long lets itself be stopped: poll() is called every so often.
struct NoPoll {
  void operator()() const {}
};

constexpr std::size_t poll_mask = (std::size_t{1} << 20) - 1;

// Where a line of spans ends that goes on at `at`; without lines all are one.
inline std::size_t line_end(const int* line, std::size_t size, std::size_t at) {
  if (!line || at >= size) return size;
  while (at < size && at > 0 && line[at] == line[at - 1]) ++at;
  return at;
}

// A stretch is a union of spans that touch or overlap, of one key in one group.
template <class Tick> struct Stretch {
  Tick start;
  Tick stop;
  int key;
  int group;
};

// Calls visit(stretch, again) by key, group and start; `again` says that key and
// group are those of the call before. The spans must come by key and start;
// `group` may be null. Empty spans cover nothing and are in no stretch.
template <class Tick, class Visit>
void each_stretch(const Spans<Tick>& spans, const int* key, const int* group, Visit visit) {
  const auto before = [](const Stretch<Tick>& a, const Stretch<Tick>& b) {
    return a.group != b.group ? a.group < b.group : a.start < b.start;
  };
  std::vector<Stretch<Tick>> run;
  for (std::size_t from = 0, to = 0; from < spans.size; from = to) {
    run.clear();
    for (; to < spans.size && key[to] == key[from]; ++to) {
      if (spans.start[to] >= spans.stop[to]) continue;
      run.push_back({spans.start[to], spans.stop[to], key[to], group ? group[to] : 0});
    }
    if (group && !std::is_sorted(run.begin(), run.end(), before)) {
      std::sort(run.begin(), run.end(), before);
    }
    bool again = false;
    for (std::size_t i = 0; i < run.size();) {
      Stretch<Tick> stretch = run[i++];
      while (i < run.size() && run[i].group == stretch.group && run[i].start <= stretch.stop) {
        stretch.stop = std::max(stretch.stop, run[i++].stop);
      }
      visit(stretch, again);
      again = i < run.size() && run[i].group == stretch.group;
    }
  }
}

}  // namespace ridge
