// Values as codes: from 0, in the order of the values.
#pragma once
#include "core/order.h"
#include <bitset>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <limits>
#include <string>
#include <type_traits>
#include <utility>

namespace ridge {

// `rows` are where each value stands first.
struct Coded {
  std::vector<int> rows;
  bool fits = false;
};

// Which of the places of a range are taken, and how many are before each.
class Places {
 public:
  explicit Places(std::size_t size) : taken_((size >> 6) + 1, 0) {}

  // Whether it was free.
  bool take(std::size_t at) {
    const std::uint64_t mark = std::uint64_t{1} << (at & 63), before = taken_[at >> 6];
    taken_[at >> 6] = before | mark;
    return !(before & mark);
  }

  void add(const Places& other) {
    for (std::size_t word = 0; word < taken_.size(); ++word) taken_[word] |= other.taken_[word];
  }

  // From here on rank() may be asked.
  int count() {
    before_.resize(taken_.size());
    int sum = 0;
    for (std::size_t word = 0; word < taken_.size(); ++word) {
      before_[word] = sum;
      sum += static_cast<int>(std::bitset<64>(taken_[word]).count());
    }
    // Of a small range all ranks are kept.
    if (taken_.size() <= 1024) {
      std::vector<int> ranks(taken_.size() * 64);
      for (std::size_t at = 0; at < ranks.size(); ++at) ranks[at] = rank(at);
      ranks_.swap(ranks);
    }
    return sum;
  }

  int rank(std::size_t at) const {
    if (!ranks_.empty()) return ranks_[at];
    const std::uint64_t lower = taken_[at >> 6] & ((std::uint64_t{1} << (at & 63)) - 1);
    return before_[at >> 6] + static_cast<int>(std::bitset<64>(lower).count());
  }

 private:
  std::vector<std::uint64_t> taken_;
  std::vector<int> before_, ranks_;
};

// The least and the most of numbers: the other way round where there are none.
template <class Number> struct Reach {
  Number low = std::numeric_limits<Number>::max(), high = std::numeric_limits<Number>::lowest();

  // How many whole numbers there are from one to the other; 0 where there are none, or more than `most`.
  int size(double most) const {
    const double own = static_cast<double>(high) - low + 1;
    return own > 0 && own <= std::min(most, 2147483647.0) ? static_cast<int>(own) : 0;
  }
};

template <class Number, class IsMissing>
Reach<Number> reach_of(const Number* values, std::size_t n, int threads, IsMissing is_missing) {
  std::vector<Reach<Number>> parts(std::max(threads, 1));
  in_parallel(threads, [&](int t) {
    const Block own = block_of(n, parts.size(), t);
    Reach<Number> met;
    for (std::size_t i = own.from; i < own.to; ++i) {
      if (is_missing(values[i])) continue;
      met.low = std::min(met.low, values[i]);
      met.high = std::max(met.high, values[i]);
    }
    parts[t] = met;
  });
  Reach<Number> all;
  for (const Reach<Number>& part : parts) all = {std::min(all.low, part.low), std::max(all.high, part.high)};
  return all;
}

// How far a value is from the least of all, in whole steps.
inline std::size_t distance(int value, double low) { return static_cast<std::int64_t>(value) - static_cast<std::int64_t>(low); }
inline std::size_t distance(double value, double low) { return static_cast<std::size_t>(value - low); }

// Whole numbers that lie close together, by a mark for each from the least to the most; what
// is_missing() says of a place is the last code. Nothing where they lie too far apart.
template <class Number, class IsMissing>
Coded code_numbers(const Number* values, std::size_t n, int threads, IsMissing is_missing, int* codes) {
  Coded coded;
  const int blocks = std::max(threads, 1);
  const Reach<Number> reach = reach_of(values, n, threads, is_missing);
  const double low = reach.low, high = reach.high;
  const double range = high >= low ? high - low + 1 : 0;
  if (!(range <= std::max(65536.0, 32.0 * n)) || !(std::abs(low) < 9e15)) return coded;
  const std::size_t size = static_cast<std::size_t>(range) + 1, missing = size - 1;
  const auto cell = [&](std::size_t i) {
    return is_missing(values[i]) ? missing : distance(values[i], low);
  };
  std::vector<Places> taken(blocks, Places(size));
  std::vector<std::vector<int>> first(blocks);
  std::vector<char> whole(blocks, 1);
  in_parallel(threads, [&](int t) {
    const Block own = block_of(n, blocks, t);
    bool are_whole = true;
    for (std::size_t i = own.from; i < own.to && are_whole; ++i) {
      const std::size_t at = cell(i);
      are_whole = std::is_integral_v<Number> || at == missing || values[i] - low == static_cast<double>(at);
      if (taken[t].take(at)) first[t].push_back(static_cast<int>(i));
    }
    whole[t] = are_whole;
  });
  if (!*std::min_element(whole.begin(), whole.end())) return coded;
  for (int t = 1; t < blocks; ++t) taken[0].add(taken[t]);
  const int count = taken[0].count();
  in_blocks(n, threads, [&](std::size_t from, std::size_t to) {
    for (std::size_t i = from; i < to; ++i) codes[i] = taken[0].rank(cell(i));
  });
  coded.rows.resize(count);
  for (int t = blocks; t-- > 0;) {
    for (const int row : first[t]) coded.rows[codes[row]] = row;
  }
  coded.fits = true;
  return coded;
}

// Numbers that were sorted, to become codes from 0.
class SortedNumbers {
 public:
  SortedNumbers(int* sorted, std::size_t n, int threads)
      : sorted_(sorted), threads_(std::max(threads, 1)), begin_(threads_ + 1, n), before_(threads_ + 1, 0) {
    const auto begins = [&](std::size_t i) { return i == 0 || sorted[i] != sorted[i - 1]; };
    in_parallel(threads_, [&](int t) {
      const Block own = block_of(n, threads_, t);
      std::size_t first = own.from;
      while (first < own.to && !begins(first)) ++first;
      int count = first < own.to;
      for (std::size_t i = first + 1; i < own.to; ++i) count += sorted[i] != sorted[i - 1];
      begin_[t] = first;
      before_[t + 1] = count;
    });
    for (int t = 0; t < threads_; ++t) before_[t + 1] += before_[t];
    // A number that goes on through a whole block is left to the block where it began.
    for (int t = threads_; t-- > 0;) {
      if (before_[t + 1] == before_[t]) begin_[t] = begin_[t + 1];
    }
  }

