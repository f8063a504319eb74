#include "core/allocate.h"
#include "gather.h"
#include "ticks.h"
#include <numeric>

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
template <class Tick, class Work>
auto with_measure(SEXP start, SEXP stop, SEXP first, SEXP last, SEXP measure, Tick, Work work) {
  door::require(Rf_isNull(measure) || (TYPEOF(measure) == VECSXP && Rf_xlength(measure) == 2),
                "What amounts are spread over must be a list of two.");
  if constexpr (std::is_same_v<Tick, std::int32_t>) {
    if (!Rf_isNull(measure)) {
      int lowest = never<int>(), highest = -never<int>();
      for (const SEXP ticks : {start, stop, first, last}) {
        for (R_xlen_t i = 0; i < Rf_xlength(ticks); ++i) {
          lowest = std::min(lowest, INTEGER_RO(ticks)[i]);
          highest = std::max(highest, INTEGER_RO(ticks)[i]);
        }
      }
      door::check_table(VECTOR_ELT(measure, 0), Rf_asInteger(VECTOR_ELT(measure, 1)), lowest, highest);
      return work(WorkingMeasure{INTEGER_RO(VECTOR_ELT(measure, 0)), Rf_asInteger(VECTOR_ELT(measure, 1))});
    }
  } else {
    if (!Rf_isNull(measure)) {
      door::check_stretches(VECTOR_ELT(measure, 0), VECTOR_ELT(measure, 1));
      const ClockTime time(VECTOR_ELT(measure, 0), VECTOR_ELT(measure, 1));
      return work(time.measure());
    }
  }
  return work(TickMeasure<Tick>{});
}

// Calls work(spans, axis, locator, measure) with the types that fit.
template <class Work>
auto with_spread(SEXP start, SEXP stop, SEXP first, SEXP last, SEXP measure, int threads, Work work) {
  return with_ticks(start, stop, first, last, threads, [&](auto spans, auto axis, auto locator) {
    using Tick = std::remove_const_t<std::remove_pointer_t<decltype(axis.first)>>;
    return with_measure(start, stop, first, last, measure, Tick{}, [&](auto counted) { return work(spans, axis, locator, counted); });
  });
}

const double* doubles_or_null(SEXP values) { return Rf_isNull(values) ? nullptr : REAL_RO(values); }

double as_double(Wide sum) { return static_cast<double>(sum); }

// Columns of pieces, filled row by row.
struct PieceColumns {
  int* record;
  int* period;
  double* covered;
  double* counted;
  double* piece;  // null where there are no amounts
};

// The amount of a piece: shares of whole units where rounded.
class PieceOf {
 public:
  PieceOf(double amount, std::int64_t whole, bool rounded)
      : amount_(amount), whole_(whole), rounded_(rounded),
        units_(RoundedShares(rounded && !std::isnan(amount) ? static_cast<std::int64_t>(amount) : 0,
                             std::max<std::int64_t>(whole, 1)), amount < 0) {}

  double operator()(std::int64_t begin, std::int64_t end) {
    if (std::isnan(amount_)) return NA_REAL;
    if (rounded_) return static_cast<double>(units_(begin, end));
    return amount_ * static_cast<double>(end - begin) / static_cast<double>(whole_);
  }

 private:
  double amount_;
  std::int64_t whole_;
  bool rounded_;
  RunningPieces<RoundedShares> units_;
};

// The amounts of spans by what they are spread over, and the largest of them.
struct Rates {
  std::vector<double> all;
  double largest = 0;

  template <class Tick, class Locator, class Measure>
  Rates(const AmountSource<Tick, double>& source, const Locator& locator, bool equal_parts,
        const Measure& measure, int threads) : all(source.size()) {
    std::vector<double> most(threads, 0);
    in_parallel(threads, [&](int t) {
      const Block own = block_of(all.size(), threads, t);
      for (std::size_t i = own.from; i < own.to; ++i) {
        all[i] = rate_of(source, i, locator, equal_parts, measure);
        most[t] = std::max(most[t], std::fabs(all[i]));
      }
    });
    largest = *std::max_element(most.begin(), most.end());
  }
};

