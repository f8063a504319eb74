#include "core/fixed.h"
#include "core/minus.h"
#include "core/overlaps.h"
#include "core/restated.h"
#include "core/steps.h"
#include "core/stretches.h"
#include "gather.h"
#include "ticks.h"

using namespace ridge;

namespace {

// Lines, each a partition of the spans: there are not more of them.
const int* lines_of(SEXP line, SEXP start, int threads) {
  return door::codes(line, Rf_xlength(start), std::max<double>(1, Rf_xlength(start)), threads);
}

SEXP places(std::vector<int> from_zero) {
  for (int& place : from_zero) ++place;
  return integers_of(from_zero);
}

// Calls work(distance) for ticks between two spans, or working days, of which
// `before` holds how many there are before each day from `origin` on.
template <class Tick, class Work>
auto with_distance(SEXP before, int origin, const Spans<Tick>& spans, Work work) {
  if constexpr (std::is_same_v<Tick, std::int32_t>) {
    if (Rf_isNull(before)) return work(TicksBetween<Tick>{});
    int lowest = never<int>(), highest = -never<int>();
    for (std::size_t i = 0; i < spans.size; ++i) {
      if (spans.start[i] >= spans.stop[i]) continue;
      lowest = std::min(lowest, spans.start[i]);
      highest = std::max(highest, spans.start[i]);
      if (spans.stop[i] != never<int>()) highest = std::max(highest, spans.stop[i]);
    }
    door::check_table(before, origin, lowest, highest);
    return work(WorkingDaysBetween{INTEGER_RO(before), origin});
  } else {
    return work(TicksBetween<Tick>{});
  }
}

template <class Spans> using TickOf = std::remove_const_t<std::remove_pointer_t<decltype(Spans::start)>>;

}  // namespace

namespace {

template <class Tick> struct LineSource {
  Spans<Tick> spans;
  const int* line;
  std::size_t size() const { return spans.size; }
  std::size_t end_of(std::size_t at) const { return line_end(line, spans.size, at); }
};

// What several threads find, one behind the other: count(part) says how many, put(part, at)
// puts them from `at` on, in columns that make(size) allocates.
template <class Tick, class Count, class Make, class Put>
void find_in_lines(const Spans<Tick>& spans, const int* line, int threads, Count count, Make make, Put put) {
  const std::vector<std::size_t> cuts = cuts_of(LineSource<Tick>{spans, line}, threads);
  std::vector<std::size_t> at(threads + 1, 0);
  in_parallel(threads, [&](int t) { at[t + 1] = count(Block{cuts[t], cuts[t + 1]}); });
  for (int t = 0; t < threads; ++t) at[t + 1] += at[t];
  make(at[threads]);
  check_interrupt();
  in_parallel(threads, [&](int t) { put(Block{cuts[t], cuts[t + 1]}, at[t]); });
}

// Columns of ticks as R has them.
template <class Tick> using ValueOf = std::conditional_t<std::is_same_v<Tick, std::int32_t>, int, double>;
int* column_of(SEXP column, int) { return INTEGER(column); }
double* column_of(SEXP column, double) { return REAL(column); }
template <class Value> SEXP new_column(R_xlen_t n) { return new_numbers(std::is_same_v<Value, int> ? INTSXP : REALSXP, n); }
const auto value_of = [](auto tick) { return as_value(tick); };

template <class Tick, class Distance>
SEXP stretches_in(const Spans<Tick>& spans, const int* line, Distance distance, Tick tolerance, int threads, bool tags,
                  bool with_places) {
  using Value = ValueOf<Tick>;
  const Shield found(new_vector(VECSXP, 7));
  StretchColumns<Value> columns{};
  find_in_lines(spans, line, threads,
                [&](Block part) { return count_stretches(spans, line, part, distance, tolerance); },
                [&](std::size_t size) {
    const R_xlen_t places = with_places ? size : 0;
    for (int c = 0; c < 2; ++c) SET_VECTOR_ELT(found, c, new_column<Value>(size));
    for (int c = 2; c < 6; ++c) SET_VECTOR_ELT(found, c, new_integers(c < 4 ? size : places));
    SET_VECTOR_ELT(found, 6, new_integers(tags ? spans.size : 0));
    const auto integers = [&](int c) { return INTEGER(VECTOR_ELT(found, c)); };
    if (tags) std::fill_n(integers(6), spans.size, 0);
    columns = {column_of(VECTOR_ELT(found, 0), Value{}), column_of(VECTOR_ELT(found, 1), Value{}), integers(2), integers(3),
               with_places ? integers(4) : nullptr, with_places ? integers(5) : nullptr, tags ? integers(6) : nullptr};
  }, [&](Block part, std::size_t at) { put_stretches(spans, line, part, distance, tolerance, columns, at, value_of); });
  return with_names(found, {"start", "stop", "line", "records", "first", "furthest", "tag"});
}

template <class Tick, class Distance>
SEXP gaps_in(const Spans<Tick>& spans, const int* line, Distance distance, Tick least, int threads) {
  using Value = ValueOf<Tick>;
  const Shield found(new_vector(VECSXP, 5));
  const auto column = [&](int c) { return VECTOR_ELT(found, c); };
  find_in_lines(spans, line, threads, [&](Block part) {
    std::size_t gaps = 0;
    each_gap(spans, line, part, distance, least, [&](std::size_t, std::size_t) { ++gaps; });
    return gaps;
  }, [&](std::size_t size) {
    for (int c = 0; c < 5; ++c) SET_VECTOR_ELT(found, c, c < 2 ? new_column<Value>(size) : new_integers(size));
  }, [&](Block part, std::size_t at) {
    Value *const start = column_of(column(0), Value{}), *const stop = column_of(column(1), Value{});
    int *const own = INTEGER(column(2)), *const before = INTEGER(column(3)), *const after = INTEGER(column(4));
    each_gap(spans, line, part, distance, least, [&](std::size_t behind, std::size_t ahead) {
      start[at] = value_of(spans.stop[behind]);
      stop[at] = value_of(spans.start[ahead]);
      own[at] = line ? line[ahead] : 0;
      before[at] = static_cast<int>(behind) + 1;
      after[at++] = static_cast<int>(ahead) + 1;
    });
  });
  return with_names(found, {"start", "stop", "line", "before", "after"});
}

}  // namespace

