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
};

// One span of one unit; a unit is a key within a group.
template <class Tick> struct Piece {
  Tick start;
  Tick stop;
  std::uint64_t unit;
};

inline int bits_for(std::uint64_t count) {
  int bits = 0;
  while (count > (std::uint64_t{1} << bits)) ++bits;
  return bits;
}

// Stable, by the lowest `bits` of the unit. Eleven bits at a time keep the
// counters and the open write lines within the second-level cache.
template <class Tick> void sort_by_unit(std::vector<Piece<Tick>>& pieces, int bits) {
  constexpr int digit = 11;
  constexpr std::uint64_t mask = (1u << digit) - 1;
  std::vector<Piece<Tick>> other(bits > 0 ? pieces.size() : 0);
  for (int shift = 0; shift < bits; shift += digit) {
    std::vector<std::size_t> place(mask + 2, 0);
    for (const auto& piece : pieces) ++place[((piece.unit >> shift) & mask) + 1];
    for (std::size_t i = 1; i < place.size(); ++i) place[i] += place[i - 1];
    for (const auto& piece : pieces) other[place[(piece.unit >> shift) & mask]++] = piece;
    pieces.swap(other);
  }
}

template <class Tick> void sort_within_units(std::vector<Piece<Tick>>& pieces) {
  const auto by_start = [](const Piece<Tick>& a, const Piece<Tick>& b) {
    return a.start < b.start;
  };
  for (auto from = pieces.begin(); from != pieces.end();) {
    auto to = from + 1;
    bool sorted = true;
    for (; to != pieces.end() && to->unit == from->unit; ++to) {
      sorted = sorted && !(to->start < (to - 1)->start);
    }
    if (!sorted) std::sort(from, to, by_start);
    from = to;
  }
}

// Makes one piece of all that touch or overlap within a unit. Empty spans,
// which cover nothing, are gone afterwards.
template <class Tick> void join_touching(std::vector<Piece<Tick>>& pieces) {
  std::size_t kept = 0;
  for (const Piece<Tick>& piece : pieces) {
    if (kept > 0 && pieces[kept - 1].unit == piece.unit && piece.start <= pieces[kept - 1].stop) {
      pieces[kept - 1].stop = std::max(pieces[kept - 1].stop, piece.stop);
    } else {
      pieces[kept++] = piece;
    }
  }
  pieces.resize(kept);
}

// The stretches of every unit, by unit and start: the union of its spans.
// `group` may be null; the unit of a stretch is group << key_bits | key.
template <class Tick>
std::vector<Piece<Tick>> stretches(const Spans<Tick>& spans, const int* group, int groups,
                                   const int* key, int key_bits) {
  std::vector<Piece<Tick>> pieces;
  pieces.reserve(spans.size);
  for (std::size_t i = 0; i < spans.size; ++i) {
    if (spans.start[i] >= spans.stop[i]) continue;
    const std::uint64_t g = group ? group[i] : 0;
    pieces.push_back({spans.start[i], spans.stop[i],
                      g << key_bits | static_cast<std::uint64_t>(key[i])});
  }
  sort_by_unit(pieces, key_bits + bits_for(groups));
  sort_within_units(pieces);
  join_touching(pieces);
  return pieces;
}

}  // namespace ridge
