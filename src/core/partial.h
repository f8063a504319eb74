// Answers in parts. An accumulator is filled from any part of the spans, added to another
// of the same shape, and finished once; whole numbers make the outcome the same to the
// last bit, however the spans were cut and in whichever order the parts were added.
// Where keys count, all spans of a key have to be in one part.
#pragma once
#include "core/spans.h"
#include "core/threads.h"
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <stdexcept>
#include <type_traits>
#include <vector>

namespace ridge {

__extension__ typedef __int128 Wide;  // weight units times ticks

// Tables of numbers as bytes, one behind the other, and back.
class Bytes {
 public:
  Bytes() = default;
  Bytes(const unsigned char* from, std::size_t size) : all_(from, from + size) {}
  const std::vector<unsigned char>& all() const { return all_; }

  template <class Number> void put(const std::vector<Number>& table) {
    static_assert(std::is_trivially_copyable<Number>::value, "Tables are copied as they are.");
    const std::size_t size = table.size(), at = all_.size();
    all_.resize(at + sizeof size + size * sizeof(Number));
    std::memcpy(&all_[at], &size, sizeof size);
    if (size > 0) std::memcpy(&all_[at + sizeof size], table.data(), size * sizeof(Number));
  }

  template <class Number> void take(std::vector<Number>& table) {
    std::size_t size = 0;
    if (all_.size() - at_ < sizeof size) throw std::invalid_argument(cut_off);
    std::memcpy(&size, &all_[at_], sizeof size);
    at_ += sizeof size;
    if (size > (all_.size() - at_) / sizeof(Number)) throw std::invalid_argument(cut_off);
    table.resize(size);
    if (size > 0) std::memcpy(table.data(), &all_[at_], size * sizeof(Number));
    at_ += size * sizeof(Number);
  }

 private:
  static constexpr const char* cut_off = "A part of an answer is cut off.";
  std::vector<unsigned char> all_;
  std::size_t at_ = 0;
};

// Sums by cell: what most accumulators are made of.
template <class Number> class Cells {
 public:
  Cells() = default;
  explicit Cells(std::size_t size) : cells_(size, 0) {}

  Number& operator[](std::size_t at) { return cells_[at]; }
  const Number& operator[](std::size_t at) const { return cells_[at]; }
  Number* row(std::size_t at) { return cells_.data() + at; }  // where there may be no cell at all
  std::size_t size() const { return cells_.size(); }
  const std::vector<Number>& all() const { return cells_; }

  void add(const Cells& other) {
    for (std::size_t i = 0; i < cells_.size(); ++i) cells_[i] += other.cells_[i];
  }

  void put(Bytes& bytes) const { bytes.put(cells_); }
  void take(Bytes& bytes) {
    const std::size_t size = cells_.size();
    bytes.take(cells_);
    if (cells_.size() != size) throw std::invalid_argument("A part of an answer is of another shape.");
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
  std::size_t end_of(std::size_t at) const { return line_end(key, spans.size, at); }

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

// The source cut for threads: where each one's part begins, and the end of the last.
template <class Source> std::vector<std::size_t> cuts_of(const Source& source, int threads) {
  std::vector<std::size_t> cuts(threads + 1, source.size());
  cuts[0] = 0;
  for (int t = 1; t < threads; ++t) {
    cuts[t] = std::max(cuts[t - 1], source.end_of(source.size() / threads * t));
  }
  return cuts;
}

// Fills an accumulator, which is empty yet, on several threads: fill(part, some) takes some of
// the source, of about `size` spans. Each thread has an accumulator of its own, which pays
// where there are more spans than cells.
template <class Part, class Source, class Fill, class Poll>
void fill_part(Part& part, const Source& source, int threads, std::size_t size, Fill fill,
               const Poll& poll) {
  if (part.cells() > source.size()) threads = 1;
  const std::vector<std::size_t> cuts = cuts_of(source, threads);
  std::vector<Part> others(threads - 1, part);
  in_parallel(threads, [&](int t) {
    Part& own = t == 0 ? part : others[t - 1];
    in_parts(source.part(cuts[t], cuts[t + 1]), size, [&](const auto& some) {
      if (t == 0) poll();
      fill(own, some);
    });
  });
  for (const Part& other : others) part.add(other);
}

}  // namespace ridge
