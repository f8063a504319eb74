// Answers in parts. An accumulator is filled from any part of the spans, added to another
// of the same shape, and finished once; whole numbers make the outcome the same to the
// last bit, however the spans were cut and in whichever order the parts were added.
// Where keys count, all spans of a key have to be in one part.
#pragma once
#include "core/spans.h"
#include <cstddef>
#include <cstdint>
#include <type_traits>
#include <vector>

namespace ridge {

__extension__ typedef __int128 Wide;  // weight units times ticks

// Sums by cell: what most accumulators are made of.
template <class Number> class Cells {
 public:
  Cells() = default;
  explicit Cells(std::size_t size) : cells_(size, 0) {}

  Number& operator[](std::size_t at) { return cells_[at]; }
  const Number& operator[](std::size_t at) const { return cells_[at]; }
  std::size_t size() const { return cells_.size(); }
  const std::vector<Number>& all() const { return cells_; }

  void add(const Cells& other) {
    for (std::size_t i = 0; i < cells_.size(); ++i) cells_[i] += other.cells_[i];
  }

  // From changes to levels, row by row.
  void run(std::size_t row) {
    for (std::size_t i = 0; i < cells_.size(); ++i) {
      if (i % row != 0) cells_[i] += cells_[i - 1];
    }
  }

 private:
  std::vector<Number> cells_;
};

// What is counted comes from a source: each() calls visit(start, stop, group,
// weight, again), where `again` says that this is the same key in the same
// group as the call before.
template <class Tick, class Weight> struct RecordSource {
  Spans<Tick> spans;
  const int* group;      // null: all in group 0
  const Weight* weight;  // null: each counts 1

  std::size_t size() const { return spans.size; }
  std::size_t end_of(std::size_t at) const { return at < spans.size ? at : spans.size; }

  RecordSource part(std::size_t from, std::size_t to) const {
    return {spans.part(from, to), group ? group + from : nullptr, weight ? weight + from : nullptr};
  }

  template <class Visit> void each(Visit visit) const {
    for (std::size_t i = 0; i < spans.size; ++i) {
      visit(spans.start[i], spans.stop[i], group ? group[i] : 0,
            weight ? weight[i] : Weight{1}, std::false_type());
    }
  }
};

template <class Tick> struct KeySource {
  Spans<Tick> spans;  // by key and start
  const int* key;
  const int* group;

  std::size_t size() const { return spans.size; }

  // Where a part may end that was to end at `at`: behind the last span of a key.
  std::size_t end_of(std::size_t at) const {
    if (at >= spans.size) return spans.size;
    while (at < spans.size && at > 0 && key[at] == key[at - 1]) ++at;
    return at;
  }

  KeySource part(std::size_t from, std::size_t to) const {
    return {spans.part(from, to), key + from, group ? group + from : nullptr};
  }

  template <class Visit> void each(Visit visit) const {
    each_stretch(spans, key, group, [&](const Stretch<Tick>& stretch, bool again) {
      visit(stretch.start, stretch.stop, stretch.group, 1, again);
    });
  }
};

// Calls work(part) for parts of about `size` spans that follow each other.
template <class Source, class Work>
void in_parts(const Source& source, std::size_t size, Work work) {
  for (std::size_t from = 0; from < source.size();) {
    const std::size_t to = source.end_of(from + size);
    work(source.part(from, to));
    from = to;
  }
}

}  // namespace ridge
