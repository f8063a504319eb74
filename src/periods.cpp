#include "core/cohorts.h"
#include "core/fixed.h"
#include "core/movement.h"
#include "core/movement_rows.h"
#include "core/sweep.h"
#include "gather.h"
#include "ticks.h"

using namespace ridge;

namespace {

template <class Spans> using TickOf = std::remove_const_t<std::remove_pointer_t<decltype(Spans::start)>>;

// Levels by group and period, whole or by their scale. Periods without a tick, such as
// a day that a zone skipped, hold nobody.
template <class Tick, class Levels>
SEXP shaped(const Axis<Tick>& axis, int groups, const Levels& level, std::size_t row, double scale,
            bool weighted) {
  const R_xlen_t cells = static_cast<R_xlen_t>(axis.size) * groups;
  const Shield result(new_vector(weighted ? REALSXP : INTSXP, cells));
  const auto fill = [&](auto* to, auto convert) {
    for (int g = 0; g < groups; ++g) {
      for (int p = 0; p < axis.size; ++p) {
        const bool has_ticks = axis.first[p] < axis.stop[p];
        *to++ = has_ticks ? convert(level[static_cast<std::size_t>(g) * row + p]) : 0;
      }
    }
  };
  if (weighted) fill(REAL(result), [&](auto value) { return static_cast<double>(value) / scale; });
  else fill(INTEGER(result), [](auto value) { return static_cast<int>(value); });
  return result;
}

template <class Number, class Source, class Locator, class Tick>
SEXP levels_by_rule(Rule rule, const Source& source, const Axis<Tick>& axis, const Locator& locator,
                    int groups, double scale, bool weighted, const Gather& gather) {
  const auto fill = [&](auto& part, const auto& some) { part.fill(some, locator); };
  if (rule == Rule::mean) {
    return gather(MeanPart<Tick>(axis, groups), source, fill, [&](auto& part) {
      return doubles_of(part.finish(scale), [](double mean) { return mean; });
    });
  }
  if (rule == Rule::peak) {
    return gather(PeakPart<Tick>(axis, groups), source, fill, [&](auto& part) {
      return shaped(axis, groups, part.finish(), axis.size, scale, weighted);
    });
  }
  return gather(LevelPart<Number>(rule, axis.size, groups), source, fill, [&](auto& part) {
    return shaped(axis, groups, part.finish(), part.row(), scale, weighted);
  });
}

// Records without group or weight on an axis of days.
SEXP daily_levels(const Spans<std::int32_t>& spans, const Axis<std::int32_t>& axis, const Gather& gather) {
  return gather(LevelPart<std::int32_t>(Rule::any, axis.size, 1),
                RecordSource<std::int32_t, std::int32_t>{spans, nullptr, nullptr},
                [&](auto& part, const auto& some) { part.fill_daily(some.spans, axis); },
                [&](auto& part) { return shaped(axis, 1, part.finish(), part.row(), 1, false); });
}

// Opening and flows of each line, followed by their net and the closing, which are added
// up while they are whole numbers.
template <class Number>
std::vector<Number> with_closing(const std::vector<Number>& cells, std::size_t periods, int lines) {
  std::vector<Number> all;
  all.reserve(cells.size() / 6 * 8);
  for (int line = 0; line < lines; ++line) {
    const auto from = cells.begin() + line * periods * 6;
    all.insert(all.end(), from, from + periods * 6);
    const auto at = [&](int flow, std::size_t p) { return from[flow * periods + p]; };
    for (std::size_t p = 0; p < periods; ++p) {
      all.push_back(at(1, p) + at(2, p) + at(3, p) - at(4, p) - at(5, p));
    }
    const std::size_t net = all.size() - periods;
    for (std::size_t p = 0; p < periods; ++p) all.push_back(at(0, p) + all[net + p]);
  }
  return all;
}

}  // namespace

// Levels by group (all periods of the first group, then of the second, ...).
// `group`, `key` (codes from 0) and `weight` may be NULL; with a key, by which
// the spans are then ordered, each key counts once, with a weight its sum is
// taken, in whole numbers of 1 / scale. How they are gathered says gather.h.
// [[Rcpp::export]]
SEXP kernel_levels(SEXP start, SEXP stop, SEXP first, SEXP last, SEXP group, int groups, SEXP key,
                   SEXP weight, double scale, std::string rule, SEXP how) {
  const Rule by_rule = rule_named(rule);
  const Gather gather(how);
  door::check_weights(weight, Rf_xlength(start), scale);
  const int* const codes = door::groups(group, Rf_xlength(start), groups, gather.threads());
  const int* const keys = door::keys(key, start, gather.threads());
  if (Rf_length(first) == 0 || groups == 0) return new_integers(0);
  return with_ticks(start, stop, first, last, gather.threads(), [&](auto spans, auto axis, auto locator) -> SEXP {
    using Tick = TickOf<decltype(spans)>;
    if (keys) {
      const KeySource<Tick> source{spans, keys, codes};
      return levels_by_rule<std::int32_t>(by_rule, source, axis, locator, groups, 1, false, gather);
    }
    if (!Rf_isNull(weight)) {
      const std::vector<std::int64_t> units = to_fixed(REAL_RO(weight), Rf_xlength(weight), scale);
      const RecordSource<Tick, std::int64_t> source{spans, codes, units.data()};
      return levels_by_rule<std::int64_t>(by_rule, source, axis, locator, groups, scale, true, gather);
    }
    if constexpr (std::is_same_v<decltype(locator), DailyLocator>) {
      const bool plain = by_rule != Rule::mean && by_rule != Rule::peak;
      if (!codes && plain) return daily_levels(spans, axis, gather);
    }
    const RecordSource<Tick, std::int32_t> source{spans, codes, nullptr};
    return levels_by_rule<std::int32_t>(by_rule, source, axis, locator, groups, 1, false, gather);
  });
}

