#include "core/fixed.h"
#include "core/order.h"
#include "ticks.h"

using namespace ridge;

// On how many processors this process may run; 0: nobody says.
// [[Rcpp::export]]
int processor_count() { return static_cast<int>(std::thread::hardware_concurrency()); }

namespace {

// Calls put(place, record) for each record by key, start and place.
template <class Put> void in_order(SEXP start, SEXP key, int keys, int threads, Put put) {
  const std::size_t n = Rf_xlength(start);
  door::check_spans(start, start);
  door::require(keys >= 0, "There cannot be fewer keys than none.");
  const int* const codes = door::codes(key, n, keys);
  const int most = door::threads(threads);
  if (TYPEOF(start) == INTSXP) {
    return each_in_order(INTEGER(start), codes, n, keys, most, put, RPoll());
  }
  each_in_order(to_micros(start).data(), codes, n, keys, most, put, RPoll());
}

}  // namespace

// The records by key, start and place, as places from 1. Keys are codes from 0, or NULL.
// [[Rcpp::export]]
SEXP order_records(SEXP start, SEXP key, int keys, int threads) {
  const Shield order(new_integers(Rf_xlength(start)));
  int* const places = INTEGER(order);
  in_order(start, key, keys, threads, [=](std::size_t place, int record, int, auto) {
    places[place] = record + 1;
  });
  return order;
}

// Records by key, start and place: their starts, stops and keys, and which ones they are.
// [[Rcpp::export]]
SEXP keyed_records(SEXP start, SEXP stop, SEXP key, int keys, int threads) {
  door::check_spans(start, stop);
  door::require(TYPEOF(key) == INTSXP, "Keys must be codes.");
  const R_xlen_t n = Rf_xlength(start);
  const Shield starts(new_vector(TYPEOF(start), n)), stops(new_vector(TYPEOF(start), n));
  const Shield codes(new_integers(n)), order(new_integers(n));
  int* const places = INTEGER(order);
  int* const own_key = INTEGER(codes);
  if (TYPEOF(start) == INTSXP) {
    int* const own_start = INTEGER(starts);
    int* const own_stop = INTEGER(stops);
    const int* const from = INTEGER(stop);
    in_order(start, key, keys, threads, [=](std::size_t place, int record, int code, auto begin) {
      own_start[place] = static_cast<int>(begin);
      own_stop[place] = from[record];
      own_key[place] = code;
      places[place] = record + 1;
    });
  } else {
    double* const own_start = REAL(starts);
    double* const own_stop = REAL(stops);
    const double* const begins = REAL(start);
    const double* const from = REAL(stop);
    in_order(start, key, keys, threads, [=](std::size_t place, int record, int code, auto) {
      own_start[place] = begins[record];
      own_stop[place] = from[record];
      own_key[place] = code;
      places[place] = record + 1;
    });
  }
  return named_list({{"start", starts}, {"stop", stops}, {"key", codes}, {"order", order}});
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
template <class Number> struct Extent {
  Number first = std::numeric_limits<Number>::max();
  Number last_start = std::numeric_limits<Number>::lowest();
  Number last_stop = std::numeric_limits<Number>::lowest();
  std::size_t open = 0, empty = 0;

  void add(Number start, Number stop, Number never) {
    const bool covers = stop > start, is_open = stop == never;
    first = covers && start < first ? start : first;
    last_start = covers && start > last_start ? start : last_start;
    last_stop = covers && !is_open && stop > last_stop ? stop : last_stop;
    open += covers && is_open;
    empty += !covers;
  }

  void add(const Extent& other) {
    first = std::min(first, other.first);
    last_start = std::max(last_start, other.last_start);
    last_stop = std::max(last_stop, other.last_stop);
    open += other.open;
    empty += other.empty;
  }
};

template <class Number>
SEXP extent_of(const Number* start, const Number* stop, std::size_t n, Number never, int threads) {
  std::vector<Extent<Number>> parts(threads);
  in_parallel(threads, [&](int t) {
    const Block own = block_of(n, threads, t);
    Extent<Number> part;
    for (std::size_t i = own.from; i < own.to; ++i) part.add(start[i], stop[i], never);
    parts[t] = part;
  });
  Extent<Number> all;
  for (const Extent<Number>& part : parts) all.add(part);
  const bool any = n > all.empty, ended = n > all.empty + all.open;
  return Rcpp::List::create(Rcpp::_["first"] = any ? static_cast<double>(all.first) : R_PosInf,
                            Rcpp::_["last_start"] = any ? static_cast<double>(all.last_start) : R_NegInf,
                            Rcpp::_["last_stop"] = ended ? static_cast<double>(all.last_stop) : R_NegInf,
                            Rcpp::_["open"] = static_cast<double>(all.open),
                            Rcpp::_["empty"] = static_cast<double>(all.empty));
}

}  // namespace

// [[Rcpp::export]]
SEXP span_extent(SEXP start, SEXP stop, int threads) {
  door::check_spans(start, stop);
  const int most = door::threads(threads);
  const std::size_t n = Rf_xlength(start);
  if (TYPEOF(start) == INTSXP) {
    return extent_of(INTEGER(start), INTEGER(stop), n, never<int>(), most);
  }
  return extent_of(REAL(start), REAL(stop), n, R_PosInf, most);
}
