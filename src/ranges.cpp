#include "core/fixed.h"
#include "core/overlaps.h"
#include "core/steps.h"
#include "core/stretches.h"
#include "ticks.h"

using namespace ridge;

namespace {

Rcpp::IntegerVector places(std::vector<int> from_zero) {
  for (int& place : from_zero) ++place;
  return Rcpp::wrap(from_zero);
}

// Calls work(distance) for ticks between two spans, or working days, of which
// `before` holds how many there are before each day from `origin` on.
template <class Tick, class Work> auto with_distance(SEXP before, int origin, Tick, Work work) {
  if constexpr (std::is_same_v<Tick, std::int32_t>) {
    if (!Rf_isNull(before)) return work(WorkingDaysBetween{INTEGER(before), origin});
  }
  return work(TicksBetween<Tick>{});
}

}  // namespace

// [[Rcpp::export]]
Rcpp::List stretches_of(SEXP start, SEXP stop, SEXP line, double tolerance, SEXP before,
                        int origin, bool tags, bool with_places) {
  return with_spans(start, stop, [&](auto spans) -> Rcpp::List {
    using Tick = std::remove_const_t<std::remove_pointer_t<decltype(spans.start)>>;
    Rcpp::IntegerVector tag(tags ? spans.size : 0);
    return with_distance(before, origin, Tick{}, [&](auto distance) {
      const auto found = find_stretches(spans, codes_or_null(line), distance,
                                        to_length(tolerance, Tick{}), tags ? tag.begin() : nullptr,
                                        with_places);
      return Rcpp::List::create(
          Rcpp::_["start"] = from_ticks(found.start), Rcpp::_["stop"] = from_ticks(found.stop),
          Rcpp::_["line"] = found.line, Rcpp::_["records"] = found.records,
          Rcpp::_["first"] = places(found.first), Rcpp::_["furthest"] = places(found.furthest),
          Rcpp::_["tag"] = tag);
    });
  });
}

// [[Rcpp::export]]
Rcpp::List gaps_of(SEXP start, SEXP stop, SEXP line, double least, SEXP before, int origin) {
  return with_spans(start, stop, [&](auto spans) -> Rcpp::List {
    using Tick = std::remove_const_t<std::remove_pointer_t<decltype(spans.start)>>;
    return with_distance(before, origin, Tick{}, [&](auto distance) {
      const Tick at_least = std::max<Tick>(1, to_length(least, Tick{}));
      const auto found = find_gaps(spans, codes_or_null(line), distance, at_least);
      return Rcpp::List::create(
          Rcpp::_["start"] = from_ticks(found.start), Rcpp::_["stop"] = from_ticks(found.stop),
          Rcpp::_["line"] = found.line, Rcpp::_["before"] = places(found.before),
          Rcpp::_["after"] = places(found.after));
    });
  });
}

// For each record the earlier one of its key that reaches furthest, as a place
// from 1, or 0. Records come by key and start; empty spans reach nothing.
// [[Rcpp::export]]
Rcpp::IntegerVector reach_before(SEXP start, SEXP stop, SEXP key) {
  return with_spans(start, stop, [&](auto spans) {
    Rcpp::IntegerVector place(spans.size);
    ridge::reach_before(spans.start, spans.stop, codes_or_null(key), spans.size, place.begin());
    return place;
  });
}

// How many pairs overlap by `least` days or seconds; `side` may be NULL.
// [[Rcpp::export]]
double overlap_count(SEXP start, SEXP stop, SEXP line, SEXP side, double least) {
  return with_spans(start, stop, [&](auto spans) {
    using Tick = std::remove_const_t<std::remove_pointer_t<decltype(spans.start)>>;
    const Tick at_least = std::max<Tick>(1, to_length(least, Tick{}));
    return count_overlaps(OverlapQuery<Tick>{spans, codes_or_null(line), codes_or_null(side), at_least});
  });
}

// The pairs, as places of the earlier and the later record, from 1.
// [[Rcpp::export]]
Rcpp::List overlap_pairs(SEXP start, SEXP stop, SEXP line, SEXP side, int sides, double least,
                         double pairs) {
  const R_xlen_t size = static_cast<R_xlen_t>(pairs);
  Rcpp::IntegerVector a(size), b(size);
  with_spans(start, stop, [&](auto spans) {
    using Tick = std::remove_const_t<std::remove_pointer_t<decltype(spans.start)>>;
    const Tick at_least = std::max<Tick>(1, to_length(least, Tick{}));
    R_xlen_t at = 0;
    const OverlapQuery<Tick> query{spans, codes_or_null(line), codes_or_null(side), at_least};
    each_overlap(query, sides, [&](std::size_t earlier, std::size_t later) {
      a[at] = static_cast<int>(earlier) + 1;
      b[at++] = static_cast<int>(later) + 1;
    });
    return 0;
  });
  return Rcpp::List::create(Rcpp::_["a"] = a, Rcpp::_["b"] = b);
}

// The level, change by change, by group; as in count_active() each key counts
// once or a weight is summed.
// [[Rcpp::export]]
Rcpp::List steps_of(SEXP start, SEXP stop, SEXP group, SEXP key, SEXP weight) {
  return with_spans(start, stop, [&](auto spans) -> Rcpp::List {
    using Tick = std::remove_const_t<std::remove_pointer_t<decltype(spans.start)>>;
    const auto listed = [](const auto& steps, SEXP level) {
      return Rcpp::List::create(Rcpp::_["start"] = from_ticks(steps.start),
                                Rcpp::_["stop"] = from_ticks(steps.stop),
                                Rcpp::_["group"] = steps.group, Rcpp::_["level"] = level);
    };
    if (!Rf_isNull(weight)) {
      const FixedPoint fixed = to_fixed(REAL(weight), Rf_xlength(weight));
      const auto steps = find_steps<std::int64_t, Tick>(
          RecordSource<Tick, std::int64_t>{spans, codes_or_null(group), fixed.units.data()});
      Rcpp::NumericVector level(steps.level.size());
      for (R_xlen_t i = 0; i < level.size(); ++i) level[i] = steps.level[i] / fixed.scale;
      return listed(steps, level);
    }
    const auto counted = [&](const auto& source) {
      const auto steps = find_steps<int, Tick>(source);
      return listed(steps, Rcpp::wrap(steps.level));
    };
    if (!Rf_isNull(key)) return counted(KeySource<Tick>{spans, INTEGER(key), codes_or_null(group)});
    return counted(RecordSource<Tick, int>{spans, codes_or_null(group), nullptr});
  });
}
