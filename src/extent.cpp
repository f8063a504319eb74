#include "core/extent.h"
#include "core/threads.h"
#include "door.h"
#include "r-objects.h"
#include <Rcpp.h>
#include <algorithm>
#include <atomic>
#include <cmath>
#include <numeric>
#include <vector>

using namespace ridge;

namespace {

template <class Number> Rcpp::List extent_list(const std::vector<Extent<Number>>& parts, std::size_t n) {
  Extent<Number> all;
  for (const Extent<Number>& part : parts) all.add(part);
  const bool any = n > all.empty, ended = n > all.empty + all.open;
  return Rcpp::List::create(Rcpp::_["first"] = any ? static_cast<double>(all.first) : R_PosInf,
                            Rcpp::_["last_start"] = any ? static_cast<double>(all.last_start) : R_NegInf,
                            Rcpp::_["last_stop"] = ended ? static_cast<double>(all.last_stop) : R_NegInf,
                            Rcpp::_["open"] = static_cast<double>(all.open),
                            Rcpp::_["empty"] = static_cast<double>(all.empty));
}

template <class Number>
Rcpp::List extent_of(const Number* start, const Number* stop, std::size_t n, Number never, int threads) {
  std::vector<Extent<Number>> parts(threads);
  in_parallel(threads, [&](int t) {
    const Block own = block_of(n, threads, t);
    Extent<Number> part;
    for (std::size_t i = own.from; i < own.to; ++i) part.add(start[i], stop[i], never);
    parts[t] = part;
  });
  return extent_list(parts, n);
}

}  // namespace

// How far spans reach, and how many of them are open or empty.
// [[Rcpp::export]]
SEXP span_extent(SEXP start, SEXP stop, int threads) {
  const int most = door::threads(threads);
  door::check_spans(start, stop, most);
  const std::size_t n = Rf_xlength(start);
  if (TYPEOF(start) == INTSXP) {
    return extent_of(INTEGER_RO(start), INTEGER_RO(stop), n, never<int>(), most);
  }
  return extent_of(REAL_RO(start), REAL_RO(stop), n, R_PosInf, most);
}

namespace {

template <class Number> SEXP places_of(const Number* values, std::size_t n, Number wanted, int threads) {
  std::vector<std::size_t> at(threads + 1, 0);
  in_parallel(threads, [&](int t) {
    const Block own = block_of(n, threads, t);
    at[t + 1] = std::count(values + own.from, values + own.to, wanted);
  });
  std::partial_sum(at.begin(), at.end(), at.begin());
  const Shield places(new_integers(at[threads]));
  int* const all = INTEGER(places);
  in_parallel(threads, [&](int t) {
    const Block own = block_of(n, threads, t);
    int* next = all + at[t];
    for (std::size_t i = own.from; i < own.to; ++i) {
      if (values[i] == wanted) *next++ = static_cast<int>(i) + 1;
    }
  });
  return places;
}

}  // namespace

// Where stops, from 1, are those of open spans.
// [[Rcpp::export]]
SEXP open_places(SEXP stop, int threads) {
  const int most = door::threads(threads);
  const std::size_t n = Rf_xlength(stop);
  door::require(n < 2147483647 && (TYPEOF(stop) == INTSXP || TYPEOF(stop) == REALSXP), "Stops must be numbers.");
  return TYPEOF(stop) == INTSXP ? places_of(INTEGER_RO(stop), n, never<int>(), most)
                                : places_of(REAL_RO(stop), n, R_PosInf, most);
}

namespace {

// Which days are sound, and when spans stop. Each thread has its own, which no write can change.
struct DayRules {
  int first, last, last_end, behind;
  const int* open;
  const int* open_end;

  bool means_open(int day) const { return std::find(open, open_end, day) != open_end; }
};

inline bool is_missing(int value) { return value == NA_INTEGER; }
inline bool is_missing(double value) { return std::isnan(value); }

// Whether it is a day of the calendar.
template <class Number> bool is_day(Number value, Number first, Number last, int& day) {
  if (!(value >= first && value <= last)) return false;
  day = static_cast<int>(value);
  return day == value;
}

// False where one is not sound.
template <class Start, class End>
bool read_spans(const Start* start, const End* end, Block own, const DayRules rules, int* starts, int* stops,
                Extent<int>& extent) {
  Extent<int> met;
  const Start first_start = rules.first, last_start = rules.last;
  const End first_end = rules.first, last_end = rules.last;
  const bool none_mean_open = rules.open == rules.open_end;
  for (std::size_t i = own.from; i < own.to; ++i) {
    int begin = 0, day = 0, stop = never<int>();
    if (!is_day(start[i], first_start, last_start, begin)) return false;
    if (!is_missing(end[i])) {
      if (!is_day(end[i], first_end, last_end, day)) return false;
      if (none_mean_open || !rules.means_open(day)) {
        if (day < begin || day > rules.last_end) return false;
        stop = day + rules.behind;
      }
    }
    starts[i] = begin;
    stops[i] = stop;
    met.add(begin, stop, never<int>());
  }
  extent = met;
  return true;
}

// Calls read(values) with what a column of dates holds.
template <class Read> void with_days(SEXP column, Read read) {
  door::require(TYPEOF(column) == INTSXP || TYPEOF(column) == REALSXP, "Dates must be numbers.");
  if (TYPEOF(column) == INTSXP) read(INTEGER_RO(column));
  else read(REAL_RO(column));
}

}  // namespace

// Starts and stops of columns of dates, and their extent, in one pass: ends that are missing, or
// among those that mean it, are open; the others stop so many days behind. NULL where some record
// is not sound: a start is missing, something is no day from `first` to `last`, or ends before it
// starts.
// [[Rcpp::export]]
SEXP day_spans(SEXP start, SEXP end, Rcpp::IntegerVector means_open, int behind, int first, int last,
               int last_end, int threads) {
  const std::size_t n = Rf_xlength(start);
  door::require(n < 2147483647 && static_cast<std::size_t>(Rf_xlength(end)) == n,
                "Starts and ends must be as many.");
  door::require(behind >= 0 && behind <= 1, "A span stops at its end, or a day behind.");
  door::require(door::is_tick(first) && door::is_tick(last) && door::is_tick(last_end),
                "Days must lie in a calendar.");
  const DayRules rules{first, last, last_end, behind, means_open.begin(), means_open.end()};
  const int most = door::threads(threads);
  const Shield starts(new_integers(n)), stops(new_integers(n));
  int* const begins = INTEGER(starts);
  int* const ends = INTEGER(stops);
  std::vector<Extent<int>> parts(most);
  std::atomic<bool> sound{true};
  with_days(start, [&](const auto* from) {
    with_days(end, [&](const auto* to) {
      in_parallel(most, [&](int t) {
        if (!read_spans(from, to, block_of(n, most, t), rules, begins, ends, parts[t])) sound = false;
      });
    });
  });
  if (!sound) return R_NilValue;
  const Shield extent(extent_list(parts, n));
  return named_list({{"start", starts}, {"stop", stops}, {"extent", extent}});
}
