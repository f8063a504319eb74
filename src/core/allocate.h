// Amounts spread over the ticks of their spans: pieces by period that add up to
// the amount, or their totals without ever holding a piece.
#pragma once
#include "core/partial.h"
#include "core/rules.h"
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

// Running shares of one amount without its sign, up to `part` of `whole`, rounded half up. Most
// amounts are so small that to multiply by the inverse takes the place of a division: it leaves
// less of an error than half a step of what is divided, or, for larger ones, one unit at most,
// which is made good.
class RoundedShares {
 public:
  RoundedShares(std::int64_t amount, std::int64_t whole)
      : size_(amount < 0 ? -amount : amount), whole_(whole), inverse_(0.5 / static_cast<double>(whole)) {
    const double twice = 2.0 * static_cast<double>(size_), most = twice * static_cast<double>(whole) + static_cast<double>(whole);
    small_ = most < 1125899906842624.0;                                     // 2^50
    narrow_ = most < 4611686018427387904.0 && twice < 1125899906842624.0;  // 2^62
  }

  std::int64_t operator()(std::int64_t part) const {
    if (small_) return small()(part);
    if (narrow_) {
      const std::int64_t times = 2 * size_ * part + whole_, each = 2 * whole_;
      const std::int64_t near = static_cast<std::int64_t>(static_cast<double>(times) * inverse_);
      const std::int64_t left = times - near * each;
      return near + (left >= each) - (left < 0);
    }
    return static_cast<std::int64_t>((2 * static_cast<Wide>(size_) * part + whole_) / (2 * static_cast<Wide>(whole_)));
  }

  // Calls work(shares) with what gives the shares in the least time.
  template <class Work> void fastest(Work work) const {
    if (small_) work(small());
    else work(*this);
  }

 private:
  std::int64_t size_, whole_;
  bool small_, narrow_;
  double inverse_;

  struct Small {
    double twice, half, inverse;
    std::int64_t operator()(std::int64_t part) const {
      return static_cast<std::int64_t>((twice * static_cast<double>(part) + half) * inverse);
    }
  };

  Small small() const { return {2.0 * static_cast<double>(size_), static_cast<double>(whole_) + 0.5, inverse_}; }
};

