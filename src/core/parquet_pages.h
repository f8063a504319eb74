// Whether a Parquet file can be read without harm: its footer, its page headers and what lies in
// its pages are followed to the end, so that every length stays within its page and every index
// within its dictionary. What is not known here, such as a rare encoding, is not called sound.
#pragma once
#include "core/parquet_footer.h"
#include "core/snappy.h"
#include "core/threads.h"
#include <algorithm>
#include <bitset>
#include <cstring>
#include <istream>
#include <new>
#include <optional>

namespace ridge {

struct ParquetPage {
  std::int64_t kind = -1, unpacked = -1, packed = -1, values = -1, encoding = -1, level_encoding = -1;
  std::int64_t nulls = 0, definition = 0, repetition = 0;
  bool compressed = true;
};

constexpr std::int64_t byte_arrays = 6;

enum { plain_values = 0, old_dictionary = 2, run_lengths = 3, dictionary_values = 8 };

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

// Text of ASCII that begins and ends with what is no space.
inline bool is_tidy_text(const std::uint8_t* text, std::size_t size) {
  return size > 0 && text[0] > ' ' && text[size - 1] > ' ' &&
         std::all_of(text, text + size, [](std::uint8_t byte) { return byte < 128; });
}

// Values as they are. Are they texts, and all tidy?
inline bool walk_plain(const std::uint8_t* at, std::size_t size, const ParquetColumn& column, std::int64_t count) {
  if (column.type != byte_arrays) {
    must(column.type == 0 ? static_cast<std::uint64_t>(count + 7) / 8 <= size
                          : static_cast<std::uint64_t>(count) <= size / bytes_of_value(column));
    return false;
  }
  bool tidy = true;
  const std::uint8_t* end = at + size;
  for (; count > 0; --count) {
    must(end - at >= 4);
    std::uint32_t length;
    std::memcpy(&length, at, 4);
    at += 4;
    must(length <= static_cast<std::size_t>(end - at));
    tidy = tidy && is_tidy_text(at, length);
    at += length;
  }
  return tidy;
}

// The pages of one column of one group of rows.
class ChunkWalk {
 public:
  ChunkWalk(const ParquetColumn& column, const ParquetChunk& chunk)
      : column_(column), chunk_(chunk), tidy_(column.type == byte_arrays) {}

  // Are its values texts, and all tidy?
  bool walk(const std::uint8_t* at, std::size_t size) {
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
    return tidy_;
  }

 private:
  const ParquetColumn& column_;
  const ParquetChunk& chunk_;
  std::int64_t dictionary_ = -1;
  bool tidy_;
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

  void walk_all(const std::uint8_t* at, std::size_t size, std::int64_t count) {
    const bool tidy = walk_plain(at, size, column_, count);
    tidy_ = tidy_ && tidy;
  }

  void walk_dictionary(const ParquetPage& page, const std::uint8_t* at) {
    must(dictionary_ < 0 && (page.encoding == plain_values || page.encoding == old_dictionary));
    walk_all(unpacked(at, page.packed, page.unpacked, true), page.unpacked, page.values);
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
    if (page.encoding == plain_values) return walk_all(at, size, count);
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

// A column, and whether all its values are texts that are tidy.
struct SoundColumn {
  std::string name;
  bool tidy;
};

// A file that is read from several places at once: open() gives each thread a stream of its own.
template <class Open> class ParquetFile {
 public:
  ParquetFile(Open open, std::uint64_t size) : open_(open), size_(size) {}

  // Flat tables only, as those of records are.
  std::vector<SoundColumn> walk(int threads) const {
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
    const std::vector<OwnChunk> chunks = sound_chunks(footer, body);
    const std::vector<char> tidy = walk_chunks(chunks, threads);
    std::vector<SoundColumn> columns;
    for (std::size_t i = 1; i < footer.columns.size(); ++i) columns.push_back({footer.columns[i].name, true});
    for (std::size_t i = 0; i < chunks.size(); ++i) {
      SoundColumn& own = columns[i % columns.size()];
      own.tidy = own.tidy && tidy[i];
    }
    return columns;
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

  std::vector<char> walk_chunks(const std::vector<OwnChunk>& chunks, int threads) const {
    std::vector<char> tidy(chunks.size());
    std::vector<decltype(open_())> files;
    for (int t = 0; t < threads; ++t) files.push_back(open_());
    std::vector<std::vector<std::uint8_t>> bytes(threads);
    take_parts(chunks.size(), threads, [&](std::size_t i, int t) {
      const ParquetChunk& chunk = *chunks[i].chunk;
      read(files[t], chunk.first(), chunk.size, bytes[t]);
      tidy[i] = ChunkWalk(*chunks[i].column, chunk).walk(bytes[t].data(), bytes[t].size());
    });
    return tidy;
  }
};

// The columns of a file that can be read without harm; nothing of any other.
template <class Open>
std::optional<std::vector<SoundColumn>> sound_parquet_columns(Open open, std::uint64_t size, int threads) {
  try {
    return ParquetFile<Open>(open, size).walk(threads);
  } catch (const NotSound&) {
    return std::nullopt;
  } catch (const std::bad_alloc&) {
    return std::nullopt;
  }
}

}  // namespace ridge
