#include "core/coded.h"
#include "core/fixed.h"
#include "core/order.h"
#include "ticks.h"

using namespace ridge;

// On how many processors this process may run; 0: nobody says.
// [[Rcpp::export]]
int processor_count() { return static_cast<int>(std::thread::hardware_concurrency()); }

namespace {

// Calls put(place, record, key, start) for each record by key, start and place, and soon(record)
// before.
template <class Put, class Soon> void in_order(SEXP start, const Keys& keys, int threads, Put put, Soon soon) {
  const std::size_t n = Rf_xlength(start);
  if (TYPEOF(start) == INTSXP) {
    return each_in_order(INTEGER_RO(start), keys, n, threads, put, soon, RPoll());
  }
  each_in_order(to_micros(start).data(), keys, n, threads, put, soon, RPoll());
}

Keys codes_from_0(SEXP key, R_xlen_t n, int keys, int threads) {
  door::require(keys >= 0, "There cannot be fewer keys than none.");
  return {door::codes(key, n, keys, threads), 0, keys};
}

// The columns of an index.
struct Index {
  Shield start, stop, key, order;

  Index(SEXPTYPE type, R_xlen_t n, int threads)
      : start(new_numbers(type, n, threads)), stop(new_numbers(type, n, threads)), key(new_integers(n, threads)),
        order(new_integers(n, threads)) {}

  // Of keys that stand in order: they become codes from 0, with where each stands first.
  SEXP numbered(int threads) const {
    SortedNumbers numbers(INTEGER(key), Rf_xlength(key), threads);
    const Shield rows(new_integers(numbers.count(), threads));
    numbers.become_codes(INTEGER(order), INTEGER(rows));
    return named_list({{"start", start}, {"stop", stop}, {"key", key}, {"order", order}, {"rows", rows}});
  }

  void fill(SEXP starts, SEXP stops, const Keys& keys, int threads) {
    int* const places = INTEGER(order);
    int* const own_key = INTEGER(key);
    if (TYPEOF(starts) == INTSXP) {
      int* const own_start = INTEGER(start);
      int* const own_stop = INTEGER(stop);
      const int* const from = INTEGER_RO(stops);
      in_order(starts, keys, threads, [=](std::size_t place, int record, int code, auto begin) {
        own_start[place] = static_cast<int>(begin);
        own_stop[place] = from[record];
        own_key[place] = code;
        places[place] = record + 1;
      }, [=](int record) { fetch(from + record); });
    } else {
      double* const own_start = REAL(start);
      double* const own_stop = REAL(stop);
      const double* const begins = REAL_RO(starts);
      const double* const from = REAL_RO(stops);
      in_order(starts, keys, threads, [=](std::size_t place, int record, int code, auto) {
        own_start[place] = begins[record];
        own_stop[place] = from[record];
        own_key[place] = code;
        places[place] = record + 1;
      }, [=](int record) {
        fetch(begins + record);
        fetch(from + record);
      });
    }
  }
};

}  // namespace

// The records by start and place, as places from 1; within keys, codes from 0, where there are any.
// [[Rcpp::export]]
SEXP order_records(SEXP start, SEXP key, int keys, int threads) {
  const R_xlen_t n = Rf_xlength(start);
  const int most = door::threads(threads);
  door::check_spans(start, start, most);
  const Keys codes = codes_from_0(key, n, keys, most);
  const Shield order(new_integers(n));
  int* const places = INTEGER(order);
  in_order(start, codes, most, [=](std::size_t place, int record, int, auto) {
    places[place] = record + 1;
  }, [](int) {});
  return order;
}

// Records by key, start and place: their starts, stops and keys, and which ones they are.
// [[Rcpp::export]]
SEXP keyed_records(SEXP start, SEXP stop, SEXP key, int keys, int threads) {
  const int most = door::threads(threads);
  door::check_spans(start, stop, most);
  door::require(TYPEOF(key) == INTSXP, "Keys must be codes.");
  const R_xlen_t n = Rf_xlength(start);
  Index index(TYPEOF(start), n, most);
  index.fill(start, stop, codes_from_0(key, n, keys, most), most);
  return named_list({{"start", index.start}, {"stop", index.stop}, {"key", index.key}, {"order", index.order}});
}

// The same of keys that are whole numbers, which become codes from 0, and the first row, from 1, of
// each; NULL where one is missing, or they lie too far apart.
// [[Rcpp::export]]
SEXP numbered_records(SEXP start, SEXP stop, SEXP key, int threads) {
  const int most = door::threads(threads);
  door::check_spans(start, stop, most);
  const R_xlen_t n = Rf_xlength(start);
  door::require(TYPEOF(key) == INTSXP && Rf_xlength(key) == n, "Keys must be whole numbers, one for each record.");
  const Reach<int> reach = reach_of(INTEGER_RO(key), n, most, [](int) { return false; });
  const int size = reach.size(std::max(65536.0, 32.0 * n));
  if (size == 0 || reach.low == NA_INTEGER) return R_NilValue;
  Index index(TYPEOF(start), n, most);
  index.fill(start, stop, {INTEGER_RO(key), reach.low, size}, most);
  return index.numbered(most);
}

// The same of some of these records, told by their places among all of them, from 1 and rising.
// [[Rcpp::export]]
SEXP chosen_index(SEXP start, SEXP stop, Rcpp::IntegerVector key, Rcpp::IntegerVector order,
                  Rcpp::IntegerVector rows, int threads) {
  door::check_spans(start, stop);
  const std::size_t n = Rf_xlength(start), kept = rows.size();
  door::require(static_cast<std::size_t>(key.size()) == n && static_cast<std::size_t>(order.size()) == n,
                "An index has a key and a place for each record.");
  const int most = door::threads(threads);
  std::vector<int> place(n, 0);
  for (std::size_t i = 0; i < kept; ++i) {
    door::require(rows[i] > (i > 0 ? rows[i - 1] : 0) && static_cast<std::size_t>(rows[i]) <= n,
                  "Rows must rise, and be those of records.");
    place[rows[i] - 1] = static_cast<int>(i) + 1;
  }
  std::size_t there = 0;
  for (const int record : order) {
    door::require(record >= 1 && static_cast<std::size_t>(record) <= n, "An order must be of the records.");
    there += place[record - 1] > 0;
  }
  door::require(there == kept, "An order must name each record once.");
  Index index(TYPEOF(start), kept, most);
  const auto take = [&](const auto* from, const auto* until, auto* own_start, auto* own_stop) {
    for (std::size_t i = 0, at = 0; i < n; ++i) {
      const int own = place[order[i] - 1];
      if (own == 0) continue;
      own_start[at] = from[i];
      own_stop[at] = until[i];
      INTEGER(index.key)[at] = key[i];
      INTEGER(index.order)[at++] = own;
    }
  };
  if (TYPEOF(start) == INTSXP) take(INTEGER_RO(start), INTEGER_RO(stop), INTEGER(index.start), INTEGER(index.stop));
  else take(REAL_RO(start), REAL_RO(stop), REAL(index.start), REAL(index.stop));
  return index.numbered(most);
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
double fixed_scale(SEXP values) {
  door::require(TYPEOF(values) == REALSXP, "Weights and amounts must be numbers.");
  return ridge::fixed_scale(REAL_RO(values), Rf_xlength(values));
}