  std::size_t count() const { return before_[threads_]; }

  // `first` gets the first of all records of each. No processor can guess where a number begins:
  // nothing here depends on a guess.
  void become_codes(const int* record, int* first) {
    in_parallel(threads_, [&](int t) {
      int* const sorted = sorted_;
      const std::size_t from = begin_[t], to = begin_[t + 1];
      int code = before_[t] - 1, least = 0, number = from < to ? ~sorted[from] : 0;
      for (std::size_t i = from; i < to; ++i) {
        const bool fresh = sorted[i] != number;
        number = sorted[i];
        code += fresh;
        least = fresh ? record[i] : std::min(least, record[i]);
        first[code] = least;
        sorted[i] = code;
      }
    });
  }

 private:
  int* sorted_;
  int threads_;
  std::vector<std::size_t> begin_;
  std::vector<int> before_;
};

// Codes by sorting, for numbers that lie further apart than code_numbers() takes.
template <class Number, class IsMissing, class Poll>
Coded code_by_order(const Number* values, std::size_t n, int threads, IsMissing is_missing, int* codes,
                    const Poll& poll) {
  Coded coded;
  std::vector<std::int64_t> whole(n), sorted(n);
  constexpr std::int64_t last = std::int64_t{1} << 53;
  for (std::size_t i = 0; i < n; ++i) {
    if (is_missing(values[i])) {
      whole[i] = last;
      continue;
    }
    if (!(std::abs(static_cast<double>(values[i])) < 9e15)) return coded;
    whole[i] = static_cast<std::int64_t>(values[i]);
    if (static_cast<Number>(whole[i]) != values[i]) return coded;
  }
  std::vector<int> order(n);
  each_in_order(whole.data(), Keys{nullptr, 0, 1}, n, threads,
                [&](std::size_t place, int record, int, std::int64_t value) {
    order[place] = record;
    sorted[place] = value;
  }, poll);
  for (std::size_t place = 0; place < n; ++place) {
    if (place == 0 || sorted[place] != sorted[place - 1]) coded.rows.push_back(order[place]);
    codes[order[place]] = static_cast<int>(coded.rows.size()) - 1;
  }
  coded.fits = true;
  return coded;
}

// Distinct things by their addresses, numbered as they are met.
class Addresses {
 public:
  // Which of several threads an address belongs to.
  static std::size_t owner(const void* address, std::size_t threads) { return (hash(address) >> 32) * threads >> 32; }

  explicit Addresses(std::size_t expected) {
    std::size_t size = 1024;
    while (size < 2 * expected) size *= 2;
    table_ = large_vector<Entry>(size);
    limit_ = size / 2;
  }

  // Asks for where this address will be looked for.
  void fetch_place(const void* address) const { fetch(&table_[place_of(address)]); }

  // The number of this address; `fresh` says whether it is met for the first time.
  int number_of(const void* address, bool& fresh) {
    Entry& entry = find(address);
    fresh = !entry.address;
    if (fresh) {
      entry = {address, size_++};
      if (static_cast<std::size_t>(size_) > limit_) {
        const int number = size_ - 1;
        grow();
        return number;
      }
    }
    return entry.number;
  }

 private:
  struct Entry {
    const void* address;
    int number;
  };
  std::vector<Entry> table_;
  std::size_t limit_;
  int size_ = 0;

