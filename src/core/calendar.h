// Civil dates as day numbers (day 0 is 1970-01-01) and the grains cut from them.
#pragma once
#include <cstdint>
#include <limits>
#include <vector>

namespace ridge {

struct CivilDate {
  int year;
  int month;
  int day;
};

template <class Int> constexpr Int floor_div(Int a, Int b) {
  return a / b - ((a % b != 0) && ((a < 0) != (b < 0)));
}

constexpr bool is_leap_year(int year) {
  return year % 4 == 0 && (year % 100 != 0 || year % 400 == 0);
}

constexpr int days_in_month(int year, int month) {
  constexpr int lengths[] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
  return month == 2 && is_leap_year(year) ? 29 : lengths[month - 1];
}

// Years are taken to begin in March, so that the leap day is their last one.
constexpr int day_number(int year, int month, int day) {
  const int y = month <= 2 ? year - 1 : year;
  const int months_since_march = (month + 9) % 12;
  const int day_of_year = (153 * months_since_march + 2) / 5 + day - 1;
  const int leap_days = floor_div(y, 4) - floor_div(y, 100) + floor_div(y, 400);
  constexpr int march_of_year_zero = -719468;
  return 365 * y + leap_days + day_of_year + march_of_year_zero;
}

// A missing day, the smallest integer, is no date: year 0.
constexpr CivilDate civil_date(int day) {
  constexpr int march_of_year_zero = -719468;
  constexpr int days_in_era = 146097;
  if (day == std::numeric_limits<int>::min()) return {0, 0, 0};
  const std::int64_t shifted = static_cast<std::int64_t>(day) - march_of_year_zero;
  const int era = static_cast<int>(floor_div<std::int64_t>(shifted, days_in_era));
  const int in_era = static_cast<int>(shifted - static_cast<std::int64_t>(era) * days_in_era);
  const int year_in_era =
      (in_era - in_era / 1460 + in_era / 36524 - in_era / (days_in_era - 1)) / 365;
  const int day_of_year =
      in_era - (365 * year_in_era + year_in_era / 4 - year_in_era / 100);
  const int months_since_march = (5 * day_of_year + 2) / 153;
  const int month = months_since_march < 10 ? months_since_march + 3 : months_since_march - 9;
  return {year_in_era + era * 400 + (month <= 2), month,
          day_of_year - (153 * months_since_march + 2) / 5 + 1};
}

// 1 is Monday, 7 is Sunday.
constexpr int weekday(int day) {
  const std::int64_t shifted = static_cast<std::int64_t>(day) + 3;
  return static_cast<int>(shifted - 7 * floor_div<std::int64_t>(shifted, 7)) + 1;
}

// A grain of whole days: steps of `size` days, or of `size` months, counted
// from a fixed origin so that multiples never depend on the data.
struct DayGrain {
  bool in_months;
  int size;
  int origin;  // a day number, or a month number (12 * year + month - 1)

  int floor(int day) const {
    if (!in_months) return origin + floor_div(day - origin, size) * size;
    const CivilDate date = civil_date(day);
    const int month = 12 * date.year + date.month - 1;
    return first_of_month(origin + floor_div(month - origin, size) * size);
  }

  int next(int first) const {
    if (!in_months) return first + size;
    const CivilDate date = civil_date(first);
    return first_of_month(12 * date.year + date.month - 1 + size);
  }

  static int first_of_month(int month) {
    const int year = floor_div(month, 12);
    return day_number(year, month - 12 * year + 1, 1);
  }
};

// First days of all periods that touch [from, to], and the day after the last.
inline std::vector<int> period_bounds(const DayGrain& grain, int from, int to) {
  std::vector<int> bounds;
  int first = grain.floor(from);
  for (; first <= to; first = grain.next(first)) bounds.push_back(first);
  bounds.push_back(first);
  return bounds;
}

}  // namespace ridge