// A piece is the difference of two shares; where one begins where the one before ended the first
// share is known. Halves are rounded away from zero.
template <class Shares> class RunningPieces {
 public:
  RunningPieces(const Shares& shares, bool negative) : shares_(shares), negative_(negative) {}

  std::int64_t operator()(std::int64_t before, std::int64_t through) {
    if (before != known_) share_ = shares_(before);
    const std::int64_t from = share_;
    known_ = through;
    share_ = shares_(through);
    return negative_ ? from - share_ : share_ - from;
  }

 private:
  Shares shares_;
  bool negative_;
  std::int64_t known_ = 0, share_ = 0;  // the share up to `known_`
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

// The touched periods that are shown.
inline PeriodRange shown_of(PeriodRange touched, PeriodRange window) {
  const int first = std::max(touched.from, window.from);
  return {first, std::max(first, std::min(touched.to, window.to))};
}

// How much an amount is spread over in all; what has no end has no share.
template <class Tick, class Measure>
std::int64_t whole_of(Tick start, Tick stop, bool equal_parts, PeriodRange touched,
                      const Measure& measure) {
  if (equal_parts) return touched.to - touched.from;
  if (stop == never<Tick>()) return 0;
  return static_cast<std::int64_t>(measure(stop)) - measure(start);
}

// Spans with what they carry, their group, and which of them there are.
template <class Tick, class Amount> struct AmountSource {
  Spans<Tick> spans;
  const int* group;      // null: all in group 0
  const Amount* amount;  // null: each carries 1

  std::size_t size() const { return spans.size; }
  std::size_t end_of(std::size_t at) const { return at < spans.size ? at : spans.size; }
  AmountSource part(std::size_t from, std::size_t to) const {
    return {spans.part(from, to), group ? group + from : nullptr, amount ? amount + from : nullptr};
  }
};

// Sums by group and period of rates times what the spans have in the period: full periods
// through the rate, which begins and ends, the two at the edges on their own. Whole
// numbers, so that nothing is left where nothing is.
template <class Tick, class Measure> class SpreadPart {
 public:
  SpreadPart(const Axis<Tick>& axis, int groups, bool equal_parts, const Measure& measure)
      : axis_(axis), groups_(groups), equal_parts_(equal_parts), measure_(measure),
        row_(static_cast<std::size_t>(axis.size) + 1), edges_(row_ * groups), change_(row_ * groups) {}

  // rate(i) is that of span i, a whole number.
  template <class Source, class Locator, class Rate>
  void fill(const Source& source, const Locator& locator, const Rate& rate_of) {
    const Spans<Tick>& spans = source.spans;
    for (std::size_t i = 0; i < spans.size; ++i) {
      const Wide rate = rate_of(source, i);
      const Tick start = spans.start[i], stop = spans.stop[i];
      const PeriodRange range = touched_periods(locator, start, stop);
      if (rate == 0 || start >= stop || range.from >= range.to) continue;
      const std::size_t at = (source.group ? source.group[i] : 0) * row_;
      const int last = range.to - 1;
      edges_[at + range.from] += rate * part(range.from, start, stop);
      if (last > range.from) edges_[at + last] += rate * part(last, start, stop);
      if (last > range.from + 1) {
        change_[at + range.from + 1] += rate;
        change_[at + last] -= rate;
      }
    }
  }

  std::size_t cells() const { return edges_.size(); }
  void add(const SpreadPart& other) {
    edges_.add(other.edges_);
    change_.add(other.change_);
  }
  void put(Bytes& bytes) const {
    edges_.put(bytes);
    change_.put(bytes);
  }
  void take(Bytes& bytes) {
    edges_.take(bytes);
    change_.take(bytes);
  }

  std::vector<Wide> finish(PeriodRange window) {
    change_.run(row_);
    const std::size_t shown = window.to - window.from;
    std::vector<Wide> sums(shown * groups_);
    for (int g = 0; g < groups_; ++g) {
      for (int p = window.from; p < window.to; ++p) {
        const Wide full = equal_parts_ ? 1 : measure_(axis_.stop[p]) - measure_(axis_.first[p]);
        sums[g * shown + p - window.from] = edges_[g * row_ + p] + change_[g * row_ + p] * full;
      }
    }
    return sums;
  }

 private:
  Axis<Tick> axis_;
  int groups_;
  bool equal_parts_;
  Measure measure_;
  std::size_t row_;
  Cells<Wide> edges_, change_;

  std::int64_t part(int p, Tick from, Tick to) const {
    return equal_parts_ ? 1 : measure_(std::min(to, axis_.stop[p])) - measure_(std::max(from, axis_.first[p]));
  }
};

// Totals of amounts rounded to units: sums of the rounded pieces.
template <class Tick, class Measure> class RoundedPart {
 public:
  RoundedPart(const Axis<Tick>& axis, int groups, PeriodRange window, bool equal_parts, const Measure& measure)
      : axis_(axis), window_(window), equal_parts_(equal_parts), measure_(measure),
        shown_(window.to - window.from), sums_(shown_ * groups) {}

  template <class Source, class Locator> void fill(const Source& source, const Locator& locator) {
    const Spans<Tick>& spans = source.spans;
    for (std::size_t i = 0; i < spans.size; ++i) {
      if (std::isnan(source.amount[i]) || spans.start[i] >= spans.stop[i]) continue;
      const PeriodRange touched = touched_periods(locator, spans.start[i], spans.stop[i]);
      const std::int64_t whole = whole_of(spans.start[i], spans.stop[i], equal_parts_, touched, measure_);
      const std::size_t at = (source.group ? source.group[i] : 0) * shown_;
      Wide* const sums = sums_.row(at);
      RoundedShares(static_cast<std::int64_t>(source.amount[i]), std::max<std::int64_t>(whole, 1)).fastest([&](const auto& shares) {
        RunningPieces piece(shares, source.amount[i] < 0);
        each_piece(spans.start[i], spans.stop[i], axis_, shown_of(touched, window_), equal_parts_, touched, measure_,
                   [&](int p, auto, std::int64_t begin, std::int64_t end) { sums[p - window_.from] += piece(begin, end); });
      });
    }
  }

  std::size_t cells() const { return sums_.size(); }
  void add(const RoundedPart& other) { sums_.add(other.sums_); }
  void put(Bytes& bytes) const { sums_.put(bytes); }
  void take(Bytes& bytes) { sums_.take(bytes); }
  const std::vector<Wide>& finish() const { return sums_.all(); }

 private:
  Axis<Tick> axis_;
  PeriodRange window_;
  bool equal_parts_;
  Measure measure_;
  std::size_t shown_;
  Cells<Wide> sums_;
};

// The amount of each span by what it is spread over; 0 where there is nothing to spread.
template <class Tick, class Locator, class Measure>
double rate_of(const AmountSource<Tick, double>& source, std::size_t i, const Locator& locator,
               bool equal_parts, const Measure& measure) {
  const Tick start = source.spans.start[i], stop = source.spans.stop[i];
  const std::int64_t whole = whole_of(start, stop, equal_parts, touched_periods(locator, start, stop), measure);
  return std::isnan(source.amount[i]) || whole <= 0 ? 0.0 : source.amount[i] / static_cast<double>(whole);
}

// A scale by which rates become whole numbers: as many bits as leave room for the sum of
// all rates over the longest period. The largest rate is that of all parts.
template <class Tick> double rate_scale(double largest, std::size_t spans, const Axis<Tick>& axis) {
  std::int64_t longest = 1;
  for (int p = 0; p < axis.size; ++p) {
    longest = std::max<std::int64_t>(longest, axis.stop[p] - axis.first[p]);
  }
  const double room = 125 - std::ceil(std::log2(spans + 1.0)) - std::ceil(std::log2(longest + 1.0));
  return largest > 0 ? std::exp2(room - std::ceil(std::log2(largest))) : 1;
}

}  // namespace ridge