// Opening, started, returned, moved in, ended, moved out, net and closing of each group, all
// periods of one flow after the other; with `total` a line over all groups follows.
// `group`, `key`, `weight` and `scale` as in kernel_levels().
// [[Rcpp::export]]
SEXP kernel_flows(SEXP start, SEXP stop, SEXP first, SEXP last, SEXP group, int groups, SEXP key,
                  SEXP weight, double scale, bool total, bool returns, SEXP how) {
  const Gather gather(how);
  door::check_weights(weight, Rf_xlength(start), scale);
  const int* const codes = door::groups(group, Rf_xlength(start), groups, gather.threads());
  const int* const keys = door::keys(key, start, gather.threads());
  const int lines = groups + (total ? 1 : 0);
  const int all = total ? groups : -1;
  if (Rf_length(first) == 0) return new_doubles(0);
  return with_ticks(start, stop, first, last, gather.threads(), [&](auto spans, auto axis, auto locator) -> SEXP {
    using Tick = TickOf<decltype(spans)>;
    const auto flows_of = [&](auto number, const auto& source, auto move) -> SEXP {
      return gather(FlowPart<decltype(number), Tick, decltype(locator)>(axis, locator, lines), source, move,
                    [&](auto& part) {
        return doubles_of(with_closing(part.finish(), axis.size, lines),
                          [&](auto cell) { return static_cast<double>(cell) / scale; });
      });
    };
    const auto records = [&](auto& part, const auto& some) { move_records(some, part, all); };
    if (!Rf_isNull(weight)) {
      const std::vector<std::int64_t> units = to_fixed(REAL_RO(weight), Rf_xlength(weight), scale);
      return flows_of(std::int64_t{}, RecordSource<Tick, std::int64_t>{spans, codes, units.data()}, records);
    }
    if (!keys) {
      return flows_of(std::int32_t{}, RecordSource<Tick, std::int32_t>{spans, codes, nullptr}, records);
    }
    return flows_of(std::int32_t{}, KeySource<Tick>{spans, keys, codes},
                    [&](auto& part, const auto& some) { move_keys(some, part, all, returns); });
  });
}

// The rows behind the flows of keys: line, the other group (or -1), flow, period and record,
// as places from 0, and when.
// [[Rcpp::export]]
SEXP kernel_movement_rows(SEXP start, SEXP stop, SEXP first, SEXP last, SEXP group, int groups, SEXP key,
                          bool returns) {
  const int* const codes = door::groups(group, Rf_xlength(start), groups);
  const int* const keys = door::keys(key, start);
  door::require(keys && Rf_length(first) > 0, "Moves need keys and periods.");
  return with_ticks(start, stop, first, last, 1, [&](auto spans, auto axis, auto locator) -> SEXP {
    using Tick = TickOf<decltype(spans)>;
    MovementRows<Tick> rows;
    Countdown countdown;
    list_moves(KeySource<Tick>{spans, keys, codes}, [&](Tick at) { return period_of(axis, locator, at); },
               axis.size, returns, rows, [&] { countdown.step(); });
    const Shield line(integers_of(rows.line)), other(integers_of(rows.other)), flow(integers_of(rows.flow)),
        place(integers_of(rows.place)), record(integers_of(rows.record)), at(from_ticks(rows.at));
    return named_list({{"line", line}, {"other", other}, {"flow", flow}, {"place", place},
                       {"record", record}, {"at", at}});
  });
}

// Size by group and cohort; active by group, cohort and period, one entry more
// for each cohort. `until` is the tick before which a key has to start.
// [[Rcpp::export]]
SEXP kernel_cohorts(SEXP start, SEXP stop, SEXP first, SEXP last, SEXP key, SEXP group, int groups,
                    std::string rule, bool returns, double until, SEXP how) {
  const Gather gather(how);
  const Rule by_rule = rule_named(rule);
  const int* const codes = door::groups(group, Rf_xlength(start), groups, gather.threads());
  const int* const keys = door::keys(key, start, gather.threads());
  door::require(keys && groups >= 0 && Rf_length(first) > 0, "Cohorts need keys and periods.");
  return with_ticks(start, stop, first, last, gather.threads(), [&](auto spans, auto axis, auto locator) -> SEXP {
    using Tick = TickOf<decltype(spans)>;
    return gather(CohortPart<Tick>(axis, groups, by_rule, returns, to_tick(until, Tick{})),
                  KeySource<Tick>{spans, keys, codes},
                  [&](auto& part, const auto& some) { part.fill(some, locator); }, [](auto& part) {
      part.finish();
      const Shield size(integers_of(part.size())), active(integers_of(part.active()));
      return named_list({{"size", size}, {"active", active}});
    });
  });
}
