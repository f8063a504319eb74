// What a Parquet file (the open format of that name) says of itself at its end: the columns, and
// where their chunks lie. What does not hold together is not sound.
#pragma once
#include <algorithm>
#include <cstdint>
#include <string>
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

  std::string text_field(int type) {
    must(type == binary);
    const std::uint64_t size = varint();
    pass(size);
    must(std::find(at_ - size, at_, 0) == at_);
    return std::string(at_ - size, at_);
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
  std::string name;
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
          else if (part == 4) column.name = reader.text_field(kind);
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

}  // namespace ridge
