#include "core/fixed.h"
#include "core/minus.h"
#include "core/overlaps.h"
#include "core/restated.h"
#include "core/steps.h"
#include "core/stretches.h"
#include "ticks.h"

using namespace ridge;

namespace {

// Lines, each a partition of the spans: there are not more of them.
const int* lines_of(SEXP line, SEXP start) {
  return door::codes(line, Rf_xlength(start), std::max<double>(1, Rf_xlength(start)));
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
    int lowest = never<int>(), highest = -never<int>();
    for (std::size_t i = 0; i < spans.size; ++i) {
      if (spans.start[i] >= spans.stop[i]) continue;
      lowest = std::min(lowest, spans.start[i]);
      highest = std::max(highest, spans.start[i]);
      if (spans.stop[i] != never<int>()) highest = std::max(highest, spans.stop[i]);
    }
    if (!Rf_isNull(before)) door::check_table(before, origin, lowest, highest);
    if (!Rf_isNull(before)) return work(WorkingDaysBetween{INTEGER(before), origin});
  }
  return work(TicksBetween<Tick>{});
}

template <class Spans> using TickOf = std::remove_const_t<std::remove_pointer_t<decltype(Spans::start)>>;

}  // namespace

// [[Rcpp::export]]
SEXP kernel_stretches(SEXP start, SEXP stop, SEXP line, double tolerance, SEXP before, int origin,
                      bool tags, bool with_places) {
  door::check_spans(start, stop);
  const Shield tag(new_integers(tags ? Rf_xlength(start) : 0));
  return with_spans(start, stop, [&](auto spans) -> SEXP {
    using Tick = TickOf<decltype(spans)>;
    return with_distance(before, origin, spans, [&](auto distance) -> SEXP {
      const auto found = find_stretches(spans, lines_of(line, start), distance, to_length(tolerance, Tick{}),
                                        tags ? INTEGER(tag) : nullptr, with_places, RPoll());
      const Shield from(from_ticks(found.start)), to(from_ticks(found.stop)), lines(integers_of(found.line)),
          records(integers_of(found.records)), first(places(found.first)), furthest(places(found.furthest));
      return named_list({{"start", from}, {"stop", to}, {"line", lines}, {"records", records},
                         {"first", first}, {"furthest", furthest}, {"tag", tag}});
    });
  });
}

// [[Rcpp::export]]
SEXP kernel_gaps(SEXP start, SEXP stop, SEXP line, double least, SEXP before, int origin) {
  return with_spans(start, stop, [&](auto spans) -> SEXP {
    using Tick = TickOf<decltype(spans)>;
    return with_distance(before, origin, spans, [&](auto distance) -> SEXP {
      const Tick at_least = std::max<Tick>(1, to_length(least, Tick{}));
      const auto found = find_gaps(spans, lines_of(line, start), distance, at_least, RPoll());
      const Shield from(from_ticks(found.start)), to(from_ticks(found.stop)), lines(integers_of(found.line)),
          ahead(places(found.before)), behind(places(found.after));
      return named_list({{"start", from}, {"stop", to}, {"line", lines}, {"before", ahead}, {"after", behind}});
    });
  });
}

// For each record the earlier one of its key that reaches furthest, as a place
// from 1, or 0. Records come by key and start; empty spans reach nothing.
// [[Rcpp::export]]
SEXP kernel_reach(SEXP start, SEXP stop, SEXP key) {
  const Shield place(new_integers(Rf_xlength(start)));
  with_spans(start, stop, [&](auto spans) {
    reach_before(spans.start, spans.stop, door::keys(key, start), spans.size, INTEGER(place));
    return 0;
  });
  return place;
}

// How many pairs overlap by `least` days or seconds; `side` may be NULL.
// [[Rcpp::export]]
double kernel_pair_count(SEXP start, SEXP stop, SEXP line, SEXP side, double least) {
  return with_spans(start, stop, [&](auto spans) {
    using Tick = TickOf<decltype(spans)>;
    const Tick at_least = std::max<Tick>(1, to_length(least, Tick{}));
    return count_overlaps(OverlapQuery<Tick>{spans, lines_of(line, start), door::codes(side, spans.size, never<int>()), at_least}, RPoll());
  });
}

