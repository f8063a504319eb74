#include "core/calendar.h"
#include "core/date_text.h"
#include "core/threads.h"
#include "door.h"
#include "r-objects.h"
#include <Rcpp.h>
#include <cmath>
#include <cstdint>
#include <cstdlib>
#include <vector>

using namespace ridge;

// Reads ISO 8601 texts. `kind`: 0 blank, 1 date, 2 local time, 3 UTC time,
// 4 unreadable; `day` is a day number, `second` the second of that day.
// [[Rcpp::export]]
Rcpp::List read_iso_text(Rcpp::CharacterVector text) {
  const R_xlen_t n = text.size();
  const SEXP* const texts = STRING_PTR_RO(text);
  Rcpp::IntegerVector kind(n), day(n);
  Rcpp::NumericVector second(n);
  for (R_xlen_t i = 0; i < n; ++i) {
    if ((i & 0xffff) == 0) check_interrupt();
    const SEXP value = texts[i];
    if (value == NA_STRING) continue;
    const IsoMoment moment = IsoReader(CHAR(value), LENGTH(value)).read();
    kind[i] = static_cast<int>(moment.reading);
    day[i] = moment.day;
    second[i] = moment.second_of_day;
  }
  return Rcpp::List::create(Rcpp::_["kind"] = kind, Rcpp::_["day"] = day,
                            Rcpp::_["second"] = second);
}

namespace {

// The days of texts met before, by their addresses: the same text comes many times.
class KnownDays {
 public:
  // False where it is neither a date nor blank.
  bool day_of(SEXP text, int& day) {
    Entry& entry = entries_[(reinterpret_cast<std::uintptr_t>(text) >> 4) % size];
    if (entry.text != text) {
      const IsoMoment moment = text == NA_STRING ? IsoMoment{Reading::blank, 0, 0}
                                                 : IsoReader(CHAR(text), LENGTH(text)).read();
      if (moment.reading != Reading::date && moment.reading != Reading::blank) return false;
      entry = {text, moment.reading == Reading::date ? moment.day : NA_INTEGER};
    }
    day = entry.day;
    return true;
  }

 private:
  static constexpr std::size_t size = 16384;
  struct Entry {
    SEXP text;
    int day;
  };
  std::vector<Entry> entries_ = std::vector<Entry>(size, Entry{nullptr, 0});
};

}  // namespace

// Texts that are all dates of ISO 8601, or blank, as days; NULL where some are anything else.
// [[Rcpp::export]]
SEXP iso_days(Rcpp::CharacterVector texts, int threads) {
  const R_xlen_t n = texts.size();
  const SEXP* const from = STRING_PTR_RO(texts);
  const Shield days(new_integers(n));
  int* const to = INTEGER(days);
  std::atomic<bool> sound{true};
  in_blocks(n, door::threads(threads), [&](std::size_t i, std::size_t end) {
    KnownDays known;
    for (; i < end && sound; ++i) {
      if (!known.day_of(from[i], to[i])) sound = false;
    }
  });
  return sound ? static_cast<SEXP>(days) : R_NilValue;
}

// [[Rcpp::export]]
Rcpp::IntegerVector day_numbers(Rcpp::IntegerVector year, Rcpp::IntegerVector month,
                                Rcpp::IntegerVector day) {
  door::require(month.size() == year.size() && day.size() == year.size(),
                "Years, months and days must be as many.");
  Rcpp::IntegerVector number(year.size());
  for (R_xlen_t i = 0; i < number.size(); ++i) {
    // What is missing, in no month, or a million years away has no number.
    const auto within = [](int value, int from, int to) { return value >= from && value <= to; };
    const bool sound = within(year[i], -1000000, 1000000) && within(month[i], 1, 12) &&
                       within(day[i], -1000, 1000);
    number[i] = sound ? day_number(year[i], month[i], day[i]) : NA_INTEGER;
  }
  return number;
}

