#include "core/cohorts.h"
#include "core/fixed.h"
#include "core/movement.h"
#include "ticks.h"

using namespace ridge;

namespace {

template <class Number>
Rcpp::NumericVector as_doubles(const std::vector<Number>& cells, double scale) {
  Rcpp::NumericVector values(cells.size());
  for (R_xlen_t i = 0; i < values.size(); ++i) values[i] = static_cast<double>(cells[i]) / scale;
  return values;
}

}  // namespace

// Opening, started, returned, moved in, ended and moved out of each group, all
// periods of one flow after the other; with `total` a line over all groups follows.
// `group`, `key` and `weight` as in count_active().
// [[Rcpp::export]]
Rcpp::NumericVector count_flows(SEXP start, SEXP stop, SEXP first, SEXP last, SEXP group, int groups, SEXP key,
                                SEXP weight, bool total, bool returns) {
  const int* codes = codes_or_null(group);
  const int lines = groups + (total ? 1 : 0);
  const int all = total ? groups : -1;
  return with_ticks(start, stop, first, last, [&](auto spans, auto axis, auto locator) -> Rcpp::NumericVector {
    using Tick = std::remove_const_t<std::remove_pointer_t<decltype(axis.first)>>;
    if (axis.size == 0) return Rcpp::NumericVector(0);
    if (!Rf_isNull(weight)) {
      const FixedPoint fixed = to_fixed(REAL(weight), Rf_xlength(weight));
      FlowTable<std::int64_t, Tick, decltype(locator)> table(axis, locator, lines);
      move_records(RecordSource<Tick, std::int64_t>{spans, codes, fixed.units.data()}, table, all);
      return as_doubles(table.carried(lines), fixed.scale);
    }
    FlowTable<std::int32_t, Tick, decltype(locator)> table(axis, locator, lines);
    if (Rf_isNull(key)) move_records(RecordSource<Tick, std::int32_t>{spans, codes, nullptr}, table, all);
    else move_keys(spans, INTEGER(key), codes, table, all, returns);
    return as_doubles(table.carried(lines), 1.0);
  });
}

// Size by group and cohort; active by group, cohort and period, one entry more
// for each cohort. `until` is the tick before which a key has to start.
// [[Rcpp::export]]
Rcpp::List count_cohorts(SEXP start, SEXP stop, SEXP first, SEXP last, SEXP key, SEXP group, int groups,
                         std::string rule, bool returns, double until) {
  const Rule by_rule = rule_named(rule);
  return with_ticks(start, stop, first, last, [&](auto spans, auto axis, auto locator) {
    using Tick = std::remove_const_t<std::remove_pointer_t<decltype(axis.first)>>;
    const CohortTable table = find_cohorts(spans, INTEGER(key), codes_or_null(group), groups, axis, locator, by_rule,
                                           returns, to_tick(until, Tick{}));
    return Rcpp::List::create(Rcpp::_["size"] = Rcpp::wrap(table.size), Rcpp::_["active"] = Rcpp::wrap(table.active));
  });
}
