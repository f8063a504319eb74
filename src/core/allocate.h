// Amounts spread over the ticks of their spans: pieces by period that add up to
// the amount, or their totals without ever holding a piece.
#pragma once
#include "core/axis.h"
#include "core/sweep.h"
#include <cmath>
#include <vector>

namespace ridge {

// What an amount is spread over: ticks, working days, working time, or the
// periods touched.
template <class Tick> struct TickMeasure {
  Tick operator()(Tick t) const { return t; }
};

struct WorkingMeasure {
  const int* before;  // working days before each day from `origin` on
  int origin;
  int operator()(int t) const { return before[t - origin]; }
};

// Time that counts: sorted stretches that do not meet, and what lies before each.
struct ClockMeasure {
  const std::int64_t* open;
  const std::int64_t* close;
  const std::int64_t* before;
  std::size_t size;

  std::int64_t operator()(std::int64_t t) const {
    const std::size_t begun = std::upper_bound(open, open + size, t) - open;
    return begun == 0 ? 0 : before[begun - 1] + std::min(t, close[begun - 1]) - open[begun - 1];
  }
};

// Running shares of one amount, up to `part` of `whole`, rounded half away from
// zero. A piece is the difference of two of them. Most amounts fit into the
// narrow numbers that are quicker to divide.
class RoundedShares {
 public:
  RoundedShares(std::int64_t amount, std::int64_t whole)
      : size_(amount < 0 ? -amount : amount), whole_(whole), negative_(amount < 0),
        narrow_(size_ < std::numeric_limits<std::int64_t>::max() / (2 * whole) - 1) {}

  std::int64_t piece(std::int64_t before, std::int64_t through) {
    if (before != known_) share_ = up_to(before);
    const std::int64_t from = share_;
    known_ = through;
    share_ = up_to(through);
    return negative_ ? from - share_ : share_ - from;
  }

 private:
  std::int64_t size_, whole_;
  bool negative_, narrow_;
  std::int64_t known_ = 0, share_ = 0;  // the share up to `known_`

  std::int64_t up_to(std::int64_t part) const {
    if (narrow_) return (2 * size_ * part + whole_) / (2 * whole_);
    return static_cast<std::int64_t>((2 * static_cast<Wide>(size_) * part + whole_) / (2 * static_cast<Wide>(whole_)));
  }
};

// The pieces of one span: where the periods [range) cut it, measured from its
// start. Calls visit(period, ticks, before, through): what is covered, and how
// much of the whole comes before and with the piece.
template <class Tick, class Measure, class Visit>
void each_piece(Tick start, Tick stop, const Axis<Tick>& axis, PeriodRange range, bool equal_parts,
                PeriodRange touched, const Measure& measure, Visit visit) {
  for (int p = range.from; p < range.to; ++p) {
    const Tick from = std::max(start, axis.first[p]), to = std::min(stop, axis.stop[p]);
    if (equal_parts) {
      const std::int64_t before = p - touched.from;
      visit(p, to - from, before, before + 1);
    } else {
      const std::int64_t origin = measure(start);
      visit(p, to - from, measure(from) - origin, measure(to) - origin);
    }
  }
}

// How much an amount is spread over in all.
template <class Tick, class Measure>
std::int64_t whole_of(Tick start, Tick stop, bool equal_parts, PeriodRange touched,
                      const Measure& measure) {
  return equal_parts ? touched.to - touched.from : measure(stop) - measure(start);
}

// Sums by group and period of the window of weight(i) times what span i has in the
// period: full periods through the weight, which begins and ends, the two at the
// edges on their own. Whole numbers, so that nothing is left where nothing is.
template <class Tick, class Locator, class Measure, class Weight>
std::vector<Wide> spread_sums(const Spans<Tick>& spans, const Weight& weight, const int* group, int groups,
                              const Axis<Tick>& axis, const Locator& locator, PeriodRange window,
                              bool equal_parts, const Measure& measure) {
  const std::size_t row = static_cast<std::size_t>(axis.size) + 1;
  std::vector<Wide> edges(row * groups, 0), change(row * groups, 0);
  const auto part = [&](int p, Tick from, Tick to) -> std::int64_t {
    return equal_parts ? 1 : measure(std::min(to, axis.stop[p])) - measure(std::max(from, axis.first[p]));
  };
  for (std::size_t i = 0; i < spans.size; ++i) {
    const Wide rate = weight(i);
    const Tick start = spans.start[i], stop = spans.stop[i];
    const PeriodRange range = active_periods<Rule::any>(locator, start, stop);
    if (rate == 0 || start >= stop || range.from >= range.to) continue;
    const std::size_t at = (group ? group[i] : 0) * row;
    const int last = range.to - 1;
    edges[at + range.from] += rate * part(range.from, start, stop);
    if (last > range.from) edges[at + last] += rate * part(last, start, stop);
    if (last > range.from + 1) {
      change[at + range.from + 1] += rate;
      change[at + last] -= rate;
    }
  }
  running_sums(change, groups, axis.size);
  const int shown = window.to - window.from;
  std::vector<Wide> sums(static_cast<std::size_t>(shown) * groups);
  for (int g = 0; g < groups; ++g) {
    for (int p = window.from; p < window.to; ++p) {
      const Wide full = equal_parts ? 1 : measure(axis.stop[p]) - measure(axis.first[p]);
      sums[static_cast<std::size_t>(g) * shown + p - window.from] = edges[g * row + p] + change[g * row + p] * full;
    }
  }
  return sums;
}

// Unrounded totals of amounts; rates are whole numbers of a small unit.
template <class Tick, class Locator, class Measure>
std::vector<double> even_totals(const Spans<Tick>& spans, const double* amount, const int* group,
                                int groups, const Axis<Tick>& axis, const Locator& locator,
                                PeriodRange window, bool equal_parts, const Measure& measure) {
  const auto rate_of = [&](std::size_t i) {
    const PeriodRange touched = active_periods<Rule::any>(locator, spans.start[i], spans.stop[i]);
    const std::int64_t whole = whole_of(spans.start[i], spans.stop[i], equal_parts, touched, measure);
    return std::isnan(amount[i]) || whole <= 0 ? 0.0 : amount[i] / static_cast<double>(whole);
  };
  std::vector<double> rates(spans.size);
  double largest = 0;
  for (std::size_t i = 0; i < spans.size; ++i) {
    rates[i] = rate_of(i);
    largest = std::max(largest, std::fabs(rates[i]));
  }
  std::int64_t longest = 1;
  for (int p = 0; p < axis.size; ++p) {
    longest = std::max<std::int64_t>(longest, axis.stop[p] - axis.first[p]);
  }
  // As many bits as leave room for the sum of all rates over the longest period.
  const double room = 125 - std::ceil(std::log2(spans.size + 1.0)) - std::ceil(std::log2(longest + 1.0));
  const double scale = largest > 0 ? std::exp2(std::min(90.0, room) - std::ceil(std::log2(largest))) : 1;
  const auto weight = [&](std::size_t i) { return static_cast<Wide>(std::nearbyint(rates[i] * scale)); };
  const std::vector<Wide> sums = spread_sums(spans, weight, group, groups, axis, locator, window, equal_parts, measure);
  std::vector<double> totals(sums.size());
  for (std::size_t i = 0; i < sums.size(); ++i) totals[i] = static_cast<double>(sums[i]) / scale;
  return totals;
}

}  // namespace ridge
