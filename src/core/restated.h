// Two lists of the same records, taken at two times: which record is which, and what of it
// changed.
#pragma once
#include <algorithm>
#include <cstddef>
#include <utility>
#include <vector>

namespace ridge {

// Records in the order of `id`, what they are matched by, and where `by_start` of their starts,
// which then are matched too. An earlier record whose id the later list does not have is below 0,
// wherever it stands.
template <class Tick> struct Listed {
  const Tick* start;
  const Tick* stop;
  const int* id;
  const int* key;
  const int* line;
  const double* weight;
  std::size_t size;
};

enum class Cause { added, removed, start, end, key, group, weight };

struct Restatement {
  std::vector<int> at;  // for each record now the earlier one from 1; 0: none
  std::vector<int> cause, now, was;  // every change, with places from 1; 0: none
  std::vector<int> touched;  // by start: records now, from 1, of an id with a change
  int alike = 0;  // records now that share what they are matched by

  void add(Cause what, int later, int earlier) {
    cause.push_back(static_cast<int>(what));
    now.push_back(later);
    was.push_back(earlier);
  }
};

template <class Tick> class ListPairing {
 public:
  ListPairing(const Listed<Tick>& later, const Listed<Tick>& earlier, bool by_start)
      : now_(later), was_(earlier), by_start_(by_start) {
    found_.at.assign(later.size, 0);
  }

  template <class Step> Restatement pair_all(const Step& step) {
    std::size_t i = 0, j = 0;
    while (i < now_.size || j < was_.size) {
      step();
      if (i < now_.size && j < was_.size && same(i, j) && !(goes_on(now_, i) | goes_on(was_, j))) {
        pair(i++, j++);
        continue;
      }
      const int order = compared(i, j);
      if (order < 0) found_.add(Cause::added, static_cast<int>(i++) + 1, 0);
      else if (order > 0) remove(j++);
      else pair_run(i, j);
    }
    if (by_start_) list_touched();
    return std::move(found_);
  }

 private:
  void list_touched() {
    std::vector<int> ids;
    for (std::size_t k = 0; k < found_.cause.size(); ++k) {
      ids.push_back(found_.now[k] > 0 ? now_.id[found_.now[k] - 1] : was_.id[found_.was[k] - 1]);
    }
    std::sort(ids.begin(), ids.end());
    std::size_t k = 0;
    for (std::size_t i = 0; i < now_.size; ++i) {
      while (k < ids.size() && ids[k] < now_.id[i]) ++k;
      if (k == ids.size()) break;
      if (ids[k] == now_.id[i]) found_.touched.push_back(static_cast<int>(i) + 1);
    }
  }

  bool same(std::size_t i, std::size_t j) const {
    return (now_.id[i] == was_.id[j]) & (!by_start_ | (now_.start[i] == was_.start[j]));
  }

  // Does the next record share what this one is matched by? Without a choice in between, as
  // keys end at no place that could be foreseen.
  bool goes_on(const Listed<Tick>& list, std::size_t at) const {
    const std::size_t next = at + 1 < list.size ? at + 1 : at;
    return (next != at) & (list.id[at] == list.id[next]) & (!by_start_ | (list.start[at] == list.start[next]));
  }

  int compared(std::size_t i, std::size_t j) const {
    if (i == now_.size) return 1;
    if (j == was_.size) return -1;
    if (now_.id[i] != was_.id[j]) return now_.id[i] < was_.id[j] ? -1 : 1;
    if (!by_start_ || now_.start[i] == was_.start[j]) return 0;
    return now_.start[i] < was_.start[j] ? -1 : 1;
  }

  std::size_t run_end(const Listed<Tick>& list, std::size_t from) const {
    std::size_t to = from + 1;
    while (goes_on(list, to - 1)) ++to;
    return to;
  }

  void remove(std::size_t j) { found_.add(Cause::removed, 0, static_cast<int>(j) + 1); }

  // Of several that share what they are matched by those alike in all are the same; the rest
  // pair in order.
  void pair_run(std::size_t& i, std::size_t& j) {
    const std::size_t i_end = run_end(now_, i), j_end = run_end(was_, j);
    found_.alike += static_cast<int>(i_end - i);
    std::vector<std::size_t> later = sorted(now_, i, i_end), earlier = sorted(was_, j, j_end);
    std::vector<std::size_t> rest_now, rest_was;
    std::size_t a = 0, b = 0;
    while (a < later.size() || b < earlier.size()) {
      const bool now_first = b == earlier.size() ||
                             (a < later.size() && less(now_, later[a], was_, earlier[b]));
      if (now_first) rest_now.push_back(later[a++]);
      else if (a == later.size() || less(was_, earlier[b], now_, later[a])) rest_was.push_back(earlier[b++]);
      else pair(later[a++], earlier[b++]);
    }
    const std::size_t both = std::min(rest_now.size(), rest_was.size());
    for (std::size_t k = 0; k < both; ++k) pair(rest_now[k], rest_was[k]);
    for (std::size_t k = both; k < rest_now.size(); ++k) found_.add(Cause::added, static_cast<int>(rest_now[k]) + 1, 0);
    for (std::size_t k = both; k < rest_was.size(); ++k) remove(rest_was[k]);
    i = i_end;
    j = j_end;
  }

  std::vector<std::size_t> sorted(const Listed<Tick>& list, std::size_t from, std::size_t to) const {
    std::vector<std::size_t> rows(to - from);
    for (std::size_t k = from; k < to; ++k) rows[k - from] = k;
    std::stable_sort(rows.begin(), rows.end(), [&](std::size_t a, std::size_t b) { return less(list, a, list, b); });
    return rows;
  }

  static bool less(const Listed<Tick>& list, std::size_t a, const Listed<Tick>& other, std::size_t b) {
    if (list.start[a] != other.start[b]) return list.start[a] < other.start[b];
    if (list.stop[a] != other.stop[b]) return list.stop[a] < other.stop[b];
    if (list.line && list.line[a] != other.line[b]) return list.line[a] < other.line[b];
    if (list.weight && list.weight[a] != other.weight[b]) return list.weight[a] < other.weight[b];
    return list.key && list.key[a] < other.key[b];
  }

  void pair(std::size_t i, std::size_t j) {
    const int later = static_cast<int>(i) + 1, earlier = static_cast<int>(j) + 1;
    found_.at[i] = earlier;
    if (now_.start[i] != was_.start[j]) found_.add(Cause::start, later, earlier);
    if (now_.stop[i] != was_.stop[j]) found_.add(Cause::end, later, earlier);
    if (now_.key && now_.key[i] != was_.key[j]) found_.add(Cause::key, later, earlier);
    if (now_.line && now_.line[i] != was_.line[j]) found_.add(Cause::group, later, earlier);
    if (now_.weight && now_.weight[i] != was_.weight[j]) found_.add(Cause::weight, later, earlier);
  }

  const Listed<Tick> now_, was_;
  const bool by_start_;
  Restatement found_;
};

}  // namespace ridge
