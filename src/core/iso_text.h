// ISO 8601 dates and date-times from text.
#pragma once
#include "core/calendar.h"
#include <cstddef>
#include <cstdint>

namespace ridge {

enum class Reading { blank, date, local_time, utc_time, unreadable };

struct IsoMoment {
  Reading reading;
  int day;
  double second_of_day;  // of the civil day, or of the UTC day for utc_time
};

class IsoReader {
 public:
  IsoReader(const char* text, std::size_t length) : at_(text), end_(text + length) {}

  IsoMoment read() {
    while (at_ < end_ && is_space(*at_)) ++at_;
    while (end_ > at_ && is_space(end_[-1])) --end_;
    if (at_ == end_) return {Reading::blank, 0, 0};
    int day = 0;
    if (!read_date(day)) return unreadable();
    if (at_ == end_) return {Reading::date, day, 0};
    if (*at_ != 'T' && *at_ != 't' && *at_ != ' ') return unreadable();
    ++at_;
    double second = 0;
    if (!read_clock(second)) return unreadable();
    if (at_ == end_) return {Reading::local_time, day, second};
    int offset = 0;
    if (!read_offset(offset) || at_ != end_) return unreadable();
    return {Reading::utc_time, day, second - offset};
  }

 private:
  const char* at_;
  const char* end_;

  static IsoMoment unreadable() { return {Reading::unreadable, 0, 0}; }
  static bool is_space(char c) { return c == ' ' || c == '\t' || c == '\r' || c == '\n'; }

  bool digits(int count, int& value) {
    if (end_ - at_ < count) return false;
    value = 0;
    for (int i = 0; i < count; ++i) {
      if (at_[i] < '0' || at_[i] > '9') return false;
      value = 10 * value + (at_[i] - '0');
    }
    at_ += count;
    return true;
  }

  bool skip(char c) {
    if (at_ == end_ || *at_ != c) return false;
    ++at_;
    return true;
  }

  bool read_date(int& day) {
    int year = 0, month = 0, day_of_month = 0;
    if (!digits(4, year)) return false;
    const bool dashes = skip('-');
    if (!digits(2, month)) return false;
    if (dashes && !skip('-')) return false;
    if (!digits(2, day_of_month)) return false;
    if (month < 1 || month > 12) return false;
    if (day_of_month < 1 || day_of_month > days_in_month(year, month)) return false;
    day = day_number(year, month, day_of_month);
    return true;
  }

  bool read_clock(double& second) {
    int hour = 0, minute = 0, whole = 0;
    double fraction = 0;
    if (!digits(2, hour)) return false;
    const bool colons = skip(':');
    if (!digits(2, minute)) return false;
    if (colons ? skip(':') : next_is_digit()) {
      if (!digits(2, whole)) return false;
      if (skip('.') || skip(',')) {
        if (!read_fraction(fraction)) return false;
      }
    }
    const bool end_of_day = hour == 24 && minute == 0 && whole == 0 && fraction == 0;
    if ((hour > 23 && !end_of_day) || minute > 59 || whole > 59) return false;
    second = 3600.0 * hour + 60.0 * minute + whole + fraction;
    return true;
  }

  bool next_is_digit() const { return at_ < end_ && *at_ >= '0' && *at_ <= '9'; }

  bool read_fraction(double& fraction) {
    if (!next_is_digit()) return false;
    double numerator = 0, denominator = 1;
    for (; next_is_digit(); ++at_) {
      numerator = 10 * numerator + (*at_ - '0');
      denominator *= 10;
    }
    fraction = numerator / denominator;
    return true;
  }

  bool read_offset(int& seconds) {
    if (skip('Z') || skip('z')) return true;
    const int sign = skip('+') ? 1 : skip('-') ? -1 : 0;
    int hours = 0, minutes = 0;
    if (sign == 0 || !digits(2, hours)) return false;
    if (skip(':') || next_is_digit()) {
      if (!digits(2, minutes)) return false;
    }
    if (hours > 15 || minutes > 59) return false;
    seconds = sign * (3600 * hours + 60 * minutes);
    return true;
  }
};

}  // namespace ridge
