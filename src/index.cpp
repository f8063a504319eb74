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

// TRUE for texts that are missing or hold nothing but white space.
// [[Rcpp::export]]
Rcpp::LogicalVector is_blank_text(Rcpp::CharacterVector text) {
  Rcpp::LogicalVector blank(text.size());
  for (R_xlen_t i = 0; i < text.size(); ++i) {
    const SEXP value = STRING_ELT(text, i);
    const char* at = CHAR(value);
    while (*at == ' ' || (*at >= '\t' && *at <= '\r')) ++at;
    blank[i] = value == NA_STRING || *at == '\0';
  }
  return blank;
}