// [[Rcpp::export]]
SEXP kernel_stretches(SEXP start, SEXP stop, SEXP line, double tolerance, SEXP before, int origin,
                      bool tags, bool with_places, int threads) {
  const int most = door::threads(threads);
  return with_spans(start, stop, most, [&](auto spans) -> SEXP {
    using Tick = TickOf<decltype(spans)>;
    return with_distance(before, origin, spans, [&](auto distance) -> SEXP {
      return stretches_in(spans, lines_of(line, start, most), distance, to_length(tolerance, Tick{}), most, tags, with_places);
    });
  });
}

namespace {

// Columns of ranges whose last day lies `less` before the stop.
template <class Number> struct RangeColumns {
  double less, as_of;
  double *first, *last;
  Number* length;
  int* open;

  void put(std::size_t i, Number start, Number stop) const {
    const bool never = door::is_never(stop);
    const double until = !never ? static_cast<double>(stop) : start < as_of ? as_of : NA_REAL;
    first[i] = start;
    last[i] = until - less;
    length[i] = std::isnan(until) ? 0 : static_cast<Number>(until - start);
    open[i] = never;
  }
};

template <class Number>
void put_ranges(const Number* start, const Number* stop, std::size_t n, const RangeColumns<Number>& to, int threads) {
  in_blocks(n, threads, [=](std::size_t from, std::size_t until) {
    for (std::size_t i = from; i < until; ++i) to.put(i, start[i], stop[i]);
  });
}

}  // namespace