// Totals that are not rounded: rates as whole numbers, of which the largest decides the
// scale; `known`, where there are other parts, is how many spans there are and the largest of all.
template <class Tick, class Locator, class Measure>
SEXP even_totals(const AmountSource<Tick, double>& source, int groups, const Axis<Tick>& axis,
                 const Locator& locator, PeriodRange window, bool equal_parts, const Measure& measure,
                 SEXP known, const Gather& gather) {
  const Rates rates(source, locator, equal_parts, measure, gather.threads());
  door::require(Rf_isNull(known) || (REAL_RO(known)[0] >= rates.all.size() && REAL_RO(known)[1] >= rates.largest),
                "There are more rates, or larger ones, than are known.");
  const double scale = Rf_isNull(known) ? rate_scale(rates.largest, rates.all.size(), axis)
                                        : rate_scale(REAL_RO(known)[1], static_cast<std::size_t>(REAL_RO(known)[0]), axis);
  const auto units = [&](const auto& of, std::size_t i) { return static_cast<Wide>(std::nearbyint(of.amount[i] * scale)); };
  return gather(SpreadPart<Tick, Measure>(axis, groups, equal_parts, measure),
                AmountSource<Tick, double>{source.spans, source.group, rates.all.data()},
                [&](auto& part, const auto& some) { part.fill(some, locator, units); },
                [&](auto& part) {
    return doubles_of(part.finish(window), [&](Wide sum) { return as_double(sum) / scale; });
  });
}

void check_known_rates(SEXP known) {
  door::require(Rf_isNull(known) || (TYPEOF(known) == REALSXP && Rf_xlength(known) == 2 && REAL_RO(known)[0] >= 0 &&
                                     REAL_RO(known)[0] < 1e15 && REAL_RO(known)[1] >= 0 && std::isfinite(REAL_RO(known)[1])),
                "What is known of all rates is how many there are, and the largest.");
}

}  // namespace

namespace {

// A whole number of the smallest unit.
double units_of(double amount, double unit) {
  const double size = std::fabs(amount);
  const double below = std::floor(size * unit);
  // Half a unit is what was written as half of one: 1.005, though its double is less.
  const bool half = below / unit != size && (below + 0.5) / unit == size;
  return std::copysign(half ? below + 1 : std::nearbyint(size * unit), amount);
}

}  // namespace

// Amounts as whole numbers of the smallest unit, NA kept; as they are where there is none. Doubles
// hold them exactly up to 2^53: `wrong` is the first place, from 1, of one that is larger. How many
// are missing, and how many finer than the unit.
// [[Rcpp::export]]
SEXP amount_units(SEXP amount, SEXP unit, int threads) {
  door::require(TYPEOF(amount) == REALSXP, "Amounts must be numbers.");
  const std::size_t n = Rf_xlength(amount);
  const bool rounded = !Rf_isNull(unit);
  const double each = rounded ? Rf_asReal(unit) : 1;
  door::require(each > 0, "A unit must be above zero.");
  const double* const from = REAL_RO(amount);
  const Shield units(rounded ? new_doubles(n) : amount);
  double* const to = rounded ? REAL(units) : nullptr;
  const int most = door::threads(threads);
  std::vector<std::size_t> wrong(most, n), missing(most, 0), finer(most, 0);
  in_parallel(most, [&](int t) {
    const Block own = block_of(n, most, t);
    std::size_t first_wrong = n, not_there = 0, not_whole = 0;
    for (std::size_t i = own.from; i < own.to; ++i) {
      if (std::isnan(from[i])) {
        ++not_there;
        if (rounded) to[i] = NA_REAL;
        continue;
      }
      const double whole = rounded ? units_of(from[i], each) : from[i];
      const bool too_large = std::isinf(from[i]) || (rounded && std::fabs(whole) > 9007199254740992.0);
      if (too_large && first_wrong == n) first_wrong = i;
      if (rounded) {
        not_whole += whole / each != from[i];
        to[i] = whole;
      }
    }
    wrong[t] = first_wrong;
    missing[t] = not_there;
    finer[t] = not_whole;
  });
  const std::size_t first_wrong = *std::min_element(wrong.begin(), wrong.end());
  const auto in_all = [](const std::vector<std::size_t>& counts) {
    return static_cast<double>(std::accumulate(counts.begin(), counts.end(), std::size_t{0}));
  };
  return Rcpp::List::create(Rcpp::_["units"] = static_cast<SEXP>(units),
                            Rcpp::_["wrong"] = first_wrong == n ? 0.0 : first_wrong + 1.0,
                            Rcpp::_["missing"] = in_all(missing), Rcpp::_["finer"] = in_all(finer));
}

