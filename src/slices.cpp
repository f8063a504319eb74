#include "core/scaffold.h"
#include "core/threads.h"
#include "ticks.h"
#include <numeric>

using namespace ridge;

namespace {

// The columns of slices: period, its end, the slice's start and end. Ends are shown
// `less` than the stop, which is what the timeline says of its last day.
class SliceColumns {
 public:
  SliceColumns(R_xlen_t rows, bool on_days, double less)
      : on_days_(on_days), less_(less), period_(new_doubles(rows)), period_end_(new_doubles(rows)),
        start_(new_doubles(rows)), end_(new_doubles(rows)),
        length_(new_numbers(on_days ? INTSXP : REALSXP, rows)), period(REAL(period_)),
        period_end(REAL(period_end_)), start(REAL(start_)), end(REAL(end_)),
        days(on_days ? INTEGER(length_) : nullptr), hours(on_days ? nullptr : REAL(length_)) {}

  void set(R_xlen_t row, const Axis<std::int32_t>& axis, int p, std::int32_t from,
           std::int32_t to, std::int32_t covered) {
    period[row] = axis.first[p];
    period_end[row] = axis.stop[p] - less_;
    start[row] = from;
    end[row] = to - less_;
    days[row] = covered;
  }

  void set(R_xlen_t row, const Axis<std::int64_t>& axis, int p, std::int64_t from,
           std::int64_t to, std::int64_t covered) {
    period[row] = axis.first[p] / 1e6;
    period_end[row] = axis.stop[p] / 1e6 - less_;
    start[row] = from / 1e6;
    end[row] = to / 1e6 - less_;
    hours[row] = covered / 3.6e9;
  }

  SEXP listed(std::initializer_list<std::pair<const char*, SEXP>> before) const {
    std::vector<std::pair<const char*, SEXP>> items(before);
    items.insert(items.end(), {{"period", period_}, {"period_end", period_end_}, {"start", start_},
                               {"end", end_}, {on_days_ ? "days" : "hours", length_}});
    return named_list(items);
  }

 private:
  bool on_days_;
  double less_;
  Shield period_, period_end_, start_, end_, length_;

 public:
  double *period, *period_end, *start, *end;
  int* days;
  double* hours;
};

constexpr const char* too_many_rows = "There are more rows than were counted.";

template <class Number>
void repeat_into(const Number* values, const int* times, std::size_t n, int threads, Number* to) {
  std::vector<R_xlen_t> at(threads + 1, 0);
  for (int t = 0; t < threads; ++t) {
    const Block own = block_of(n, threads, t);
    at[t + 1] = std::accumulate(times + own.from, times + own.to, at[t]);
  }
  in_parallel(threads, [&](int t) {
    const Block own = block_of(n, threads, t);
    Number* next = to + at[t];
    for (std::size_t i = own.from; i < own.to; ++i) next = std::fill_n(next, times[i], values[i]);
  });
}

// Calls put(part, t, row) for the records of each thread and the row that their first one has;
// there have to be as many rows as were counted.
template <class Tick, class Locator, class Put>
void put_slices(Rule rule, const Spans<Tick>& spans, const Locator& locator, PeriodRange window, R_xlen_t rows,
                int threads, Put put) {
  std::vector<R_xlen_t> at(threads + 1, 0);
  const auto part_of = [&](int t) {
    const Block own = block_of(spans.size, threads, t);
    return spans.part(own.from, own.to);
  };
  in_parallel(threads, [&](int t) {
    each_shown(rule, part_of(t), locator, window, [&](std::size_t, ShownPeriods shown) { at[t + 1] += shown.to - shown.from; });
  });
  for (int t = 0; t < threads; ++t) at[t + 1] += at[t];
  door::require(at[threads] == rows, "There are not as many rows as were counted.");
  in_parallel(threads, [&](int t) { put(part_of(t), t, at[t]); });
}

}  // namespace

