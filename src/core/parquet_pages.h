// Whether a Parquet file (the open format of that name) can be read without harm: its footer,
// its page headers and what lies in its pages are followed to the end, so that every length
// stays within its page and every index within its dictionary. What is not known here, such
// as a rare encoding, is not called sound.
#pragma once
#include "core/snappy.h"
#include "core/threads.h"
#include <bitset>
#include <cstdint>
#include <cstring>
#include <istream>
#include <new>
#include <vector>

namespace ridge {

struct NotSound {};

inline void must(bool holds) {
  if (!holds) throw NotSound();
}

// The compact protocol in which a Parquet file describes itself.
class CompactReader {
 public:
  CompactReader(const std::uint8_t* bytes, std::size_t size) : at_(bytes), end_(bytes + size) {}

  std::size_t left() const { return end_ - at_; }

  std::uint64_t varint() {
    std::uint64_t value = 0;
    for (int shift = 0; shift < 64; shift += 7) {
      const std::uint8_t part = byte();
      value |= static_cast<std::uint64_t>(part & 127) << shift;
      if (part < 128) return value;
    }
    throw NotSound();
  }

  std::int64_t whole() {
    const std::uint64_t value = varint();
    return static_cast<std::int64_t>(value >> 1) ^ -static_cast<std::int64_t>(value & 1);
  }

  std::int64_t whole_field(int type) {
    must(type == i32 || type == i64 || type == i16);
    return whole();
  }

  bool flag_field(int type) {
    must(type == yes || type == no);
    return type == yes;
  }

  // Calls `take(id, type)` for each field; what it does not take is passed over.
  template <class Take> void structure(Take take, int depth = 0) {
    must(depth < 16);
    for (int id = 0;;) {
      const std::uint8_t head = byte();
      if (head == 0) return;
      const std::int64_t next = head >> 4 ? id + (head >> 4) : whole();
      must(next >= 0 && next <= most_fields);
      id = static_cast<int>(next);
      if (!take(id, head & 15)) skip(head & 15, depth + 1);
    }
  }

  template <class Take> void list_of_structures(int type, Take take) {
    must(type == list);
    const std::uint64_t size = list_head(structure_type);
    for (std::uint64_t i = 0; i < size; ++i) take();
  }

 private:
  static constexpr std::int64_t most_fields = 32767;
  enum { yes = 1, no, i8, i16, i32, i64, real, binary, list, set, map, structure_type };

  const std::uint8_t* at_;
  const std::uint8_t* end_;

  std::uint8_t byte() {
    must(at_ < end_);
    return *at_++;
  }

  void pass(std::uint64_t size) {
    must(size <= left());
    at_ += size;
  }

  // Each element takes a byte at least.
  std::uint64_t list_head(int expected) {
    const std::uint8_t head = byte();
    const std::uint64_t size = head >> 4 == 15 ? varint() : head >> 4;
    must(size <= left() && (size == 0 || (head & 15) == expected));
    return size;
  }

  void skip(int type, int depth) {
    must(depth < 16);
    if (type == i8) pass(1);
    else if (type == i16 || type == i32 || type == i64) varint();
    else if (type == real) pass(8);
    else if (type == binary) pass(varint());
    else if (type == structure_type) structure([](int, int) { return false; }, depth);
    else if (type == list || type == set) skip_list(depth);
    else must(type == yes || type == no);
  }

