#include "core/allocate.h"
#include "ticks.h"

using namespace ridge;

namespace {

// Calls work(measure) for ticks, or for working days counted from `origin` on.
template <class Tick, class Work> auto with_measure(SEXP before, int origin, Tick, Work work) {
  if constexpr (std::is_same_v<Tick, std::int32_t>) {
    if (!Rf_isNull(before)) return work(WorkingMeasure{INTEGER(before), origin});
  }
  return work(TickMeasure<Tick>{});
}

PeriodRange shown_of(PeriodRange touched, int from, int to) {
  const int first = std::max(touched.from, from);
  return {first, std::max(first, std::min(touched.to, to))};
}

}  // namespace

// Amounts as whole numbers of the smallest unit, NA kept. Doubles hold them
// exactly up to 2^53.
// [[Rcpp::export]]
Rcpp::NumericVector amount_units(Rcpp::NumericVector amount, double unit) {
  Rcpp::NumericVector units(amount.size());
  for (R_xlen_t i = 0; i < amount.size(); ++i) {
    // One step up, so that 1.005 is the decimal it was written as.
    const double scaled = amount[i] * unit;
    units[i] = std::isnan(scaled) ? NA_REAL : std::round(scaled + std::copysign(std::fabs(scaled) * 2.3e-16, scaled));
  }
  return units;
}

// What each span is spread over in all: ticks (days, microseconds), working days
// or periods.
// [[Rcpp::export]]
Rcpp::NumericVector spread_wholes(SEXP start, SEXP stop, SEXP first, SEXP last, SEXP before,
                                  int origin, bool equal_parts) {
  return with_ticks(start, stop, first, last, [&](auto spans, auto axis, auto locator) {
    using Tick = std::remove_const_t<std::remove_pointer_t<decltype(axis.first)>>;
    return with_measure(before, origin, Tick{}, [&](auto measure) {
      Rcpp::NumericVector wholes(spans.size);
      for (std::size_t i = 0; i < spans.size; ++i) {
        const PeriodRange touched = active_periods<Rule::any>(locator, spans.start[i], spans.stop[i]);
        wholes[i] = static_cast<double>(whole_of(spans.start[i], spans.stop[i], equal_parts, touched, measure));
      }
      return wholes;
    });
  });
}

// Rows by record and period of the window [from, to): their record and period
// from 1, the ticks covered and the amount, in units where `rounded`.
// [[Rcpp::export]]
Rcpp::List spread_rows(SEXP start, SEXP stop, Rcpp::NumericVector amount, SEXP first, SEXP last,
                       int from, int to, SEXP before, int origin, bool equal_parts, bool rounded,
                       double rows) {
  const R_xlen_t size = static_cast<R_xlen_t>(rows);
  Rcpp::IntegerVector record(size), period(size);
  Rcpp::NumericVector covered(size), piece(size);
  with_ticks(start, stop, first, last, [&](auto spans, auto axis, auto locator) {
    using Tick = std::remove_const_t<std::remove_pointer_t<decltype(axis.first)>>;
    return with_measure(before, origin, Tick{}, [&](auto measure) {
      R_xlen_t at = 0;
      for (std::size_t i = 0; i < spans.size; ++i) {
        if (spans.start[i] >= spans.stop[i]) continue;
        const PeriodRange touched = active_periods<Rule::any>(locator, spans.start[i], spans.stop[i]);
        const std::int64_t whole = whole_of(spans.start[i], spans.stop[i], equal_parts, touched, measure);
        const double sum = amount[i];
        const std::int64_t units = rounded && !std::isnan(sum) ? static_cast<std::int64_t>(sum) : 0;
        RoundedShares shares(units, std::max<std::int64_t>(whole, 1));
        each_piece(spans.start[i], spans.stop[i], axis, shown_of(touched, from, to), equal_parts, touched, measure,
                   [&](int p, auto ticks, std::int64_t begin, std::int64_t end) {
          record[at] = static_cast<int>(i) + 1;
          period[at] = p + 1;
          covered[at] = static_cast<double>(ticks);
          piece[at] = std::isnan(sum) ? NA_REAL
                      : rounded ? static_cast<double>(shares.piece(begin, end))
                                : sum * static_cast<double>(end - begin) / static_cast<double>(whole);
          ++at;
        });
      }
      return 0;
    });
  });
  return Rcpp::List::create(Rcpp::_["record"] = record, Rcpp::_["period"] = period,
                            Rcpp::_["covered"] = covered, Rcpp::_["piece"] = piece);
}

// How many rows spread_rows() makes.
// [[Rcpp::export]]
double spread_size(SEXP start, SEXP stop, SEXP first, SEXP last, int from, int to) {
  return with_ticks(start, stop, first, last, [&](auto spans, auto, auto locator) {
    double rows = 0;
    for (std::size_t i = 0; i < spans.size; ++i) {
      if (spans.start[i] >= spans.stop[i]) continue;
      const PeriodRange shown = shown_of(active_periods<Rule::any>(locator, spans.start[i], spans.stop[i]), from, to);
      rows += shown.to - shown.from;
    }
    return rows;
  });
}

// Totals by group and period of the window; sums of whole units where `rounded`.
// [[Rcpp::export]]
Rcpp::NumericVector spread_totals(SEXP start, SEXP stop, Rcpp::NumericVector amount, SEXP group, int groups,
                                  SEXP first, SEXP last, int from, int to, SEXP before, int origin,
                                  bool equal_parts, bool rounded) {
  const int* codes = codes_or_null(group);
  return with_ticks(start, stop, first, last, [&](auto spans, auto axis, auto locator) -> Rcpp::NumericVector {
    using Tick = std::remove_const_t<std::remove_pointer_t<decltype(axis.first)>>;
    return with_measure(before, origin, Tick{}, [&](auto measure) -> Rcpp::NumericVector {
      if (!rounded) {
        return Rcpp::wrap(even_totals(spans, amount.begin(), codes, groups, axis, locator, PeriodRange{from, to},
                                      equal_parts, measure));
      }
      const std::size_t shown = to - from;
      std::vector<Wide> sums(shown * groups, 0);
      for (std::size_t i = 0; i < spans.size; ++i) {
        if (std::isnan(amount[i]) || spans.start[i] >= spans.stop[i]) continue;
        const PeriodRange touched = active_periods<Rule::any>(locator, spans.start[i], spans.stop[i]);
        const std::int64_t whole = whole_of(spans.start[i], spans.stop[i], equal_parts, touched, measure);
        const std::int64_t units = static_cast<std::int64_t>(amount[i]);
        const std::size_t at = (codes ? codes[i] : 0) * shown;
        RoundedShares shares(units, std::max<std::int64_t>(whole, 1));
        each_piece(spans.start[i], spans.stop[i], axis, shown_of(touched, from, to), equal_parts, touched, measure,
                   [&](int p, auto, std::int64_t begin, std::int64_t end) {
          sums[at + p - from] += shares.piece(begin, end);
        });
      }
      Rcpp::NumericVector totals(sums.size());
      for (R_xlen_t i = 0; i < totals.size(); ++i) totals[i] = static_cast<double>(sums[i]);
      return totals;
    });
  });
}
