#include "ticks.h"

// The records by key, start and place, as places from 1. Keys are codes from 0.
// [[Rcpp::export]]
Rcpp::IntegerVector order_records(SEXP start, Rcpp::IntegerVector key, int keys) {
  const std::size_t n = key.size();
  const std::vector<int> order =
      TYPEOF(start) == INTSXP
          ? ridge::order_by_key(INTEGER(start), key.begin(), n, keys)
          : ridge::order_by_key(to_micros(start).data(), key.begin(), n, keys);
  Rcpp::IntegerVector places(n);
  for (std::size_t i = 0; i < n; ++i) places[i] = order[i] + 1;
  return places;
}
