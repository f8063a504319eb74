// Dates as people write them: parts in any order, month names, a clock before or
// after. What a text alone cannot decide, the order of day and month, is left to
// the caller, who sees the whole column.
#pragma once
#include "core/iso_text.h"
#include <cmath>
#include <cstdlib>
#include <cstring>
#include <string>
#include <vector>

namespace ridge {

enum class DateForm {
  blank,
  date,        // decided: `day` holds
  numbers,     // three numbers in an open order: `parts` hold
  number,      // a single number: `value` holds
  unreadable
};

enum class ClockForm { none, local, utc };

struct DateText {
  DateForm form = DateForm::unreadable;
  ClockForm clock = ClockForm::none;
  int day = 0;
  int parts[3] = {0, 0, 0};
  bool short_year = false;  // the last part has two digits
  double value = 0;
  double second = 0;  // of the day, or of the UTC day
};

// Two-digit years: 00 to 68 are 20xx.
constexpr int full_year(int year, std::size_t digits) {
  return digits > 2 ? year : year <= 68 ? 2000 + year : 1900 + year;
}

constexpr bool is_date(int year, int month, int day) {
  return month >= 1 && month <= 12 && day >= 1 && day <= days_in_month(year, month);
}

class DateTextReader {
 public:
  // `months` are lower-case names, the first twelve for January to December, and
  // so on in twelves; texts must be lower-case too.
  explicit DateTextReader(const std::vector<std::string>& months) : months_(months) {}

  DateText read(const std::string& text) const {
    DateText result = read_iso(text);
    if (result.form != DateForm::unreadable) return result;
    if (read_number(text, result)) return result;
    std::string rest = text;
    if (!take_clock(rest, result)) return DateText();
    std::vector<std::string> parts;
    if (!split(rest, parts)) return DateText();
    if (parts.size() != 3 || !read_parts(parts, result)) return DateText();
    return result;
  }

 private:
  const std::vector<std::string>& months_;

  static bool digit(char c) { return c >= '0' && c <= '9'; }
  static bool all_digits(const std::string& text) {
    for (const char c : text) {
      if (!digit(c)) return false;
    }
    return !text.empty();
  }

  static DateText read_iso(const std::string& text) {
    DateText result;
    const IsoMoment moment = IsoReader(text.data(), text.size()).read();
    if (moment.reading == Reading::unreadable) return result;
    result.form = moment.reading == Reading::blank ? DateForm::blank : DateForm::date;
    result.clock = moment.reading == Reading::local_time ? ClockForm::local
                   : moment.reading == Reading::utc_time ? ClockForm::utc
                                                         : ClockForm::none;
    result.day = moment.day;
    result.second = moment.second_of_day;
    return result;
  }

  // Takes a clock such as 6:30, 18:45:10 or 4:20 pm out of the text.
  static bool take_clock(std::string& text, DateText& result) {
    const std::size_t colon = text.find(':');
    if (colon == std::string::npos) return true;
    std::size_t from = colon, to = colon + 1;
    while (from > 0 && digit(text[from - 1])) --from;
    while (to < text.size() && (digit(text[to]) || text[to] == ':' || text[to] == '.')) ++to;
    std::string clock = text.substr(from, to - from);
    if (colon - from == 1) clock.insert(0, "0");
    const int half = take_half(text, to);
    // Any day will do to have the clock read, and refused, as ISO 8601 does.
    const std::string probe = "2000-01-01T" + clock;
    const IsoMoment moment = IsoReader(probe.data(), probe.size()).read();
    if (moment.reading != Reading::local_time) return false;
    result.second = moment.second_of_day;
    if (half >= 0) {
      if (result.second < 3600 || result.second >= 13 * 3600) return false;
      result.second += (half == 1 ? 12 : 0) * 3600 - (result.second >= 12 * 3600 ? 12 * 3600 : 0);
    }
    result.clock = ClockForm::local;
    text = text.substr(0, from) + " " + text.substr(to);
    return true;
  }

  // 0 for am, 1 for pm, -1 for neither; moves `to` behind it.
  static int take_half(const std::string& text, std::size_t& to) {
    std::size_t at = to;
    while (at < text.size() && text[at] == ' ') ++at;
    for (const char* word : {"am", "pm", "a.m.", "p.m."}) {
      const std::size_t length = std::char_traits<char>::length(word);
      if (text.compare(at, length, word) != 0) continue;
      to = at + length;
      return word[0] == 'p';
    }
    return -1;
  }