// Ranges as they are shown: from their first to their last day or moment, each with the
// attributes of `moment`, how long that is, and whether they are open: then they are looked at
// until `as_of`, where they have begun by then.
// [[Rcpp::export]]
SEXP range_table(SEXP start, SEXP stop, double as_of, SEXP moment, int threads) {
  const int most = door::threads(threads);
  door::check_spans(start, stop, most);
  const R_xlen_t n = Rf_xlength(start);
  const bool days = TYPEOF(start) == INTSXP;
  door::require(std::isnan(as_of) || std::fabs(as_of) <= (days ? door::most_days : door::most_seconds),
                "The as-of date is in no calendar.");
  const Shield first(new_doubles(n)), last(new_doubles(n)), length(new_numbers(TYPEOF(start), n)),
      open(new_flags(n));
  int* const opens = LOGICAL(open);
  if (days) {
    put_ranges(INTEGER_RO(start), INTEGER_RO(stop), n, {1, as_of, REAL(first), REAL(last), INTEGER(length), opens}, most);
  } else {
    put_ranges(REAL_RO(start), REAL_RO(stop), n, {0, as_of, REAL(first), REAL(last), REAL(length), opens}, most);
  }
  return Rcpp::unwindProtect([&]() -> SEXP {
    Rf_copyMostAttrib(moment, first);
    Rf_copyMostAttrib(moment, last);
    return named_list({{"start", first}, {"end", last}, {"length", length}, {"open", open}});
  });
}

// [[Rcpp::export]]
SEXP kernel_gaps(SEXP start, SEXP stop, SEXP line, double least, SEXP before, int origin, int threads) {
  const int most = door::threads(threads);
  return with_spans(start, stop, most, [&](auto spans) -> SEXP {
    using Tick = TickOf<decltype(spans)>;
    return with_distance(before, origin, spans, [&](auto distance) -> SEXP {
      return gaps_in(spans, lines_of(line, start, most), distance, std::max<Tick>(1, to_length(least, Tick{})), most);
    });
  });
}

// For each record the earlier one of its key that reaches furthest, as a place
// from 1, or 0. Records come by key and start; empty spans reach nothing.
// [[Rcpp::export]]
SEXP kernel_reach(SEXP start, SEXP stop, SEXP key) {
  const Shield place(new_integers(Rf_xlength(start)));
  with_spans(start, stop, 1, [&](auto spans) {
    reach_before(spans.start, spans.stop, door::keys(key, start), spans.size, INTEGER(place));
    return 0;
  });
  return place;
}

namespace {

template <class Tick> OverlapQuery<Tick> query_of(const Spans<Tick>& spans, SEXP start, SEXP line, SEXP side, double least, int threads) {
  return {spans, lines_of(line, start, threads), door::codes(side, spans.size, never<int>(), threads), std::max<Tick>(1, to_length(least, Tick{}))};
}

}  // namespace

// How many pairs overlap by `least` days or seconds, by thread; `side` may be NULL.
// [[Rcpp::export]]
SEXP kernel_pair_count(SEXP start, SEXP stop, SEXP line, SEXP side, double least, int threads) {
  const int most = door::threads(threads);
  const Shield pairs(new_doubles(most));
  double* const count = REAL(pairs);
  with_spans(start, stop, most, [&](auto spans) {
    const auto query = query_of(spans, start, line, side, least, most);
    const std::vector<std::size_t> cuts = cuts_of(query, most);
    in_parallel(most, [&](int t) {
      const auto own = query.part(cuts[t], cuts[t + 1]);
      count[t] = t == 0 ? count_overlaps(own, RPoll()) : count_overlaps(own);
    });
    return 0;
  });
  return pairs;
}