// Each value as many times as said; integer or double, without attributes.
// [[Rcpp::export]]
SEXP repeat_numbers(SEXP values, Rcpp::IntegerVector times, int threads) {
  const int most = door::threads(threads);
  R_xlen_t total = 0;
  for (const int count : times) {
    door::require(count >= 0, "Numbers are repeated 0 times or more.");
    total += count;
  }
  door::require((TYPEOF(values) == INTSXP || TYPEOF(values) == REALSXP) &&
                    Rf_xlength(values) == times.size() && total < never<std::int32_t>(),
                "Numbers to repeat and times must be as many.");
  const Shield result(new_numbers(TYPEOF(values), total));
  const std::size_t n = times.size();
  if (TYPEOF(values) == INTSXP) repeat_into(INTEGER_RO(values), times.begin(), n, most, INTEGER(result));
  else repeat_into(REAL_RO(values), times.begin(), n, most, REAL(result));
  return result;
}

namespace {

template <class Number>
bool take_at(const Number* values, std::size_t size, const int* place, std::size_t n, std::int64_t first, int threads,
             Number* taken) {
  std::atomic<bool> sound{true};
  in_blocks(n, threads, [&](std::size_t i, std::size_t end) {
    bool within = true;
    for (; i < end; ++i) {
      const std::size_t soon = i + 32 < end ? static_cast<std::size_t>(place[i + 32] - first) : size;
      if (soon < size) fetch(values + soon);
      const std::size_t at = static_cast<std::size_t>(place[i] - first);
      within &= at < size;
      taken[i] = values[at < size ? at : 0];
    }
    if (!within) sound = false;
  });
  return sound;
}

}  // namespace

// The numbers that stand at these places, the first of which has the number `from`.
// [[Rcpp::export]]
SEXP numbers_at(SEXP values, Rcpp::IntegerVector places, int from, int threads) {
  const int most = door::threads(threads);
  door::require(TYPEOF(values) == INTSXP || TYPEOF(values) == REALSXP, "What is taken must be numbers.");
  const std::size_t size = Rf_xlength(values), n = places.size();
  door::require(size > 0 || n == 0, "There is nothing to take.");
  const Shield taken(new_numbers(TYPEOF(values), n));
  const bool sound = TYPEOF(values) == INTSXP
                         ? take_at(INTEGER_RO(values), size, places.begin(), n, from, most, INTEGER(taken))
                         : take_at(REAL_RO(values), size, places.begin(), n, from, most, REAL(taken));
  door::require(sound, "Each place must be one of the values.");
  return taken;
}

// The same of texts.
// [[Rcpp::export]]
SEXP texts_at(Rcpp::CharacterVector texts, Rcpp::IntegerVector places, int from) {
  const std::int64_t size = texts.size(), n = places.size(), first = from;
  const int* const place = places.begin();
  const bool sound = std::all_of(place, place + n, [&](int at) { return at >= first && at - first < size; });
  door::require(sound, "Each place must be one of the values.");
  const SEXP* const values = STRING_PTR_RO(texts);
  return Rcpp::unwindProtect([&]() -> SEXP {
    const SEXP taken = PROTECT(Rf_allocVector(STRSXP, n));
    for (R_xlen_t i = 0; i < n; ++i) {
      if (i + 32 < n) fetch(values + (place[i + 32] - first));
      if (i + 16 < n) fetch_text(values[place[i + 16] - first]);
      SET_STRING_ELT(taken, i, values[place[i] - first]);
    }
    UNPROTECT(1);
    return taken;
  });
}

// How many rows each record has in the scaffold.
// [[Rcpp::export]]
SEXP kernel_slice_counts(SEXP start, SEXP stop, SEXP first, SEXP last, int from, int to,
                         std::string rule, int threads) {
  const Rule by_rule = rule_named(rule);
  const int most = door::threads(threads);
  door::check_spans(start, stop, most);
  door::check_window(from, to, first);
  const Shield counts(new_integers(Rf_xlength(start)));
  int* const count = INTEGER(counts);
  with_ticks(start, stop, first, last, most, [&](auto spans, auto, auto locator) {
    in_blocks(spans.size, most, [&](std::size_t begin, std::size_t end) {
      std::fill(count + begin, count + end, 0);
      each_shown(by_rule, spans.part(begin, end), locator, PeriodRange{from, to},
                 [&](std::size_t i, ShownPeriods shown) { count[begin + i] = shown.to - shown.from; });
    });
  });
  return counts;
}