  // Numbers and words; a weekday, the t between date and clock and the endings of
  // 1st, 2nd, 3rd and 4th say nothing more.
  static bool split(const std::string& text, std::vector<std::string>& parts) {
    static const char* const idle[] = {"monday", "tuesday", "wednesday", "thursday", "friday",
                                       "saturday", "sunday"};
    for (std::size_t at = 0; at < text.size();) {
      if (std::strchr(" -/.,_\t\r\n", text[at])) {
        ++at;
        continue;
      }
      const bool number = digit(text[at]);
      std::size_t to = at;
      while (to < text.size() && digit(text[to]) == number &&
             !std::strchr(" -/.,_\t\r\n", text[to])) {
        ++to;
      }
      std::string part = text.substr(at, to - at);
      const bool after_number = at > 0 && digit(text[at - 1]);
      at = to;
      if (!number) {
        if (part == "t" || part == "of") continue;
        if (after_number && (part == "st" || part == "nd" || part == "rd" || part == "th")) continue;
        bool weekday = false;
        for (const char* name : idle) {
          weekday = weekday || (part.size() >= 3 && std::string(name).compare(0, part.size(), part) == 0);
        }
        if (weekday && parts.empty()) continue;
      }
      if (part.size() > 20) return false;
      parts.push_back(part);
    }
    return !parts.empty();
  }

  // Digits with at most one point among them, a minus before.
  static bool read_number(const std::string& text, DateText& result) {
    const std::size_t from = text.find_first_not_of(' ');
    const std::size_t to = text.find_last_not_of(' ') + 1;
    const std::string number = text.substr(from, to - from);
    const std::string digits = number[0] == '-' ? number.substr(1) : number;
    const std::size_t point = digits.find('.');
    std::string whole = digits;
    if (point != std::string::npos) whole.erase(point, 1);
    if (!all_digits(whole) || whole.size() > 18) return false;
    result.value = std::strtod(number.c_str(), nullptr);
    result.form = DateForm::number;
    return true;
  }

  // 1 to 12, or 0 where the word is no month; three letters are enough.
  int month_named(const std::string& word) const {
    if (word.size() < 3) return 0;
    for (std::size_t i = 0; i < months_.size(); ++i) {
      if (months_[i].compare(0, word.size(), word) == 0) return static_cast<int>(i % 12) + 1;
    }
    return 0;
  }

  bool read_parts(const std::vector<std::string>& parts, DateText& result) const {
    int named = -1;
    for (int i = 0; i < 3; ++i) {
      if (all_digits(parts[i])) {
        if (parts[i].size() > 4) return false;
      } else if (named >= 0) {
        return false;
      } else {
        named = i;
      }
    }
    return named >= 0 ? read_named(parts, named, result) : read_numbers(parts, result);
  }

  bool read_named(const std::vector<std::string>& parts, int named, DateText& result) const {
    const int month = month_named(parts[named]);
    const std::string& first = parts[named == 0 ? 1 : 0];
    const std::string& last = parts[2];
    if (month == 0 || named == 2) return false;
    const bool year_first = first.size() == 4;
    const std::string& year_text = year_first ? first : last;
    const std::string& day_text = year_first ? last : first;
    if (day_text.size() > 2 || (year_text.size() != 2 && year_text.size() != 4)) return false;
    const int year = full_year(std::stoi(year_text), year_text.size());
    const int day = std::stoi(day_text);
    if (!is_date(year, month, day)) return false;
    result.form = DateForm::date;
    result.day = day_number(year, month, day);
    return true;
  }

  static bool read_numbers(const std::vector<std::string>& parts, DateText& result) {
    for (int i = 0; i < 3; ++i) result.parts[i] = std::stoi(parts[i]);
    if (parts[0].size() == 4) {
      if (parts[1].size() > 2 || parts[2].size() > 2) return false;
      if (!is_date(result.parts[0], result.parts[1], result.parts[2])) return false;
      result.form = DateForm::date;
      result.day = day_number(result.parts[0], result.parts[1], result.parts[2]);
      return true;
    }
    if (parts[0].size() > 2 || parts[1].size() > 2) return false;
    if (parts[2].size() != 2 && parts[2].size() != 4) return false;
    result.form = DateForm::numbers;
    result.short_year = parts[2].size() == 2;
    return true;
  }
};

// The day number of three parts read in an order such as "dmy", or nothing.
inline bool ordered_day(const DateText& text, const char* order, int& day) {
  int value[3] = {0, 0, 0};  // year, month, day
  for (int i = 0; i < 3; ++i) {
    value[order[i] == 'y' ? 0 : order[i] == 'm' ? 1 : 2] = text.parts[i];
  }
  if (order[0] == 'y' && !text.short_year) return false;
  const bool two_digits = order[0] == 'y' || text.short_year;
  value[0] = full_year(value[0], two_digits ? 2 : 4);
  if (!is_date(value[0], value[1], value[2])) return false;
  day = day_number(value[0], value[1], value[2]);
  return true;
}

}  // namespace ridge
