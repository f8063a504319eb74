// Days straight from the bytes of delimited text in which nothing is quoted.
#pragma once
#include "core/iso_text.h"
#include "core/threads.h"
#include <atomic>
#include <cstdint>
#include <cstring>
#include <fstream>
#include <limits>
#include <string>
#include <vector>

namespace ridge {

// How lines are cut, and which fields, the first is 0, hold days.
struct LineLayout {
  char separator;
  int fields;
  std::vector<int> at;
};

class DayLines {
 public:
  static constexpr std::int32_t no_day = std::numeric_limits<std::int32_t>::min();

  explicit DayLines(LineLayout layout) : layout_(std::move(layout)), place_(layout_.fields, -1), days_(layout_.at.size()) {
    for (std::size_t i = 0; i < layout_.at.size(); ++i) place_[layout_.at[i]] = static_cast<int>(i);
  }

  // False where a line is of another form: the whole text is for a reader that knows all forms.
  bool take(const char* from, const char* end) {
    if (from < end && end[-1] == '\r') --end;
    if (from == end || *from == ' ' || *from == '\t' || find('\r', from, end)) return false;
    for (const int place : place_) {
      if (from == nullptr) return false;
      const char* const separator = find(layout_.separator, from, end);
      if (place >= 0 && !take_day(from, separator ? separator : end, place)) return false;
      from = separator ? separator + 1 : nullptr;
    }
    return from == nullptr;
  }

  std::vector<std::vector<std::int32_t>>& days() { return days_; }

 private:
  LineLayout layout_;
  std::vector<int> place_;  // by field: which of the columns of days, or -1
  std::vector<std::vector<std::int32_t>> days_;

  static const char* find(char c, const char* from, const char* end) {
    return static_cast<const char*>(std::memchr(from, c, end - from));
  }

  bool take_day(const char* from, const char* end, int place) {
    std::int32_t day = no_day;
    if (from != end) {
      // R does not write years before 1000 as they came.
      if (end - from != 10 || from[4] != '-' || from[0] == '0') return false;
      const IsoMoment moment = IsoReader(from, 10).read();
      if (moment.reading != Reading::date) return false;
      day = moment.day;
    }
    days_[place].push_back(day);
    return true;
  }
};

// The lines that begin in [from, to) of a file; false where one is of another form.
inline bool take_lines(const std::string& path, std::streamoff from, std::streamoff to, DayLines& lines) {
  std::ifstream file(path, std::ios::binary);
  std::string line;
  if (from > 0) {
    file.seekg(from - 1);
    std::getline(file, line);
    from += static_cast<std::streamoff>(line.size());
  }
  while (from < to && std::getline(file, line)) {
    if (!lines.take(line.data(), line.data() + line.size())) return false;
    from += static_cast<std::streamoff>(line.size()) + 1;
  }
  return from >= to;
}

// Where the lines begin that come after `skip` others; -1 where there are none.
inline std::streamoff behind_lines(const std::string& path, int skip) {
  std::ifstream file(path, std::ios::binary);
  std::string line;
  std::streamoff at = 0;
  for (int i = 0; i < skip; ++i) {
    if (!std::getline(file, line)) return -1;
    at += static_cast<std::streamoff>(line.size()) + 1;
  }
  return at;
}

// Column by column the days of a file, behind `skip` lines; none where a line is of another form.
inline std::vector<std::vector<std::int32_t>> days_of_file(const std::string& path, const LineLayout& layout, int skip,
                                                           int threads) {
  const std::streamoff from = behind_lines(path, skip);
  std::ifstream file(path, std::ios::binary | std::ios::ate);
  const std::streamoff to = file ? static_cast<std::streamoff>(file.tellg()) : -1;
  if (from < 0 || to <= from) return {};
  std::vector<DayLines> parts(threads, DayLines(layout));
  std::atomic<bool> sound{true};
  in_parallel(threads, [&](int t) {
    const Block own = block_of(static_cast<std::size_t>(to - from), threads, t);
    if (!take_lines(path, from + own.from, from + own.to, parts[t])) sound = false;
  });
  std::vector<std::vector<std::int32_t>> days(layout.at.size());
  for (std::size_t i = 0; sound && i < days.size(); ++i) {
    for (DayLines& part : parts) {
      days[i].insert(days[i].end(), part.days()[i].begin(), part.days()[i].end());
      std::vector<std::int32_t>().swap(part.days()[i]);
    }
  }
  return sound ? days : std::vector<std::vector<std::int32_t>>();
}

}  // namespace ridge