  void skip_list(int depth) {
    const std::uint8_t head = byte();
    const std::uint64_t size = head >> 4 == 15 ? varint() : head >> 4;
    must(size <= left());
    const int type = head & 15;
    for (std::uint64_t i = 0; i < size; ++i) {
      if (type == yes || type == no) pass(1);
      else skip(type, depth + 1);
    }
  }
};

struct ParquetColumn {
  std::int64_t type = -1, length = 0, presence = -1, children = 0;
};

struct ParquetChunk {
  std::int64_t type = -1, codec = -1, values = -1, size = -1, data = -1, dictionary = -1;
  std::int64_t first() const { return dictionary > 0 && dictionary < data ? dictionary : data; }
};

struct ParquetGroup {
  std::int64_t rows = -1;
  std::vector<ParquetChunk> chunks;
};

struct ParquetFooter {
  std::int64_t rows = -1;
  std::vector<ParquetColumn> columns;
  std::vector<ParquetGroup> groups;
};

struct ParquetPage {
  std::int64_t kind = -1, unpacked = -1, packed = -1, values = -1, encoding = -1, level_encoding = -1;
  std::int64_t nulls = 0, definition = 0, repetition = 0;
  bool compressed = true;
};

enum { plain_values = 0, old_dictionary = 2, run_lengths = 3, dictionary_values = 8 };

inline ParquetFooter read_footer(CompactReader reader) {
  ParquetFooter footer;
  const auto chunk_facts = [&](ParquetChunk& chunk) {
    reader.structure([&](int id, int type) {
      if (id == 1) chunk.type = reader.whole_field(type);
      else if (id == 4) chunk.codec = reader.whole_field(type);
      else if (id == 5) chunk.values = reader.whole_field(type);
      else if (id == 7) chunk.size = reader.whole_field(type);
      else if (id == 9) chunk.data = reader.whole_field(type);
      else if (id == 11) chunk.dictionary = reader.whole_field(type);
      else return false;
      return true;
    });
  };
  const auto group_facts = [&](ParquetGroup& group) {
    reader.structure([&](int id, int type) {
      if (id == 3) {
        group.rows = reader.whole_field(type);
        return true;
      }
      if (id != 1) return false;
      reader.list_of_structures(type, [&] {
        group.chunks.emplace_back();
        reader.structure([&](int part, int kind) {
          must(part != 1);  // a chunk in another file
          if (part != 3) return false;
          must(kind == 12);
          chunk_facts(group.chunks.back());
          return true;
        });
      });
      return true;
    });
  };
  reader.structure([&](int id, int type) {
    if (id == 2) {
      reader.list_of_structures(type, [&] {
        footer.columns.emplace_back();
        ParquetColumn& column = footer.columns.back();
        reader.structure([&](int part, int kind) {
          if (part == 1) column.type = reader.whole_field(kind);
          else if (part == 2) column.length = reader.whole_field(kind);
          else if (part == 3) column.presence = reader.whole_field(kind);
          else if (part == 5) column.children = reader.whole_field(kind);
          else return false;
          return true;
        });
      });
    } else if (id == 3) {
      footer.rows = reader.whole_field(type);
    } else if (id == 4) {
      reader.list_of_structures(type, [&] {
        footer.groups.emplace_back();
        group_facts(footer.groups.back());
      });
    } else {
      return false;
    }
    return true;
  });
  return footer;
}

inline ParquetPage read_page_head(CompactReader& reader) {
  ParquetPage page;
  const auto version_one = [&](int id, int type) {
    if (id == 1) page.values = reader.whole_field(type);
    else if (id == 2) page.encoding = reader.whole_field(type);
    else if (id == 3) page.level_encoding = reader.whole_field(type);
    else return false;
    return true;
  };
  const auto version_two = [&](int id, int type) {
    if (id == 1) page.values = reader.whole_field(type);
    else if (id == 2) page.nulls = reader.whole_field(type);
    else if (id == 4) page.encoding = reader.whole_field(type);
    else if (id == 5) page.definition = reader.whole_field(type);
    else if (id == 6) page.repetition = reader.whole_field(type);
    else if (id == 7) page.compressed = reader.flag_field(type);
    else return false;
    return true;
  };
  reader.structure([&](int id, int type) {
    if (id == 1) page.kind = reader.whole_field(type);
    else if (id == 2) page.unpacked = reader.whole_field(type);
    else if (id == 3) page.packed = reader.whole_field(type);
    else if (type == 12 && id == 5 && page.kind == 0) reader.structure(version_one, 1);
    else if (type == 12 && id == 7 && page.kind == 2) reader.structure(version_one, 1);
    else if (type == 12 && id == 8 && page.kind == 3) reader.structure(version_two, 1);
    else return false;
    return true;
  });
  return page;
}

// The highest of values of `width` bits that are packed into bytes.
inline std::uint64_t highest_packed(const std::uint8_t* at, const std::uint8_t* end, int width, std::int64_t count) {
  const std::uint64_t mask = (std::uint64_t(1) << width) - 1;
  std::uint64_t highest = 0;
  for (std::int64_t i = 0; i < count; ++i) {
    const std::uint64_t bit = static_cast<std::uint64_t>(i) * width;
    const std::uint8_t* from = at + bit / 8;
    std::uint64_t word = 0;
    std::memcpy(&word, from, std::min<std::size_t>(8, end - from));
    highest = std::max(highest, word >> (bit % 8) & mask);
  }
  return highest;
}

inline std::int64_t count_bits(const std::uint8_t* at, std::int64_t count) {
  std::int64_t ones = 0, i = 0;
  for (; i + 64 <= count; i += 64) {
    std::uint64_t word;
    std::memcpy(&word, at + i / 8, 8);
    ones += std::bitset<64>(word).count();
  }
  for (; i < count; ++i) ones += at[i / 8] >> (i % 8) & 1;
  return ones;
}

// Runs of equal values and of packed bits, `width` bits each: exactly `count` values, all
// below `limit`. Returns how many of them are 1, where they are single bits.
inline std::int64_t walk_runs(const std::uint8_t* at, std::size_t size, int width, std::int64_t count,
                              std::uint64_t limit) {
  const std::uint8_t* end = at + size;
  std::int64_t ones = 0;
  while (count > 0) {
    std::uint64_t head = 0;
    for (int shift = 0;; shift += 7) {
      must(at < end && shift < 35);
      head |= static_cast<std::uint64_t>(*at & 127) << shift;
      if (*at++ < 128) break;
    }
    const std::uint64_t run = head >> 1;
    must(run > 0);
    if (head & 1) {
      must(run * width <= static_cast<std::size_t>(end - at));
      const std::int64_t values = std::min<std::int64_t>(count, 8 * run);
      if (width == 1) ones += count_bits(at, values);
      if (std::uint64_t(1) << width > limit) must(highest_packed(at, end, width, values) < limit);
      at += run * width;
      count -= values;
    } else {
      std::uint64_t value = 0;
      for (int i = 0; i < (width + 7) / 8; ++i) {
        must(at < end);
        value |= static_cast<std::uint64_t>(*at++) << (8 * i);
      }
      must(value < limit && run <= static_cast<std::uint64_t>(count));
      if (value == 1) ones += run;
      count -= run;
    }
  }
  return ones;
}

inline std::uint64_t bytes_of_value(const ParquetColumn& column) {
  switch (column.type) {
    case 1: case 4: return 4;
    case 2: case 5: return 8;
    case 3: return 12;
    case 7: must(column.length > 0 && column.length < 1000000); return column.length;
    default: throw NotSound();
  }
}

inline void walk_plain(const std::uint8_t* at, std::size_t size, const ParquetColumn& column, std::int64_t count) {
  if (column.type == 0) return must(static_cast<std::uint64_t>(count + 7) / 8 <= size);
  if (column.type != 6) return must(static_cast<std::uint64_t>(count) <= size / bytes_of_value(column));
  const std::uint8_t* end = at + size;
  for (; count > 0; --count) {
    must(end - at >= 4);
    std::uint32_t length;
    std::memcpy(&length, at, 4);
    must(length <= static_cast<std::size_t>(end - at - 4));
    at += 4 + length;
  }
}

// The pages of one column of one group of rows.
class ChunkWalk {
 public:
  ChunkWalk(const ParquetColumn& column, const ParquetChunk& chunk) : column_(column), chunk_(chunk) {}