// The pairs, as places of the earlier and the later record, from 1.
// [[Rcpp::export]]
SEXP kernel_pairs(SEXP start, SEXP stop, SEXP line, SEXP side, int sides, double least, double pairs) {
  const R_xlen_t size = door::rows(pairs);
  door::require(sides >= 0, "There cannot be fewer sides than none.");
  door::codes(side, Rf_xlength(start), sides);
  const Shield a(new_integers(size)), b(new_integers(size));
  with_spans(start, stop, [&](auto spans) {
    using Tick = TickOf<decltype(spans)>;
    const Tick at_least = std::max<Tick>(1, to_length(least, Tick{}));
    R_xlen_t at = 0;
    Countdown countdown;
    const OverlapQuery<Tick> query{spans, lines_of(line, start), door::codes(side, spans.size, never<int>()), at_least};
    each_overlap(query, sides, [&](std::size_t earlier, std::size_t later) {
      countdown.step();
      door::require(at < size, "There are more pairs than were counted.");
      INTEGER(a)[at] = static_cast<int>(earlier) + 1;
      INTEGER(b)[at++] = static_cast<int>(later) + 1;
    }, RPoll());
    return 0;
  });
  return named_list({{"a", a}, {"b", b}});
}

// The level, change by change, by group; as in kernel_levels() each key counts
// once or a weight is summed.
// [[Rcpp::export]]
SEXP kernel_steps(SEXP start, SEXP stop, SEXP group, SEXP key, SEXP weight, double scale) {
  return with_spans(start, stop, [&](auto spans) -> SEXP {
    using Tick = TickOf<decltype(spans)>;
    door::check_weights(weight, spans.size, scale);
    const int* const codes = door::codes(group, spans.size, never<int>());
    const int* const keys = door::keys(key, start);
    const auto steps_of = [&](auto number, const auto& source) {
      StepPart<Tick, decltype(number)> part;
      in_parts(source, part_size, [&](const auto& some) {
        check_interrupt();
        part.fill(some);
      });
      return part.finish();
    };
    const auto listed = [](const auto& steps, SEXP level) {
      const Shield own(level), from(from_ticks(steps.start)), to(from_ticks(steps.stop)),
          groups(integers_of(steps.group));
      return named_list({{"start", from}, {"stop", to}, {"group", groups}, {"level", own}});
    };
    if (!Rf_isNull(weight)) {
      const std::vector<std::int64_t> units = to_fixed(REAL(weight), Rf_xlength(weight), scale);
      const auto steps = steps_of(std::int64_t{}, RecordSource<Tick, std::int64_t>{spans, codes, units.data()});
      return listed(steps, doubles_of(steps.level, [&](std::int64_t level) { return level / scale; }));
    }
    const auto steps = !keys ? steps_of(int{}, RecordSource<Tick, int>{spans, codes, nullptr})
                                      : steps_of(int{}, KeySource<Tick>{spans, keys, codes});
    return listed(steps, integers_of(steps.level));
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
  return {spans.start, spans.stop, INTEGER(id), codes(3), codes(4), Rf_isNull(weight) ? nullptr : REAL(weight), spans.size};
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
    return pieces_left(Spans<std::int32_t>{INTEGER(start), INTEGER(stop), n}, keys,
                       Spans<std::int32_t>{INTEGER(first), INTEGER(last), m}, away);
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
    return paired(listed(now, Spans<std::int32_t>{INTEGER(starts[0]), INTEGER(stops[0]), n}),
                  listed(was, Spans<std::int32_t>{INTEGER(starts[1]), INTEGER(stops[1]), m}), by_start);
  }
  const std::vector<std::int64_t> start = to_micros(starts[0]), stop = to_micros(stops[0]),
                                  earlier_start = to_micros(starts[1]), earlier_stop = to_micros(stops[1]);
  return paired(listed(now, Spans<std::int64_t>{start.data(), stop.data(), n}),
                listed(was, Spans<std::int64_t>{earlier_start.data(), earlier_stop.data(), m}), by_start);
}