// What each span is spread over in all: ticks (days, microseconds), working days
// or periods.
// [[Rcpp::export]]
SEXP kernel_spread_wholes(SEXP start, SEXP stop, SEXP first, SEXP last, SEXP measure, bool equal_parts) {
  const Shield wholes(new_doubles(Rf_xlength(start)));
  double* const to = REAL(wholes);
  with_spread(start, stop, first, last, measure, 1, [&](auto spans, auto, const auto& locator, const auto& counted) {
    for (std::size_t i = 0; i < spans.size; ++i) {
      const PeriodRange touched = touched_periods(locator, spans.start[i], spans.stop[i]);
      to[i] = static_cast<double>(whole_of(spans.start[i], spans.stop[i], equal_parts, touched, counted));
    }
  });
  return wholes;
}

// Rows by record and period of the window [from, to): their record and period
// from 1, the ticks covered, how many of them are counted, and the amount (none
// where NULL), in units where `rounded`.
// [[Rcpp::export]]
SEXP kernel_spread_rows(SEXP start, SEXP stop, SEXP amount, SEXP first, SEXP last, int from, int to,
                        SEXP measure, bool equal_parts, bool rounded, double rows) {
  const R_xlen_t size = door::rows(rows);
  door::check_window(from, to, first);
  door::check_amounts(amount, Rf_xlength(start), rounded);
  const double* const amounts = doubles_or_null(amount);
  const Shield record(new_integers(size)), period(new_integers(size)), covered(new_doubles(size)),
      counted(new_doubles(size)), piece(new_doubles(amounts ? size : 0));
  const PieceColumns columns{INTEGER(record), INTEGER(period), REAL(covered), REAL(counted), REAL(piece)};
  with_spread(start, stop, first, last, measure, 1, [&](auto spans, auto axis, const auto& locator, const auto& measured) {
    R_xlen_t at = 0;
    Countdown countdown;
    for (std::size_t i = 0; i < spans.size; ++i) {
      if (spans.start[i] >= spans.stop[i]) continue;
      const PeriodRange touched = touched_periods(locator, spans.start[i], spans.stop[i]);
      const PeriodRange shown = shown_of(touched, PeriodRange{from, to});
      countdown.step(1 + shown.to - shown.from);
      const std::int64_t whole = whole_of(spans.start[i], spans.stop[i], equal_parts, touched, measured);
      PieceOf piece_of(amounts ? amounts[i] : NA_REAL, whole, rounded);
      each_piece(spans.start[i], spans.stop[i], axis, shown, equal_parts, touched, measured,
                 [&](int p, auto ticks, std::int64_t begin, std::int64_t end) {
        door::require(at < size, "There are more rows than were counted.");
        columns.record[at] = static_cast<int>(i) + 1;
        columns.period[at] = p + 1;
        columns.covered[at] = static_cast<double>(ticks);
        columns.counted[at] = static_cast<double>(end - begin);
        if (amounts) columns.piece[at] = piece_of(begin, end);
        ++at;
      });
    }
  });
  return named_list({{"record", record}, {"period", period}, {"covered", covered}, {"counted", counted}, {"piece", piece}});
}