  void walk(const std::uint8_t* at, std::size_t size) {
    std::int64_t values = 0;
    for (const std::uint8_t* end = at + size; at < end;) {
      CompactReader reader(at, end - at);
      const ParquetPage page = read_page_head(reader);
      at = end - reader.left();
      must(page.packed >= 0 && page.packed <= end - at && page.unpacked >= 0 && page.unpacked < (1LL << 31));
      must(page.values >= 0 && page.values < (1LL << 31));
      if (page.kind == 2) walk_dictionary(page, at);
      else values += walk_data(page, at);
      at += page.packed;
    }
    must(values == chunk_.values);
  }

 private:
  const ParquetColumn& column_;
  const ParquetChunk& chunk_;
  std::int64_t dictionary_ = -1;
  std::vector<std::uint8_t> unpacked_;

  // The bytes of a page, or of what follows its levels.
  const std::uint8_t* unpacked(const std::uint8_t* at, std::int64_t packed, std::int64_t size, bool compressed) {
    must(packed >= 0 && size >= 0);
    if (!compressed || chunk_.codec == 0) {
      must(packed == size);
      return at;
    }
    must(chunk_.codec == 1);
    unpacked_.resize(size + 1);
    must(unpack_snappy(at, packed, unpacked_.data(), size));
    return unpacked_.data();
  }

  void walk_dictionary(const ParquetPage& page, const std::uint8_t* at) {
    must(dictionary_ < 0 && (page.encoding == plain_values || page.encoding == old_dictionary));
    walk_plain(unpacked(at, page.packed, page.unpacked, true), page.unpacked, column_, page.values);
    dictionary_ = page.values;
  }

  std::int64_t walk_data(const ParquetPage& page, const std::uint8_t* at) {
    must(page.kind == 0 || page.kind == 3);
    if (page.kind == 0) {
      walk_version_one(page, unpacked(at, page.packed, page.unpacked, true));
    } else {
      const std::int64_t levels = page.definition;
      must(page.repetition == 0 && levels >= 0 && levels <= page.packed && levels <= page.unpacked);
      std::int64_t known = page.values;
      if (column_.presence == 1) known = walk_runs(at, levels, 1, page.values, 2);
      else must(levels == 0);
      must(page.nulls == page.values - known);
      walk_values(page, unpacked(at + levels, page.packed - levels, page.unpacked - levels, page.compressed),
                  page.unpacked - levels, known);
    }
    return page.values;
  }

