#include "core/fixed.h"
#include "ticks.h"

using namespace ridge;

// The records by key, start and place, as places from 1. Keys are codes from 0.
// [[Rcpp::export]]
SEXP order_records(SEXP start, Rcpp::IntegerVector key, int keys) {
  const std::size_t n = key.size();
  door::check_spans(start, start);
  door::require(keys >= 0, "There cannot be fewer keys than none.");
  door::codes(key, Rf_xlength(start), keys);
  std::vector<int> order =
      TYPEOF(start) == INTSXP
          ? order_by_key(INTEGER(start), key.begin(), n, keys, RPoll())
          : order_by_key(to_micros(start).data(), key.begin(), n, keys, RPoll());
  for (int& place : order) ++place;
  return integers_of(order);
}

// The first place, from 1, of each number, where numbers from 1 are given in the
// order in which things are met.
// [[Rcpp::export]]
SEXP first_met(Rcpp::IntegerVector ids) {
  std::vector<int> places;
  for (R_xlen_t i = 0; i < ids.size(); ++i) {
    if (ids[i] > static_cast<int>(places.size())) places.push_back(i + 1);
  }
  return integers_of(places);
}

// The scale at which sums of these weights or amounts are whole numbers.
// [[Rcpp::export]]
double fixed_scale(Rcpp::NumericVector values) {
  return ridge::fixed_scale(values.begin(), values.size());
}

namespace {

// What the spans that cover something reach to, and how many are open or empty.
template <class Number>
SEXP extent_of(const Number* start, const Number* stop, R_xlen_t n, Number never) {
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
SEXP span_extent(SEXP start, SEXP stop) {
  door::check_spans(start, stop);
  const R_xlen_t n = Rf_xlength(start);
  if (TYPEOF(start) == INTSXP) {
    return extent_of(INTEGER(start), INTEGER(stop), n, never<int>());
  }
  return extent_of(REAL(start), REAL(stop), n, R_PosInf);
}