// The scaffold of all records: which period it is to the record, and the slice's columns.
// By day a slice is its period, so only `period` is filled.
// [[Rcpp::export]]
SEXP kernel_slices(SEXP start, SEXP stop, SEXP first, SEXP last, int from, int to, std::string rule,
                   double less, double rows, bool daily, int threads) {
  const Rule by_rule = rule_named(rule);
  const int most = door::threads(threads);
  const R_xlen_t n = door::rows(rows);
  door::check_window(from, to, first);
  const PeriodRange window{from, to};
  const Shield nth(new_integers(n));
  int* const steps = INTEGER(nth);
  if (daily) {
    const Shield period(new_doubles(n));
    double* const periods = REAL(period);
    with_ticks(start, stop, first, last, most, [&](auto spans, auto axis, auto locator) {
      put_slices(by_rule, spans, locator, window, n, most, [&](const auto& part, int t, R_xlen_t row) {
        Countdown countdown;
        each_shown(by_rule, part, locator, window, [&](std::size_t, ShownPeriods shown) {
          const int count = shown.to - shown.from;
          const int day = static_cast<int>(axis.first[shown.from]);
          if (t == 0) countdown.step(count);
          for (int k = 0; k < count; ++k) steps[row + k] = shown.step + k;
          for (int k = 0; k < count; ++k) periods[row + k] = day + k;
          row += count;
        });
      });
    });
    return named_list({{"nth", nth}, {"period", period}});
  }
  SliceColumns slices(n, TYPEOF(start) == INTSXP, less);
  with_ticks(start, stop, first, last, most, [&](auto spans, auto axis, auto locator) {
    put_slices(by_rule, spans, locator, window, n, most, [&](const auto& part, int t, R_xlen_t row) {
      Countdown countdown;
      each_shown(by_rule, part, locator, window, [&](std::size_t i, ShownPeriods shown) {
        if (t == 0) countdown.step(1 + shown.to - shown.from);
        for (int p = shown.from; p < shown.to; ++p, ++row) {
          const auto begin = std::max(part.start[i], axis.first[p]);
          const auto end = std::min(part.stop[i], axis.stop[p]);
          steps[row] = shown.step + p - shown.from;
          slices.set(row, axis, p, begin, end, end - begin);
        }
      });
    });
  });
  return slices.listed({{"nth", nth}});
}

// [[Rcpp::export]]
double kernel_key_slice_count(SEXP start, SEXP stop, SEXP first, SEXP last, SEXP key, int from,
                              int to, std::string rule) {
  const Rule by_rule = rule_named(rule);
  const int* const lines = door::keys(key, start);
  door::check_window(from, to, first);
  door::require(lines || Rf_xlength(start) == 0, "Slices of keys need keys.");
  return with_ticks(start, stop, first, last, 1, [&](auto spans, auto axis, auto locator) {
    double rows = 0;
    Countdown countdown;
    each_key_slice(by_rule, spans, lines, axis, locator, PeriodRange{from, to}, [&](const auto&) {
      countdown.step();
      ++rows;
    });
    return rows;
  });
}

// The scaffold of keys, by the order of their codes: key (code from 1), which period it
// is to the key, place (of the period in the window, from 1) and the slice's columns.
// [[Rcpp::export]]
SEXP kernel_key_slices(SEXP start, SEXP stop, SEXP first, SEXP last, SEXP key, int from, int to,
                       std::string rule, double less, double rows) {
  const Rule by_rule = rule_named(rule);
  const R_xlen_t n = door::rows(rows);
  door::check_window(from, to, first);
  const Shield code(new_integers(n)), nth(new_integers(n)), place(new_integers(n));
  SliceColumns slices(n, TYPEOF(start) == INTSXP, less);
  const int* const lines = door::keys(key, start);
  door::require(lines || Rf_xlength(start) == 0, "Slices of keys need keys.");
  Countdown countdown;
  with_ticks(start, stop, first, last, 1, [&](auto spans, auto axis, auto locator) {
    R_xlen_t row = 0;
    each_key_slice(by_rule, spans, lines, axis, locator, PeriodRange{from, to}, [&](const auto& slice) {
      countdown.step();
      door::require(row < n, too_many_rows);
      INTEGER(code)[row] = slice.key + 1;
      INTEGER(nth)[row] = slice.step;
      INTEGER(place)[row] = slice.period - from + 1;
      slices.set(row++, axis, slice.period, slice.start, slice.stop, slice.covered);
    });
  });
  return slices.listed({{"key", code}, {"nth", nth}, {"place", place}});
}