  void walk_version_one(const ParquetPage& page, const std::uint8_t* at) {
    std::size_t size = page.unpacked;
    std::int64_t known = page.values;
    if (column_.presence == 1) {
      std::uint32_t levels;
      must(page.level_encoding == run_lengths && size >= 4);
      std::memcpy(&levels, at, 4);
      must(levels <= size - 4);
      known = walk_runs(at + 4, levels, 1, page.values, 2);
      at += 4 + levels;
      size -= 4 + levels;
    }
    walk_values(page, at, size, known);
  }

  void walk_values(const ParquetPage& page, const std::uint8_t* at, std::size_t size, std::int64_t count) {
    if (page.encoding == plain_values) return walk_plain(at, size, column_, count);
    if (page.encoding == run_lengths) {
      std::uint32_t length;
      must(column_.type == 0 && size >= 4);
      std::memcpy(&length, at, 4);
      must(length <= size - 4);
      walk_runs(at + 4, length, 1, count, 2);
      return;
    }
    must((page.encoding == dictionary_values || page.encoding == old_dictionary) && dictionary_ >= 0);
    if (count == 0 && size == 0) return;
    must(size > 0 && at[0] <= 32);
    walk_runs(at + 1, size - 1, at[0], count, dictionary_);
  }
};

// A file that is read from several places at once: open() gives each thread a stream of its own.
template <class Open> class ParquetFile {
 public:
  ParquetFile(Open open, std::uint64_t size) : open_(open), size_(size) {}

  // Flat tables only, as those of records are.
  void walk(int threads) const {
    auto file = open_();
    std::vector<std::uint8_t> bytes;
    must(size_ >= 12);
    read(file, size_ - 8, 8, bytes);
    std::uint32_t length;
    std::memcpy(&length, bytes.data(), 4);
    must(std::memcmp(bytes.data() + 4, "PAR1", 4) == 0 && length <= size_ - 12);
    const std::uint64_t body = size_ - 8 - length;
    read(file, body, length, bytes);
    const ParquetFooter footer = read_footer(CompactReader(bytes.data(), bytes.size()));
    walk_chunks(sound_chunks(footer, body), threads);
  }

 private:
  struct OwnChunk {
    const ParquetColumn* column;
    const ParquetChunk* chunk;
  };
  Open open_;
  std::uint64_t size_;

  template <class File>
  void read(File& file, std::uint64_t at, std::uint64_t count, std::vector<std::uint8_t>& into) const {
    must(at <= size_ && count <= size_ - at);
    into.resize(count);
    file.seekg(at);
    must(static_cast<bool>(file.read(reinterpret_cast<char*>(into.data()), count)));
  }

  // The columns of all groups, each where the file has bytes for it.
  std::vector<OwnChunk> sound_chunks(const ParquetFooter& footer, std::uint64_t body) const {
    must(footer.columns.size() >= 1 && footer.columns[0].children == static_cast<std::int64_t>(footer.columns.size()) - 1);
    std::int64_t rows = 0;
    std::vector<OwnChunk> all;
    for (const ParquetGroup& group : footer.groups) {
      must(group.rows >= 0 && group.rows <= footer.rows - rows);
      must(group.chunks.size() == footer.columns.size() - 1);
      rows += group.rows;
      for (std::size_t i = 0; i < group.chunks.size(); ++i) {
        const ParquetColumn& column = footer.columns[i + 1];
        const ParquetChunk& chunk = group.chunks[i];
        must(column.children == 0 && (column.presence == 0 || column.presence == 1));
        must(chunk.type == column.type && chunk.values == group.rows);
        must(chunk.first() >= 4 && chunk.size >= 0 && chunk.first() <= static_cast<std::int64_t>(body) &&
             chunk.size <= static_cast<std::int64_t>(body) - chunk.first());
        all.push_back({&column, &chunk});
      }
    }
    must(rows == footer.rows);
    return all;
  }

  void walk_chunks(const std::vector<OwnChunk>& chunks, int threads) const {
    std::vector<decltype(open_())> files;
    for (int t = 0; t < threads; ++t) files.push_back(open_());
    std::vector<std::vector<std::uint8_t>> bytes(threads);
    take_parts(chunks.size(), threads, [&](std::size_t i, int t) {
      const ParquetChunk& chunk = *chunks[i].chunk;
      read(files[t], chunk.first(), chunk.size, bytes[t]);
      ChunkWalk(*chunks[i].column, chunk).walk(bytes[t].data(), bytes[t].size());
    });
  }
};

template <class Open> bool sound_parquet(Open open, std::uint64_t size, int threads) {
  try {
    ParquetFile<Open>(open, size).walk(threads);
    return true;
  } catch (const NotSound&) {
    return false;
  } catch (const std::bad_alloc&) {
    return false;
  }
}

}  // namespace ridge
