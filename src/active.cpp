#include "core/fixed.h"
#include "core/sweep.h"
#include "ticks.h"

using namespace ridge;

namespace {

// Periods without a tick, such as a day that a zone skipped, hold nobody.
template <class Number, class Tick, class Vector>
Vector shaped(const Axis<Tick>& axis, int groups, const std::vector<Number>& level, int row,
              double scale, Vector result) {
  for (int g = 0; g < groups; ++g) {
    for (int p = 0; p < axis.size; ++p) {
      const bool has_ticks = axis.first[p] < axis.stop[p];
      const Number value = level[static_cast<std::size_t>(g) * row + p];
      result[static_cast<R_xlen_t>(g) * axis.size + p] = has_ticks ? value / scale : 0;
    }
  }
  return result;
}

template <class Number, class Source, class Locator, class Tick>
SEXP count_source(Rule rule, const Source& source, const Axis<Tick>& axis,
                  const Locator& locator, int groups, double scale, bool weighted) {
  const R_xlen_t cells = static_cast<R_xlen_t>(axis.size) * groups;
  if (rule == Rule::mean) return Rcpp::wrap(mean_levels(source, locator, axis, groups, scale));
  const auto in_shape = [&](const auto& level, int row) -> SEXP {
    if (weighted) return shaped(axis, groups, level, row, scale, Rcpp::NumericVector(cells));
    return shaped(axis, groups, level, row, 1.0, Rcpp::IntegerVector(cells));
  };
  if (rule == Rule::peak) return in_shape(peak_levels(source, axis, groups), axis.size);
  return in_shape(levels<Number>(rule, source, locator, axis.size, groups), axis.size + 1);
}

}  // namespace

// Levels by group (all periods of the first group, then of the second, ...).
// `group`, `key` (codes from 0) and `weight` may be NULL; with a key, by which
// the spans are then ordered, each key counts once, with a weight its sum is
// taken.
// [[Rcpp::export]]
SEXP count_active(SEXP start, SEXP stop, SEXP first, SEXP last, SEXP group, int groups, SEXP key,
                  SEXP weight, std::string rule) {
  const Rule by_rule = rule_named(rule);
  const int* group_codes = Rf_isNull(group) ? nullptr : INTEGER(group);
  if (Rf_length(first) == 0 || groups == 0) return Rcpp::IntegerVector(0);
  return with_ticks(start, stop, first, last, [&](auto spans, auto axis, auto locator) -> SEXP {
    using Tick = std::remove_const_t<std::remove_pointer_t<decltype(axis.first)>>;
    if (!Rf_isNull(key)) {
      const KeySource<Tick> source{spans, INTEGER(key), group_codes};
      return count_source<std::int32_t>(by_rule, source, axis, locator, groups, 1, false);
    }
    if (!Rf_isNull(weight)) {
      const FixedPoint fixed = to_fixed(REAL(weight), Rf_xlength(weight));
      const RecordSource<Tick, std::int64_t> source{spans, group_codes, fixed.units.data()};
      return count_source<std::int64_t>(by_rule, source, axis, locator, groups, fixed.scale, true);
    }
    if constexpr (std::is_same_v<decltype(locator), DailyLocator>) {
      const bool plain_count = by_rule != Rule::mean && by_rule != Rule::peak;
      if (!group_codes && plain_count) {
        return shaped(axis, 1, daily_levels(spans, axis), axis.size + 1, 1.0,
                      Rcpp::IntegerVector(axis.size));
      }
    }
    const RecordSource<Tick, std::int32_t> source{spans, group_codes, nullptr};
    return count_source<std::int32_t>(by_rule, source, axis, locator, groups, 1, false);
  });
}
