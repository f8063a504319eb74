#include "core/allocate.h"
#include "ticks.h"

using namespace ridge;

namespace {

// Stretches of time and what lies before each, in ticks.
class ClockTime {
 public:
  ClockTime(SEXP open, SEXP close) : open_(to_micros(open)), close_(to_micros(close)), before_(open_.size(), 0) {
    for (std::size_t i = 1; i < open_.size(); ++i) before_[i] = before_[i - 1] + close_[i - 1] - open_[i - 1];
  }
  ClockMeasure measure() const { return {open_.data(), close_.data(), before_.data(), open_.size()}; }

 private:
  std::vector<std::int64_t> open_, close_, before_;
};

// Calls work(measure): ticks where `measure` is NULL; else working days (`before`
// each day from `origin` on) or the time of stretches (`open`, `close`).
template <class Tick, class Work> auto with_measure(SEXP measure, Tick, Work work) {
  if constexpr (std::is_same_v<Tick, std::int32_t>) {
    if (!Rf_isNull(measure)) {
      return work(WorkingMeasure{INTEGER(VECTOR_ELT(measure, 0)), Rf_asInteger(VECTOR_ELT(measure, 1))});
    }
  } else {
    if (!Rf_isNull(measure)) {
      const ClockTime time(VECTOR_ELT(measure, 0), VECTOR_ELT(measure, 1));
      return work(time.measure());
    }
  }
  return work(TickMeasure<Tick>{});
}

PeriodRange shown_of(PeriodRange touched, int from, int to) {
  const int first = std::max(touched.from, from);
  return {first, std::max(first, std::min(touched.to, to))};
}

Rcpp::NumericVector as_doubles(const std::vector<Wide>& sums) {
  Rcpp::NumericVector values(sums.size());
  for (R_xlen_t i = 0; i < values.size(); ++i) values[i] = static_cast<double>(sums[i]);
  return values;
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
Rcpp::NumericVector spread_wholes(SEXP start, SEXP stop, SEXP first, SEXP last, SEXP measure, bool equal_parts) {
  return with_ticks(start, stop, first, last, [&](auto spans, auto axis, auto locator) {
    using Tick = std::remove_const_t<std::remove_pointer_t<decltype(axis.first)>>;
    return with_measure(measure, Tick{}, [&](auto counted) {
      Rcpp::NumericVector wholes(spans.size);
      for (std::size_t i = 0; i < spans.size; ++i) {
        const PeriodRange touched = active_periods<Rule::any>(locator, spans.start[i], spans.stop[i]);
        wholes[i] = static_cast<double>(whole_of(spans.start[i], spans.stop[i], equal_parts, touched, counted));
      }
      return wholes;
    });
  });
}

// Rows by record and period of the window [from, to): their record and period
// from 1, the ticks covered, how many of them are counted, and the amount (none
// where NULL), in units where `rounded`.
// [[Rcpp::export]]
Rcpp::List spread_rows(SEXP start, SEXP stop, SEXP amount, SEXP first, SEXP last,
                       int from, int to, SEXP measure, bool equal_parts, bool rounded,
                       double rows) {
  const R_xlen_t size = static_cast<R_xlen_t>(rows);
  Rcpp::IntegerVector record(size), period(size);
  const double* amounts = Rf_isNull(amount) ? nullptr : REAL(amount);
  Rcpp::NumericVector covered(size), part(size), piece(amounts ? size : 0);
  with_ticks(start, stop, first, last, [&](auto spans, auto axis, auto locator) {
    using Tick = std::remove_const_t<std::remove_pointer_t<decltype(axis.first)>>;
    return with_measure(measure, Tick{}, [&](auto counted) {
      R_xlen_t at = 0;
      for (std::size_t i = 0; i < spans.size; ++i) {
        if (spans.start[i] >= spans.stop[i]) continue;
        const PeriodRange touched = active_periods<Rule::any>(locator, spans.start[i], spans.stop[i]);
        const std::int64_t whole = whole_of(spans.start[i], spans.stop[i], equal_parts, touched, counted);
        const double sum = amounts ? amounts[i] : NA_REAL;
        const std::int64_t units = rounded && !std::isnan(sum) ? static_cast<std::int64_t>(sum) : 0;
        RoundedShares shares(units, std::max<std::int64_t>(whole, 1));
        each_piece(spans.start[i], spans.stop[i], axis, shown_of(touched, from, to), equal_parts, touched, counted,
                   [&](int p, auto ticks, std::int64_t begin, std::int64_t end) {
          record[at] = static_cast<int>(i) + 1;
          period[at] = p + 1;
          covered[at] = static_cast<double>(ticks);
          part[at] = static_cast<double>(end - begin);
          if (amounts) {
            piece[at] = std::isnan(sum) ? NA_REAL
                        : rounded ? static_cast<double>(shares.piece(begin, end))
                                  : sum * static_cast<double>(end - begin) / static_cast<double>(whole);
          }
          ++at;
        });
      }
      return 0;
    });
  });
  return Rcpp::List::create(Rcpp::_["record"] = record, Rcpp::_["period"] = period,
                            Rcpp::_["covered"] = covered, Rcpp::_["counted"] = part, Rcpp::_["piece"] = piece);
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

// Totals by group and period of the window: of amounts, as sums of whole units
// where `rounded`; where there are none, of what the spans have in the periods.
// [[Rcpp::export]]
Rcpp::NumericVector spread_totals(SEXP start, SEXP stop, SEXP amount, SEXP group, int groups,
                                  SEXP first, SEXP last, int from, int to, SEXP measure,
                                  bool equal_parts, bool rounded) {
  const int* codes = codes_or_null(group);
  return with_ticks(start, stop, first, last, [&](auto spans, auto axis, auto locator) -> Rcpp::NumericVector {
    using Tick = std::remove_const_t<std::remove_pointer_t<decltype(axis.first)>>;
    return with_measure(measure, Tick{}, [&](auto counted) -> Rcpp::NumericVector {
      if (Rf_isNull(amount)) {
        const auto once = [](std::size_t) { return Wide{1}; };
        return as_doubles(spread_sums(spans, once, codes, groups, axis, locator, PeriodRange{from, to}, equal_parts, counted));
      }
      const double* amounts = REAL(amount);
      if (!rounded) {
        return Rcpp::wrap(even_totals(spans, amounts, codes, groups, axis, locator, PeriodRange{from, to},
                                      equal_parts, counted));
      }
      const std::size_t shown = to - from;
      std::vector<Wide> sums(shown * groups, 0);
      for (std::size_t i = 0; i < spans.size; ++i) {
        if (std::isnan(amounts[i]) || spans.start[i] >= spans.stop[i]) continue;
        const PeriodRange touched = active_periods<Rule::any>(locator, spans.start[i], spans.stop[i]);
        const std::int64_t whole = whole_of(spans.start[i], spans.stop[i], equal_parts, touched, counted);
        const std::int64_t units = static_cast<std::int64_t>(amounts[i]);
        const std::size_t at = (codes ? codes[i] : 0) * shown;
        RoundedShares shares(units, std::max<std::int64_t>(whole, 1));
        each_piece(spans.start[i], spans.stop[i], axis, shown_of(touched, from, to), equal_parts, touched, counted,
                   [&](int p, auto, std::int64_t begin, std::int64_t end) {
          sums[at + p - from] += shares.piece(begin, end);
        });
      }
      return as_doubles(sums);
    });
  });
}

// Seconds of the stretches [open, close) from each moment to another.
// [[Rcpp::export]]
Rcpp::NumericVector clock_between(Rcpp::NumericVector start, Rcpp::NumericVector stop, SEXP open, SEXP close) {
  const ClockTime time(open, close);
  const ClockMeasure counted = time.measure();
  const auto at = [&](double seconds) { return counted(static_cast<std::int64_t>(std::nearbyint(seconds * 1e6))); };
  Rcpp::NumericVector between(start.size());
  for (R_xlen_t i = 0; i < between.size(); ++i) {
    const bool known = std::isfinite(start[i]) && std::isfinite(stop[i]);
    between[i] = known ? (at(stop[i]) - at(start[i])) / 1e6 : NA_REAL;
  }
  return between;
}

// The first and the last of all days; infinite where there are none.
// [[Rcpp::export]]
Rcpp::NumericVector day_extent(Rcpp::NumericVector start, Rcpp::NumericVector end) {
  double low = R_PosInf, high = R_NegInf;
  for (const Rcpp::NumericVector& days : {start, end}) {
    for (const double day : days) {
      low = day < low ? day : low;
      high = day > high ? day : high;
    }
  }
  return Rcpp::NumericVector::create(low, high);
}

// Working days from each day through another, both counted; NA where one is
// missing. `before` counts those before each day from `origin` on. `inside` is
// FALSE, and the rest unsaid, where a day lies outside that table; `turned` says
// whether an end comes before its start.
// [[Rcpp::export]]
Rcpp::List working_between_days(Rcpp::NumericVector start, Rcpp::NumericVector end,
                                Rcpp::IntegerVector before, int origin) {
  const R_xlen_t n = start.size();
  const double* from = start.begin();
  const double* to = end.begin();
  const int* table = before.begin();
  const std::int64_t size = before.size() - 1;
  Rcpp::IntegerVector days(Rcpp::no_init(n));
  int* out = days.begin();
  bool inside = true, turned = false;
  for (R_xlen_t i = 0; i < n && inside; ++i) {
    if (std::isnan(from[i]) || std::isnan(to[i])) {
      out[i] = NA_INTEGER;
      continue;
    }
    // Both are counted from the table's origin, so that cutting off is rounding down.
    const double first = from[i] - origin, last = to[i] - origin;
    inside = first >= 0 && last >= 0 && first < size && last < size;
    if (!inside) break;
    turned |= last < first;
    out[i] = table[static_cast<std::int64_t>(last) + 1] - table[static_cast<std::int64_t>(first)];
  }
  return Rcpp::List::create(Rcpp::_["days"] = days, Rcpp::_["inside"] = inside, Rcpp::_["turned"] = turned);
}
