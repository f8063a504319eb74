// R vectors as spans and axes of ticks: integer vectors are days, double
// vectors are seconds since 1970, of which whole microseconds count.
#pragma once
#include "core/axis.h"
#include "door.h"
#include "r-objects.h"

inline std::vector<std::int64_t> to_micros(SEXP seconds) {
  const double* values = REAL_RO(seconds);
  std::vector<std::int64_t> micros(Rf_xlength(seconds));
  for (std::size_t i = 0; i < micros.size(); ++i) {
    micros[i] = std::isinf(values[i]) ? ridge::never<std::int64_t>()
                                      : static_cast<std::int64_t>(std::nearbyint(values[i] * 1e6));
  }
  return micros;
}

inline bool is_daily(const ridge::Axis<std::int32_t>& axis) {
  for (int p = 0; p < axis.size; ++p) {
    if (axis.first[p] != axis.first[0] + p || axis.stop[p] != axis.first[p] + 1) return false;
  }
  return true;
}

// Calls work(spans, axis, locator) with the types that fit.
template <class Work>
auto with_ticks(SEXP start, SEXP stop, SEXP first, SEXP last, int threads, Work work) {
  door::check_spans(start, stop, threads);
  door::check_axis(first, last);
  door::same_type(start, first);
  const std::size_t n = Rf_xlength(start);
  const int periods = Rf_length(first);
  if (TYPEOF(start) == INTSXP) {
    const ridge::Spans<std::int32_t> spans{INTEGER_RO(start), INTEGER_RO(stop), n};
    const ridge::Axis<std::int32_t> axis{INTEGER_RO(first), INTEGER_RO(last), periods};
    if (is_daily(axis)) return work(spans, axis, ridge::DailyLocator(axis));
    return work(spans, axis, ridge::TableLocator(axis));
  }
  const std::vector<std::int64_t> starts = to_micros(start), stops = to_micros(stop);
  const std::vector<std::int64_t> firsts = to_micros(first), lasts = to_micros(last);
  const ridge::Spans<std::int64_t> spans{starts.data(), stops.data(), n};
  const ridge::Axis<std::int64_t> axis{firsts.data(), lasts.data(), periods};
  return work(spans, axis, ridge::SearchLocator(axis));
}

// Calls work(spans) with the type that fits.
template <class Work> auto with_spans(SEXP start, SEXP stop, int threads, Work work) {
  door::check_spans(start, stop, threads);
  const std::size_t n = Rf_xlength(start);
  if (TYPEOF(start) == INTSXP) {
    return work(ridge::Spans<std::int32_t>{INTEGER_RO(start), INTEGER_RO(stop), n});
  }
  const std::vector<std::int64_t> starts = to_micros(start), stops = to_micros(stop);
  return work(ridge::Spans<std::int64_t>{starts.data(), stops.data(), n});
}

inline SEXP from_ticks(const std::vector<std::int32_t>& ticks) { return integers_of(ticks); }

// A tick as R has it.
inline int as_value(std::int32_t day) { return day; }
inline double as_value(std::int64_t tick) { return tick == ridge::never<std::int64_t>() ? R_PosInf : tick / 1e6; }

inline SEXP from_ticks(const std::vector<std::int64_t>& ticks) {
  return doubles_of(ticks, [](std::int64_t tick) { return as_value(tick); });
}

// A moment given as a day number or in seconds, as a tick.
inline std::int32_t to_tick(double at, std::int32_t) {
  door::require(std::fabs(at) <= door::most_days, "A day is missing, or in no calendar.");
  return static_cast<std::int32_t>(at);
}
inline std::int64_t to_tick(double at, std::int64_t) {
  door::require(door::is_tick(at), "A moment is missing, or in no calendar.");
  return static_cast<std::int64_t>(std::nearbyint(at * 1e6));
}

// A length given in days or seconds, in ticks.
inline std::int32_t to_length(double length, std::int32_t) {
  door::check_length(length);
  return static_cast<std::int32_t>(std::min(length, 1e8));
}
inline std::int64_t to_length(double length, std::int64_t) {
  door::check_length(length);
  return static_cast<std::int64_t>(std::nearbyint(std::min(length, 1e11) * 1e6));
}