// Are all that are there whole, and finite?
// [[Rcpp::export]]
bool are_whole_days(SEXP days) {
  door::require(TYPEOF(days) == REALSXP, "Days must be numbers.");
  const double* const numbers = REAL_RO(days);
  for (R_xlen_t i = 0; i < Rf_xlength(days); ++i) {
    const double day = numbers[i];
    if (!std::isnan(day) && !(std::fabs(day) < 1e9 && day == std::floor(day))) return false;
  }
  return true;
}

// Year, month, day and weekday (1 is Monday) of day numbers.
// [[Rcpp::export]]
Rcpp::List civil_dates(Rcpp::IntegerVector days) {
  const R_xlen_t n = days.size();
  Rcpp::IntegerVector year(n), month(n), day(n), week_day(n);
  for (R_xlen_t i = 0; i < n; ++i) {
    if (days[i] == NA_INTEGER) {
      year[i] = month[i] = day[i] = week_day[i] = NA_INTEGER;
      continue;
    }
    const CivilDate date = civil_date(days[i]);
    year[i] = date.year;
    month[i] = date.month;
    day[i] = date.day;
    week_day[i] = weekday(days[i]);
  }
  return Rcpp::List::create(Rcpp::_["year"] = year, Rcpp::_["month"] = month,
                            Rcpp::_["day"] = day, Rcpp::_["weekday"] = week_day);
}

// First days of the periods that touch [from, to], and the day after the last.
// [[Rcpp::export]]
Rcpp::IntegerVector grain_bounds(bool in_months, int size, int origin, int from, int to) {
  door::require(size > 0 && size < 100000 && std::abs(origin) < door::most_days,
                "A grain must have a size and an origin.");
  door::require(door::is_tick(from) && door::is_tick(to), "Periods must lie in a calendar.");
  return Rcpp::wrap(period_bounds(DayGrain{in_months, size, origin}, from, to));
}

// Reads texts, in lower case, as people write dates. `form`: 0 blank, 1 decided,
// 2 three numbers, 3 one number, 4 unreadable; `clock`: 0 none, 1 local, 2 UTC.
// For three numbers `dmy`, `mdy` and `ymd` hold the day in each order, or NA.
// [[Rcpp::export]]
Rcpp::List read_date_text(Rcpp::CharacterVector text, std::vector<std::string> months) {
  const R_xlen_t n = text.size();
  const SEXP* const texts = STRING_PTR_RO(text);
  Rcpp::IntegerVector form(n), clock(n), day(n), dmy(n, NA_INTEGER), mdy(n, NA_INTEGER),
      ymd(n, NA_INTEGER);
  Rcpp::NumericVector second(n), value(n);
  const DateTextReader reader(months);
  const auto in_order = [](const DateText& read, const char* order) {
    int found = 0;
    return ordered_day(read, order, found) ? found : NA_INTEGER;
  };
  for (R_xlen_t i = 0; i < n; ++i) {
    if ((i & 0xffff) == 0) check_interrupt();
    const SEXP item = texts[i];
    if (item == NA_STRING) continue;
    const DateText read = reader.read(std::string(CHAR(item), LENGTH(item)));
    form[i] = static_cast<int>(read.form);
    clock[i] = static_cast<int>(read.clock);
    day[i] = read.day;
    second[i] = read.second;
    value[i] = read.value;
    if (read.form != DateForm::numbers) continue;
    dmy[i] = in_order(read, "dmy");
    mdy[i] = in_order(read, "mdy");
    ymd[i] = in_order(read, "ymd");
  }
  return Rcpp::List::create(Rcpp::_["form"] = form, Rcpp::_["clock"] = clock, Rcpp::_["day"] = day,
                            Rcpp::_["dmy"] = dmy, Rcpp::_["mdy"] = mdy, Rcpp::_["ymd"] = ymd,
                            Rcpp::_["second"] = second, Rcpp::_["value"] = value);
}
