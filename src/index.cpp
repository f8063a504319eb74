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

// The first place, from 1, of each number, where numbers from 1 are given in the
// order in which things are met.
// [[Rcpp::export]]
Rcpp::IntegerVector first_met(Rcpp::IntegerVector ids) {
  std::vector<int> places;
  for (R_xlen_t i = 0; i < ids.size(); ++i) {
    if (ids[i] > static_cast<int>(places.size())) places.push_back(i + 1);
  }
  return Rcpp::wrap(places);
}

namespace {

// What the spans that cover something reach to, and how many are open or empty.
template <class Number>
Rcpp::List extent_of(const Number* start, const Number* stop, R_xlen_t n, Number never) {
  double first = R_PosInf, last_start = R_NegInf, last_stop = R_NegInf;
  double open = 0, empty = 0;
  for (R_xlen_t i = 0; i < n; ++i) {
    if (stop[i] <= start[i]) {
      ++empty;
      continue;
    }
    first = std::min<double>(first, start[i]);
    last_start = std::max<double>(last_start, start[i]);
    if (stop[i] == never) {
      ++open;
    } else {
      last_stop = std::max<double>(last_stop, stop[i]);
    }
  }
  return Rcpp::List::create(Rcpp::_["first"] = first, Rcpp::_["last_start"] = last_start,
                            Rcpp::_["last_stop"] = last_stop, Rcpp::_["open"] = open,
                            Rcpp::_["empty"] = empty);
}

}  // namespace

// [[Rcpp::export]]
Rcpp::List span_extent(SEXP start, SEXP stop) {
  const R_xlen_t n = Rf_xlength(start);
  if (TYPEOF(start) == INTSXP) {
    return extent_of(INTEGER(start), INTEGER(stop), n, ridge::never<int>());
  }
  return extent_of(REAL(start), REAL(stop), n, R_PosInf);
}