  static std::uint64_t hash(const void* address) {
    return (reinterpret_cast<std::uintptr_t>(address) >> 3) * std::uint64_t{0x9e3779b97f4a7c15u};
  }

  std::size_t place_of(const void* address) const { return hash(address) >> 20 & (table_.size() - 1); }

  Entry& find(const void* address) {
    const std::size_t mask = table_.size() - 1;
    std::size_t at = place_of(address);
    while (table_[at].address && table_[at].address != address) at = (at + 1) & mask;
    return table_[at];
  }

  void grow() {
    std::vector<Entry> old = large_vector<Entry>(2 * table_.size());
    old.swap(table_);
    limit_ = table_.size() / 2;
    for (const Entry& entry : old) {
      if (entry.address) find(entry.address) = entry;
    }
  }
};

// Numbers n things by their addresses: `first` says, for each of the threads, where the things that
// are its own stand first, in the order of their numbers.
template <class Thing, class Poll>
std::vector<std::vector<int>> number_things(const Thing* things, std::size_t n, int threads, int* numbers,
                                            const Poll& poll) {
  const std::size_t owners = std::max(threads, 1);
  std::vector<std::vector<int>> first(owners);
  in_parallel(threads, [&](int t) {
    const std::size_t own = t;
    Addresses addresses(std::min<std::size_t>(n / owners, std::size_t{1} << 20));
    // Its own are picked out first: no processor can guess which they are.
    std::vector<std::size_t> picked(std::size_t{1} << 14);
    for (std::size_t from = 0; from < n; from += picked.size()) {
      if (t == 0 && (from & 0xfffff) == 0) poll();
      std::size_t count = 0;
      for (std::size_t i = from; i < std::min(from + picked.size(), n); ++i) {
        picked[count] = i;
        count += owners == 1 || Addresses::owner(things[i], owners) == own;
      }
      for (std::size_t at = 0; at < count; ++at) {
        if (at + 16 < count) addresses.fetch_place(things[picked[at + 16]]);
        const std::size_t i = picked[at];
        bool fresh;
        numbers[i] = addresses.number_of(things[i], fresh);
        if (fresh) first[own].push_back(static_cast<int>(i));
      }
    }
  });
  return first;
}

struct Text {
  const char* bytes;
  std::size_t size;
};

// How many bytes all texts begin with alike.
inline std::size_t same_beginning(const std::vector<Text>& texts, int threads) {
  std::vector<std::size_t> same(std::max(threads, 1), texts.empty() ? 0 : texts[0].size);
  in_parallel(threads, [&](int t) {
    const Block own = block_of(texts.size(), same.size(), t);
    std::size_t most = same[t];
    for (std::size_t at = own.from; at < own.to; ++at) {
      most = std::min(most, texts[at].size);
      for (std::size_t i = 0; i < most; ++i) {
        if (texts[at].bytes[i] != texts[0].bytes[i]) most = i;
      }
    }
    same[t] = most;
  });
  return *std::min_element(same.begin(), same.end());
}

// Eight bytes of a text from `at` on as a number that comes in their order.
inline std::int64_t head_of(const Text& text, std::size_t from) {
  std::uint64_t head = 0;
  for (std::size_t at = from; at < from + 8; ++at) {
    head = head << 8 | (at < text.size ? static_cast<unsigned char>(text.bytes[at]) : 0);
  }
  return static_cast<std::int64_t>(head ^ std::uint64_t{1} << 63);
}

// The places of distinct texts, sorted by their bytes: by eight of them at once, behind those
// that all texts begin with.
template <class Poll>
std::vector<int> order_of_texts(const std::vector<Text>& texts, int threads, const Poll& poll) {
  const std::size_t n = texts.size(), same = same_beginning(texts, threads);
  std::vector<std::int64_t> heads = large_vector<std::int64_t>(n), sorted = large_vector<std::int64_t>(n);
  in_blocks(n, threads, [&](std::size_t i, std::size_t end) {
    for (; i < end; ++i) heads[i] = head_of(texts[i], same);
  });
  std::vector<int> order(n);
  each_in_order(heads.data(), Keys{nullptr, 0, 1}, n, threads,
                [&](std::size_t place, int text, int, std::int64_t head) {
    order[place] = text;
    sorted[place] = head;
  }, poll);
  for (std::size_t from = 0, to = 0; from < n; from = to) {
    for (to = from + 1; to < n && sorted[to] == sorted[from]; ++to) {}
    if (to == from + 1) continue;
    std::sort(order.begin() + from, order.begin() + to, [&](int a, int b) {
      const Text &one = texts[a], &other = texts[b];
      const int difference = std::memcmp(one.bytes, other.bytes, std::min(one.size, other.size));
      return difference != 0 ? difference < 0 : one.size < other.size;
    });
  }
  return order;
}

}  // namespace ridge