// The pairs, as places of the earlier and the later record, from 1; `pairs` says how many each
// thread was counted.
// [[Rcpp::export]]
SEXP kernel_pairs(SEXP start, SEXP stop, SEXP line, SEXP side, int sides, double least, SEXP pairs) {
  door::require(TYPEOF(pairs) == REALSXP && Rf_xlength(pairs) >= 1 && Rf_xlength(pairs) <= 256, "Pairs are counted by thread.");
  const int threads = static_cast<int>(Rf_xlength(pairs));
  std::vector<R_xlen_t> ends(threads + 1, 0);
  double all = 0;
  for (int t = 0; t < threads; ++t) {
    door::require(REAL(pairs)[t] >= 0, "There cannot be fewer pairs than none.");
    ends[t + 1] = door::rows(all += REAL(pairs)[t]);
  }
  door::require(sides >= 0, "There cannot be fewer sides than none.");
  door::codes(side, Rf_xlength(start), sides);
  const Shield a(new_integers(ends[threads])), b(new_integers(ends[threads]));
  int *const earlier = INTEGER(a), *const later = INTEGER(b);
  with_spans(start, stop, threads, [&](auto spans) {
    const auto query = query_of(spans, start, line, side, least, threads);
    const std::vector<std::size_t> cuts = cuts_of(query, threads);
    in_parallel(threads, [&](int t) {
      R_xlen_t at = ends[t];
      Countdown countdown;
      const int from = static_cast<int>(cuts[t]) + 1;
      const auto put = [&](std::size_t i, std::size_t j) {
        if (t == 0) countdown.step();
        door::require(at < ends[t + 1], "There are more pairs than were counted.");
        earlier[at] = static_cast<int>(i) + from;
        later[at++] = static_cast<int>(j) + from;
      };
      const auto own = query.part(cuts[t], cuts[t + 1]);
      if (t == 0) each_overlap(own, sides, put, RPoll());
      else each_overlap(own, sides, put);
      door::require(at == ends[t + 1], "There are fewer pairs than were counted.");
    });
    return 0;
  });
  return named_list({{"a", a}, {"b", b}});
}

// The level, change by change, by group; as in kernel_levels() each key counts
// once or a weight is summed.
// [[Rcpp::export]]
SEXP kernel_steps(SEXP start, SEXP stop, SEXP group, SEXP key, SEXP weight, double scale, SEXP how) {
  const Gather gather(how);
  return with_spans(start, stop, gather.threads(), [&](auto spans) -> SEXP {
    using Tick = TickOf<decltype(spans)>;
    door::check_weights(weight, spans.size, scale);
    const int* const codes = door::codes(group, spans.size, never<int>(), gather.threads());
    const int* const keys = door::keys(key, start, gather.threads());
    const auto steps_of = [&](auto number, const auto& source, auto levels) -> SEXP {
      return gather(StepPart<Tick, decltype(number)>(), source,
                    [](auto& part, const auto& some) { part.fill(some); }, [&](auto& part) {
        const auto steps = part.finish();
        const Shield level(levels(steps.level)), from(from_ticks(steps.start)), to(from_ticks(steps.stop)),
            groups(integers_of(steps.group));
        return named_list({{"start", from}, {"stop", to}, {"group", groups}, {"level", level}});
      });
    };
    if (!Rf_isNull(weight)) {
      const std::vector<std::int64_t> units = to_fixed(REAL_RO(weight), Rf_xlength(weight), scale);
      return steps_of(std::int64_t{}, RecordSource<Tick, std::int64_t>{spans, codes, units.data()}, [&](const auto& level) {
        return doubles_of(level, [&](std::int64_t units) { return units / scale; });
      });
    }
    const auto whole = [](const std::vector<int>& level) { return integers_of(level); };
    if (keys) return steps_of(int{}, KeySource<Tick>{spans, keys, codes}, whole);
    return steps_of(int{}, RecordSource<Tick, int>{spans, codes, nullptr}, whole);
  });
}

namespace {

// Start, stop, id, and where they are compared key, line and weight of a list.
template <class Tick>
Listed<Tick> listed(SEXP list, const Spans<Tick>& spans) {
  const R_xlen_t n = spans.size;
  const auto codes = [&](int at) { return door::codes(VECTOR_ELT(list, at), n, never<int>()); };
  const SEXP id = VECTOR_ELT(list, 2), weight = VECTOR_ELT(list, 5);
  door::require(TYPEOF(id) == INTSXP && Rf_xlength(id) == n, "Records must have an id each.");
  door::check_weights(weight, n, 1);
  return {spans.start, spans.stop, INTEGER_RO(id), codes(3), codes(4), Rf_isNull(weight) ? nullptr : REAL_RO(weight), spans.size};
}

void check_listed(SEXP list) {
  door::require(TYPEOF(list) == VECSXP && Rf_xlength(list) == 6, "A list of records has six columns.");
  door::check_spans(VECTOR_ELT(list, 0), VECTOR_ELT(list, 1));
}

template <class Tick> SEXP paired(const Listed<Tick>& now, const Listed<Tick>& was, bool by_start) {
  Countdown countdown;
  const Restatement found = ListPairing<Tick>(now, was, by_start).pair_all([&] { countdown.step(); });
  const Shield at(integers_of(found.at)), cause(integers_of(found.cause)), later(integers_of(found.now)),
      earlier(integers_of(found.was)), alike(integers_of({found.alike})), touched(integers_of(found.touched));
  return named_list({{"at", at}, {"alike", alike}, {"cause", cause}, {"now", later}, {"was", earlier}, {"touched", touched}});
}

}  // namespace

