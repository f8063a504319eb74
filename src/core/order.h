// The order of records by key and start. Both are packed into one number; records are spread
// by its highest bits over parts that fit into the cache, and each part is sorted there, by
// eight bits at a time.
#pragma once
#include "core/pages.h"
#include "core/threads.h"
#include <cstdint>
#include <limits>
#include <memory>
#include <utility>

namespace ridge {

struct Packed {
  std::uint64_t code;
  int record;
};

// Both in one number, where there is room.
struct Slim {
  std::uint64_t both;
};

// How items are made and looked at: the code is what they are sorted by.
struct PackedWay {
  std::uint64_t code(const Packed& item) const { return item.code; }
  int record(const Packed& item) const { return item.record; }
  Packed item(std::uint64_t code, int record) const { return {code, record}; }
};

struct SlimWay {
  int record_bits;
  std::uint64_t code(const Slim& item) const { return item.both >> record_bits; }
  int record(const Slim& item) const {
    return static_cast<int>(item.both & ((std::uint64_t{1} << record_bits) - 1));
  }
  Slim item(std::uint64_t code, int record) const {
    return {code << record_bits | static_cast<std::uint64_t>(record)};
  }
};

inline int bits_of(std::uint64_t value) {
  int bits = 0;
  for (; value > 0; value >>= 1) ++bits;
  return bits;
}

// Whole numbers from `low` on, `size` of them at most; or none.
struct Keys {
  const int* values;
  int low;
  int size;
};

// How key and start become one number. Starts that are far apart lose their last bits, so that
// records with the same number may still differ.
template <class Tick> struct Packing {
  static constexpr std::uint64_t second = 1000000;
  const Tick* start;
  Keys keys;
  std::uint64_t low = 0;
  bool in_seconds = false;  // of microseconds
  int start_bits = 0, lost = 0, bits = 0;

  Packing(const Tick* starts, const Keys& keys_of, std::size_t n, int threads) : start(starts), keys(keys_of) {
    std::vector<Tick> least(std::max(threads, 1), std::numeric_limits<Tick>::max());
    std::vector<Tick> most(least.size(), std::numeric_limits<Tick>::min());
    std::vector<char> whole(least.size(), sizeof(Tick) > 4);
    in_parallel(threads, [&](int t) {
      const Block own = block_of(n, least.size(), t);
      Tick low_tick = least[t], high_tick = most[t];
      bool seconds = whole[t];
      for (std::size_t i = own.from; i < own.to; ++i) {
        low_tick = std::min(low_tick, start[i]);
        high_tick = std::max(high_tick, start[i]);
        if constexpr (sizeof(Tick) > 4) seconds = seconds && start[i] % static_cast<Tick>(second) == 0;
      }
      least[t] = low_tick;
      most[t] = high_tick;
      whole[t] = seconds;
    });
    const Tick first = *std::min_element(least.begin(), least.end());
    const Tick last = *std::max_element(most.begin(), most.end());
    if (n == 0) return;
    in_seconds = *std::min_element(whole.begin(), whole.end());
    low = static_cast<std::uint64_t>(static_cast<std::int64_t>(first));
    start_bits = bits_of(steps(static_cast<std::uint64_t>(static_cast<std::int64_t>(last)) - low));
    const int key_bits = bits_of(keys.values && keys.size > 0 ? keys.size - 1 : 0);
    lost = std::max(0, start_bits + key_bits - 64);
    start_bits -= lost;
    bits = start_bits + key_bits;
  }

  int key_of(std::uint64_t code) const {
    return keys.values && start_bits < 64 ? static_cast<int>(code >> start_bits) : 0;
  }

  Tick start_of(std::uint64_t code, int record) const {
    if (lost > 0 || start_bits >= 64) return start[record];
    const std::uint64_t own = code & ((std::uint64_t{1} << start_bits) - 1);
    return static_cast<Tick>(low + (in_seconds ? own * second : own));
  }

  // Days are never divided: to divide by a unit of one would take as long as all the rest.
  std::uint64_t steps(std::uint64_t ticks) const {
    if constexpr (sizeof(Tick) > 4) return in_seconds ? ticks / second : ticks;
    return ticks;
  }

  std::uint64_t operator()(std::size_t i) const {
    const std::uint64_t from_low = static_cast<std::uint64_t>(static_cast<std::int64_t>(start[i])) - low;
    const std::uint64_t own = steps(from_low) >> lost;
    if (start_bits >= 64) return own;
    if (!keys.values) return own;
    const std::uint32_t own_key = static_cast<std::uint32_t>(keys.values[i]) - static_cast<std::uint32_t>(keys.low);
    return static_cast<std::uint64_t>(own_key) << start_bits | own;
  }
};

template <class Item, class Way> void insert_in_order(Item* items, std::size_t n, Way way) {
  for (std::size_t i = 1; i < n; ++i) {
    const Item item = items[i];
    const std::uint64_t code = way.code(item);
    std::size_t at = i;
    for (; at > 0 && way.code(items[at - 1]) > code; --at) items[at] = items[at - 1];
    items[at] = item;
  }
}

// Stable, by the last `bits` of the code.
template <class Item, class Way>
void sort_part(Item* items, std::size_t n, int bits, std::vector<Item>& room, Way way) {
  if (n < 40) return insert_in_order(items, n, way);
  if (room.size() < n) room.resize(n);
  Item* from = items;
  Item* to = room.data();
  for (int shift = 0; shift < bits; shift += 8) {
    std::size_t place[257] = {0};
    for (std::size_t i = 0; i < n; ++i) ++place[((way.code(from[i]) >> shift) & 255) + 1];
    if (std::find(place, place + 257, n) != place + 257) continue;  // all have the same digit
    for (int digit = 1; digit < 257; ++digit) place[digit] += place[digit - 1];
    for (std::size_t i = 0; i < n; ++i) to[place[(way.code(from[i]) >> shift) & 255]++] = from[i];
    std::swap(from, to);
  }
  if (from != items) std::copy(from, from + n, items);
}

// Records whose numbers are alike although their starts are not.
template <class Item, class Tick, class Way>
void settle_alike(Item* items, std::size_t n, const Tick* start, Way way) {
  for (std::size_t from = 0, to = 0; from < n; from = to) {
    for (to = from + 1; to < n && way.code(items[to]) == way.code(items[from]); ++to) {}
    std::sort(items + from, items + to, [&](const Item& one, const Item& other) {
      const int a = way.record(one), b = way.record(other);
      return start[a] != start[b] ? start[a] < start[b] : a < b;
    });
  }
}

template <class Item, class Tick, class Put, class Soon, class Poll, class Way>
void put_in_order(const Packing<Tick>& packed, std::size_t n, int threads, Put put, Soon soon, const Poll& poll,
                  Way way) {
  const int digits = std::min(packed.bits, 11), shift = packed.bits - digits;
  const std::size_t parts = std::size_t{1} << digits;
  const int blocks = std::max(threads, 1);
  std::vector<std::vector<std::size_t>> place(blocks, std::vector<std::size_t>(parts, 0));
  std::vector<std::size_t> begin(parts + 1, 0);
  const std::unique_ptr<Item[]> items(new Item[n]);
  in_large_pages(items.get(), n * sizeof(Item), threads);
  in_parallel(threads, [&](int t) {
    const Block own = block_of(n, blocks, t);
    const Packing<Tick> pack = packed;  // its own, which no write can change
    std::size_t* const count = place[t].data();
    for (std::size_t i = own.from; i < own.to; ++i) ++count[pack(i) >> shift];
  });
  poll();
  std::size_t sum = 0;
  for (std::size_t part = 0; part < parts; ++part) {
    begin[part] = sum;
    for (int t = 0; t < blocks; ++t) {
      const std::size_t count = place[t][part];
      place[t][part] = sum;
      sum += count;
    }
  }
  begin[parts] = sum;
  in_parallel(threads, [&](int t) {
    const Block own = block_of(n, blocks, t);
    const Packing<Tick> pack = packed;
    std::size_t* const next = place[t].data();
    Item* const to = items.get();
    for (std::size_t i = own.from; i < own.to; ++i) {
      const std::uint64_t code = pack(i);
      to[next[code >> shift]++] = way.item(code, static_cast<int>(i));
    }
  });
  poll();
  std::vector<std::vector<Item>> room(blocks);
  take_parts(parts, threads, [&](std::size_t part, int t) {
    Item* own = items.get() + begin[part];
    const std::size_t size = begin[part + 1] - begin[part];
    sort_part(own, size, shift, room[t], way);
    if (packed.lost > 0) settle_alike(own, size, packed.start, way);
    const Packing<Tick> pack = packed;
    const std::size_t first = begin[part];
    for (std::size_t i = 0; i < size; ++i) {
      if (i + 32 < size) soon(way.record(own[i + 32]));
      const std::uint64_t code = way.code(own[i]);
      const int record = way.record(own[i]);
      put(first + i, record, pack.key_of(code), pack.start_of(code, record));
    }
    if (t == 0) poll();
  });
}

// Calls put(place, record, key, start) for each record, by key, start and place; the key is told
// from 0. Parts are put in by several threads at once. Some records before, soon(record) may ask
// for what put() will need of one: records lie all over the memory.
template <class Tick, class Put, class Soon, class Poll>
void each_in_order(const Tick* start, const Keys& keys, std::size_t n, int threads, Put put, Soon soon,
                   const Poll& poll) {
  const Packing<Tick> packed(start, keys, n, threads);
  const int record_bits = bits_of(n);
  if (packed.bits + record_bits <= 64) {
    put_in_order<Slim>(packed, n, threads, put, soon, poll, SlimWay{record_bits});
  } else {
    put_in_order<Packed>(packed, n, threads, put, soon, poll, PackedWay{});
  }
}

template <class Tick, class Put, class Poll>
void each_in_order(const Tick* start, const Keys& keys, std::size_t n, int threads, Put put, const Poll& poll) {
  each_in_order(start, keys, n, threads, put, [](int) {}, poll);
}

inline void sort_numbers(std::vector<std::uint64_t>& numbers, int threads) {
  std::vector<std::uint64_t> sorted = large_vector<std::uint64_t>(numbers.size());
  each_in_order(numbers.data(), Keys{nullptr, 0, 1}, numbers.size(), threads,
                [&](std::size_t place, int, int, std::uint64_t number) { sorted[place] = number; }, [] {});
  numbers.swap(sorted);
}

}  // namespace ridge
