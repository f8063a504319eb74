#include "core/scaffold.h"
#include "ticks.h"

using namespace ridge;

namespace {

// The columns of slices: period, its last day, the slice's first and last day.
// On instants ends are not counted, so they are the moments themselves.
class SliceColumns {
 public:
  SliceColumns(R_xlen_t rows, bool on_days)
      : on_days_(on_days), period(rows), period_end(rows), start(rows), end(rows),
        length(Rf_allocVector(on_days ? INTSXP : REALSXP, rows)) {}

  void set(R_xlen_t row, const Axis<std::int32_t>& axis, int p, std::int32_t from,
           std::int32_t to, std::int32_t covered) {
    period[row] = axis.first[p];
    period_end[row] = axis.stop[p] - 1;
    start[row] = from;
    end[row] = to - 1;
    INTEGER(length)[row] = covered;
  }

  void set(R_xlen_t row, const Axis<std::int64_t>& axis, int p, std::int64_t from,
           std::int64_t to, std::int64_t covered) {
    period[row] = axis.first[p] / 1e6;
    period_end[row] = axis.stop[p] / 1e6;
    start[row] = from / 1e6;
    end[row] = to / 1e6;
    REAL(length)[row] = covered / 3.6e9;
  }

  void add_to(Rcpp::List& columns) const {
    columns["period"] = period;
    columns["period_end"] = period_end;
    columns["start"] = start;
    columns["end"] = end;
    columns[on_days_ ? "days" : "hours"] = length;
  }

 private:
  bool on_days_;

 public:
  Rcpp::NumericVector period, period_end, start, end;
  Rcpp::RObject length;
};

template <class Vector>
SEXP repeated_numbers(const Vector& values, const Rcpp::IntegerVector& times, R_xlen_t total) {
  Vector result(Rcpp::no_init(total));
  auto to = result.begin();
  for (R_xlen_t i = 0; i < times.size(); ++i) to = std::fill_n(to, times[i], values[i]);
  return result;
}

}  // namespace

// Each value as many times as said; integer or double, without attributes.
// [[Rcpp::export]]
SEXP repeat_numbers(SEXP values, Rcpp::IntegerVector times) {
  R_xlen_t total = 0;
  for (const int count : times) total += count;
  if (TYPEOF(values) == INTSXP) {
    return repeated_numbers(Rcpp::IntegerVector(values), times, total);
  }
  return repeated_numbers(Rcpp::NumericVector(values), times, total);
}

// How many rows each record has in the scaffold.
// [[Rcpp::export]]
Rcpp::IntegerVector count_scaffold_rows(SEXP start, SEXP stop, SEXP first, SEXP last, int from,
                                        int to, std::string rule) {
  const Rule by_rule = rule_named(rule);
  Rcpp::IntegerVector counts(Rf_xlength(start));
  with_ticks(start, stop, first, last, [&](auto spans, auto, auto locator) {
    each_shown(by_rule, spans, locator, PeriodRange{from, to},
               [&](std::size_t i, ShownPeriods shown) { counts[i] = shown.to - shown.from; });
  });
  return counts;
}

// The scaffold of all records: step and the slice's columns. By day a slice is
// its period, so only `period` is filled.
// [[Rcpp::export]]
Rcpp::List fill_scaffold(SEXP start, SEXP stop, SEXP first, SEXP last, int from, int to,
                         std::string rule, double rows, bool daily) {
  const Rule by_rule = rule_named(rule);
  const R_xlen_t n = static_cast<R_xlen_t>(rows);
  Rcpp::IntegerVector step(Rcpp::no_init(n));
  Rcpp::List columns = Rcpp::List::create(Rcpp::_["step"] = step);
  with_ticks(start, stop, first, last, [&](auto spans, auto axis, auto locator) {
    R_xlen_t row = 0;
    int* const steps = step.begin();
    if (daily) {
      Rcpp::NumericVector period(Rcpp::no_init(n));
      double* const periods = period.begin();
      each_shown(by_rule, spans, locator, PeriodRange{from, to},
                 [&](std::size_t, ShownPeriods shown) {
                   const int count = shown.to - shown.from;
                   const int day = static_cast<int>(axis.first[shown.from]);
                   for (int k = 0; k < count; ++k) steps[row + k] = shown.step + k;
                   for (int k = 0; k < count; ++k) periods[row + k] = day + k;
                   row += count;
                 });
      columns["period"] = period;
      return;
    }
    SliceColumns slices(n, TYPEOF(start) == INTSXP);
    each_shown(by_rule, spans, locator, PeriodRange{from, to},
               [&](std::size_t i, ShownPeriods shown) {
                 for (int p = shown.from; p < shown.to; ++p, ++row) {
                   const auto begin = std::max(spans.start[i], axis.first[p]);
                   const auto end = std::min(spans.stop[i], axis.stop[p]);
                   steps[row] = shown.step + p - shown.from;
                   slices.set(row, axis, p, begin, end, end - begin);
                 }
               });
    slices.add_to(columns);
  });
  return columns;
}

// [[Rcpp::export]]
double count_key_scaffold_rows(SEXP start, SEXP stop, SEXP first, SEXP last, SEXP key, int from,
                               int to, std::string rule) {
  const Rule by_rule = rule_named(rule);
  return with_ticks(start, stop, first, last, [&](auto spans, auto axis, auto locator) {
    double rows = 0;
    each_key_slice(by_rule, spans, INTEGER(key), axis, locator,
                   PeriodRange{from, to}, [&](const auto&) { ++rows; });
    return rows;
  });
}

// The scaffold of keys, by the order of their codes: key (code from 1), step,
// place (of the period in the window, from 1) and the slice's columns.
// [[Rcpp::export]]
Rcpp::List fill_key_scaffold(SEXP start, SEXP stop, SEXP first, SEXP last, SEXP key, int from,
                             int to, std::string rule, double rows) {
  const Rule by_rule = rule_named(rule);
  const R_xlen_t n = static_cast<R_xlen_t>(rows);
  Rcpp::IntegerVector code(n), step(n), place(n);
  SliceColumns slices(n, TYPEOF(start) == INTSXP);
  with_ticks(start, stop, first, last, [&](auto spans, auto axis, auto locator) {
    R_xlen_t row = 0;
    each_key_slice(by_rule, spans, INTEGER(key), axis, locator,
                   PeriodRange{from, to}, [&](const auto& slice) {
                     code[row] = slice.key + 1;
                     step[row] = slice.step;
                     place[row] = slice.period - from + 1;
                     slices.set(row++, axis, slice.period, slice.start, slice.stop,
                                slice.covered);
                   });
  });
  Rcpp::List columns = Rcpp::List::create(Rcpp::_["key"] = code, Rcpp::_["step"] = step,
                                          Rcpp::_["place"] = place);
  slices.add_to(columns);
  return columns;
}