namespace {

template <class Tick> SEXP pieces_left(const Spans<Tick>& spans, const int* key, const Spans<Tick>& away, const int* away_key) {
  for (std::size_t j = 1; j < away.size; ++j) {
    door::require(away_key[j] != away_key[j - 1] || away.stop[j - 1] <= away.start[j], "What is taken away must not overlap.");
  }
  const PieceTable<Tick> left = take_away(spans, key, away, away_key, RPoll());
  const Shield record(places(left.record)), from(from_ticks(left.start)), to(from_ticks(left.stop));
  return named_list({{"record", record}, {"start", from}, {"stop", to}});
}

}  // namespace

// What is left of each record, as places from 1, where stretches of its key are taken away.
// [[Rcpp::export]]
SEXP kernel_minus(SEXP start, SEXP stop, SEXP key, SEXP first, SEXP last, SEXP side) {
  door::check_spans(start, stop);
  door::check_spans(first, last);
  door::same_type(start, first);
  const int* const keys = door::keys(key, start);
  const int* const away = door::keys(side, first);
  door::require(keys && away, "Spans are taken away by key.");
  const std::size_t n = Rf_xlength(start), m = Rf_xlength(first);
  if (TYPEOF(start) == INTSXP) {
    return pieces_left(Spans<std::int32_t>{INTEGER_RO(start), INTEGER_RO(stop), n}, keys,
                       Spans<std::int32_t>{INTEGER_RO(first), INTEGER_RO(last), m}, away);
  }
  const std::vector<std::int64_t> from = to_micros(start), to = to_micros(stop), out = to_micros(first), back = to_micros(last);
  return pieces_left(Spans<std::int64_t>{from.data(), to.data(), n}, keys, Spans<std::int64_t>{out.data(), back.data(), m}, away);
}

// For each record now which earlier one it is (from 1, 0: none), how many share what they are
// matched by, every change and, by start, the records now whose id has one.
// [[Rcpp::export]]
SEXP kernel_restated(SEXP now, SEXP was, bool by_start) {
  check_listed(now);
  check_listed(was);
  for (int at = 3; at < 6; ++at) {
    door::require(Rf_isNull(VECTOR_ELT(now, at)) == Rf_isNull(VECTOR_ELT(was, at)), "Both lists have the same columns.");
  }
  const SEXP starts[] = {VECTOR_ELT(now, 0), VECTOR_ELT(was, 0)}, stops[] = {VECTOR_ELT(now, 1), VECTOR_ELT(was, 1)};
  door::same_type(starts[0], starts[1]);
  const std::size_t n = Rf_xlength(starts[0]), m = Rf_xlength(starts[1]);
  if (TYPEOF(starts[0]) == INTSXP) {
    return paired(listed(now, Spans<std::int32_t>{INTEGER_RO(starts[0]), INTEGER_RO(stops[0]), n}),
                  listed(was, Spans<std::int32_t>{INTEGER_RO(starts[1]), INTEGER_RO(stops[1]), m}), by_start);
  }
  const std::vector<std::int64_t> start = to_micros(starts[0]), stop = to_micros(stops[0]),
                                  earlier_start = to_micros(starts[1]), earlier_stop = to_micros(stops[1]);
  return paired(listed(now, Spans<std::int64_t>{start.data(), stop.data(), n}),
                listed(was, Spans<std::int64_t>{earlier_start.data(), earlier_stop.data(), m}), by_start);
}