// How many rows kernel_spread_rows() makes.
// [[Rcpp::export]]
double kernel_spread_size(SEXP start, SEXP stop, SEXP first, SEXP last, int from, int to) {
  door::check_window(from, to, first);
  return with_ticks(start, stop, first, last, 1, [&](auto spans, auto, auto locator) {
    double rows = 0;
    for (std::size_t i = 0; i < spans.size; ++i) {
      if (spans.start[i] >= spans.stop[i]) continue;
      const PeriodRange shown = shown_of(touched_periods(locator, spans.start[i], spans.stop[i]), PeriodRange{from, to});
      rows += shown.to - shown.from;
    }
    return rows;
  });
}

// Totals by group and period of the window: of amounts, as sums of whole units
// where `rounded`; where there are none, of what the spans have in the periods.
// [[Rcpp::export]]
SEXP kernel_spread_totals(SEXP start, SEXP stop, SEXP amount, SEXP group, int groups, SEXP first,
                          SEXP last, int from, int to, SEXP measure, bool equal_parts, bool rounded,
                          SEXP known, SEXP how) {
  const Gather gather(how);
  check_known_rates(known);
  door::check_window(from, to, first);
  door::check_amounts(amount, Rf_xlength(start), rounded, gather.threads());
  const int* const codes = door::groups(group, Rf_xlength(start), groups, gather.threads());
  const PeriodRange window{from, to};
  const double* const amounts = doubles_or_null(amount);
  return with_spread(start, stop, first, last, measure, gather.threads(),
                     [&](auto spans, auto axis, const auto& locator, const auto& counted) -> SEXP {
    using Tick = std::remove_const_t<std::remove_pointer_t<decltype(axis.first)>>;
    using Measure = std::decay_t<decltype(counted)>;
    const AmountSource<Tick, double> source{spans, codes, amounts};
    if (!amounts) {
      const auto once = [](const auto&, std::size_t) { return Wide{1}; };
      return gather(SpreadPart<Tick, Measure>(axis, groups, equal_parts, counted), source,
                    [&](auto& part, const auto& some) { part.fill(some, locator, once); },
                    [&](auto& part) { return doubles_of(part.finish(window), as_double); });
    }
    if (!rounded) return even_totals(source, groups, axis, locator, window, equal_parts, counted, known, gather);
    return gather(RoundedPart<Tick, Measure>(axis, groups, window, equal_parts, counted), source,
                  [&](auto& part, const auto& some) { part.fill(some, locator); },
                  [](auto& part) { return doubles_of(part.finish(), as_double); });
  });
}

// The largest amount by what it is spread over.
// [[Rcpp::export]]
double kernel_largest_rate(SEXP start, SEXP stop, SEXP amount, SEXP first, SEXP last, SEXP measure, bool equal_parts,
                           int threads) {
  const int most = door::threads(threads);
  door::check_amounts(amount, Rf_xlength(start), false, most);
  door::require(!Rf_isNull(amount), "Rates are those of amounts.");
  return with_spread(start, stop, first, last, measure, most, [&](auto spans, auto axis, const auto& locator, const auto& counted) {
    using Tick = std::remove_const_t<std::remove_pointer_t<decltype(axis.first)>>;
    return Rates(AmountSource<Tick, double>{spans, nullptr, REAL_RO(amount)}, locator, equal_parts, counted, most).largest;
  });
}

// Seconds of the stretches [open, close) from each moment to another.
// [[Rcpp::export]]
Rcpp::NumericVector clock_between(Rcpp::NumericVector start, Rcpp::NumericVector stop, SEXP open, SEXP close) {
  Rcpp::NumericVector between(start.size());
  door::require(start.size() == stop.size(), "Starts and stops must be as many.");
  door::check_stretches(open, close);
  const ClockTime time(open, close);
  const ClockMeasure counted = time.measure();
  const auto at = [&](double seconds) { return counted(static_cast<std::int64_t>(std::nearbyint(seconds * 1e6))); };
  for (R_xlen_t i = 0; i < between.size(); ++i) {
    const bool known = door::is_tick(start[i]) && door::is_tick(stop[i]);
    between[i] = known ? (at(stop[i]) - at(start[i])) / 1e6 : NA_REAL;
  }
  return between;
}
