// What kernels ask of their callers, checked once where they come in: after it every index
// lies within its vector and no sum overflows. Who gets it wrong is told what, and nothing
// is written past an end.
#pragma once
#include "core/axis.h"
#include "core/threads.h"
#include <Rcpp.h>
#include <cmath>
#include <limits>
#include <stdexcept>
#include <string>

namespace door {

[[noreturn]] inline void refuse(const char* what) { throw std::invalid_argument(what); }

inline void require(bool sound, const char* what) {
  if (!sound) refuse(what);
}

// As many threads as are wanted, within reason.
inline int threads(int wanted) {
  require(wanted >= 1, "There must be a thread to work on.");
  return std::min(wanted, 256);
}

// No calendar goes further: some eleven thousand years on either side.
constexpr int most_days = 4000000;
constexpr double most_seconds = 4e11;

inline bool is_tick(int day) { return (day >= -most_days) & (day <= most_days); }
inline bool is_tick(double second) { return std::fabs(second) <= most_seconds; }
inline bool is_never(int day) { return day == ridge::never<std::int32_t>(); }
inline bool is_never(double second) { return second == R_PosInf; }

// Flags are gathered without a choice in the loop: so it does not show in the time.
template <class Number> void check_spans(const Number* start, const Number* stop, R_xlen_t n, int threads) {
  ridge::in_blocks(n, threads, [=](std::size_t from, std::size_t to) {
    int wrong_start = 0, wrong_stop = 0;
    for (std::size_t i = from; i < to; ++i) {
      wrong_start |= !is_tick(start[i]);
      wrong_stop |= !is_tick(stop[i]) & !is_never(stop[i]);
    }
    require(!wrong_start, "A start is missing, or in no calendar.");
    require(!wrong_stop, "A stop is missing, or in no calendar.");
  });
}

template <class Number> void check_axis(const Number* first, const Number* stop, R_xlen_t n) {
  for (R_xlen_t p = 0; p < n; ++p) {
    require(is_tick(first[p]) && is_tick(stop[p]), "A period is missing, or in no calendar.");
    require(first[p] <= stop[p] && (p == 0 || stop[p - 1] <= first[p]),
            "Periods must follow each other.");
  }
}

inline void same_type(SEXP a, SEXP b) {
  require((TYPEOF(a) == INTSXP || TYPEOF(a) == REALSXP) && TYPEOF(a) == TYPEOF(b),
          "Ticks must be days (integer) or seconds (double), all alike.");
}

inline void check_spans(SEXP start, SEXP stop, int threads = 1) {
  same_type(start, stop);
  const R_xlen_t n = Rf_xlength(start);
  require(n == Rf_xlength(stop) && n < ridge::never<std::int32_t>(),
          "Starts and stops must be as many.");
  if (TYPEOF(start) == INTSXP) check_spans(INTEGER_RO(start), INTEGER_RO(stop), n, threads);
  else check_spans(REAL_RO(start), REAL_RO(stop), n, threads);
}

inline void check_axis(SEXP first, SEXP stop) {
  same_type(first, stop);
  const R_xlen_t n = Rf_xlength(first);
  require(n == Rf_xlength(stop) && n < ridge::never<std::int32_t>(),
          "Periods must have a first tick and a stop each.");
  if (TYPEOF(first) == INTSXP) check_axis(INTEGER_RO(first), INTEGER_RO(stop), n);
  else check_axis(REAL_RO(first), REAL_RO(stop), n);
}

inline void check_window(int from, int to, SEXP first) {
  require(from >= 0 && from <= to && to <= Rf_xlength(first),
          "The window must lie within the periods.");
}

// Codes from 0, fewer than `size`; NULL where there are none.
inline const int* codes(SEXP codes, R_xlen_t n, double size, int threads = 1) {
  if (Rf_isNull(codes)) return nullptr;
  require(TYPEOF(codes) == INTSXP && Rf_xlength(codes) == n, "Codes must be as many as spans.");
  const int* const values = INTEGER_RO(codes);
  const unsigned below = static_cast<unsigned>(std::min<double>(std::max(size, 0.0), 2147483647));
  ridge::in_blocks(n, threads, [=](std::size_t from, std::size_t to) {
    int wrong = 0;
    for (std::size_t i = from; i < to; ++i) wrong |= static_cast<unsigned>(values[i]) >= below;
    require(!wrong, "A code is out of range.");
  });
  return values;
}

// The group of each span; without codes all are in group 0, which has to be there.
inline const int* groups(SEXP group, R_xlen_t n, int groups, int threads = 1) {
  require(groups >= 0 && (n == 0 || groups > 0), "Spans must have a group to be in.");
  return codes(group, n, groups, threads);
}

template <class Number> void check_order(const int* key, const Number* start, R_xlen_t n, int threads) {
  ridge::in_blocks(n, threads, [=](std::size_t from, std::size_t to) {
    int wrong = 0;
    for (std::size_t i = std::max<std::size_t>(from, 1); i < to; ++i) {
      wrong |= (key[i] < key[i - 1]) | ((key[i] == key[i - 1]) & (start[i] < start[i - 1]));
    }
    require(!wrong, "Spans must come by key and start.");
  });
}

// Keys, by which the spans come, each with its starts in order.
inline const int* keys(SEXP key, SEXP start, int threads = 1) {
  const R_xlen_t n = Rf_xlength(start);
  const int* const values = codes(key, n, ridge::never<std::int32_t>(), threads);
  if (!values) return values;
  if (TYPEOF(start) == INTSXP) check_order(values, INTEGER_RO(start), n, threads);
  else check_order(values, REAL_RO(start), n, threads);
  return values;
}

inline void check_weights(SEXP weight, R_xlen_t n, double scale) {
  if (Rf_isNull(weight)) return;
  require(TYPEOF(weight) == REALSXP && Rf_xlength(weight) == n, "Weights must be as many as spans.");
  require(scale > 0 && std::isfinite(scale), "The scale of weights must be more than 0.");
  double sum = 0;
  for (R_xlen_t i = 0; i < n; ++i) sum += std::fabs(REAL_RO(weight)[i]);
  require(std::isfinite(sum) && sum * scale < 4.6e18, "Weights are missing, or too large to add up.");
}

inline void check_amounts(SEXP amount, R_xlen_t n, bool rounded, int threads = 1) {
  if (Rf_isNull(amount)) return;
  require(TYPEOF(amount) == REALSXP && Rf_xlength(amount) == n, "Amounts must be as many as spans.");
  const double* const values = REAL_RO(amount);
  const double most = rounded ? 9007199254740992.0 : std::numeric_limits<double>::max();
  ridge::in_blocks(n, threads, [=](std::size_t from, std::size_t to) {
    int wrong = 0;
    for (std::size_t i = from; i < to; ++i) wrong |= std::fabs(values[i]) > most;
    require(!wrong, "An amount is too large to be spread.");
  });
}

inline void check_length(double length) {
  require(length >= 0, "A length must be 0 or more.");
}

inline R_xlen_t rows(double rows) {
  require(rows >= 0 && rows < ridge::never<std::int32_t>(), "There cannot be so many rows.");
  return static_cast<R_xlen_t>(rows);
}

// A table with an entry for each day from `origin` on must know all days that are asked.
inline void check_table(SEXP before, int origin, int lowest, int highest) {
  require(TYPEOF(before) == INTSXP, "Working days must be counted by day.");
  const std::int64_t from = static_cast<std::int64_t>(lowest) - origin;
  const std::int64_t to = static_cast<std::int64_t>(highest) - origin;
  require(lowest > highest || (origin != NA_INTEGER && from >= 0 && to < Rf_xlength(before)),
          "Working days must be counted for all days.");
}

inline void check_stretches(SEXP open, SEXP close) {
  require(TYPEOF(open) == REALSXP && TYPEOF(close) == REALSXP, "Stretches must be in seconds.");
  check_axis(open, close);
}

}  // namespace door
