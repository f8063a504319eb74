#include "door.h"
#include <Rcpp.h>
#include <cmath>
#include <cstdint>
#include <cstdlib>

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
  door::require(end.size() == n && before.size() > 0 && origin != NA_INTEGER,
                "Starts and ends must be as many, and working days counted.");
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
    const std::int64_t through = table[static_cast<std::int64_t>(last) + 1];
    const std::int64_t between = through - table[static_cast<std::int64_t>(first)];
    door::require(std::abs(between) <= door::most_days, "Working days must be counted for all days.");
    out[i] = static_cast<int>(between);
  }
  return Rcpp::List::create(Rcpp::_["days"] = days, Rcpp::_["inside"] = inside, Rcpp::_["turned"] = turned);
}
