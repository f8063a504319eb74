// The calculations on their own: compiled with the standard library alone.
#include "core/allocate.h"
#include "core/axis.h"
#include "core/calendar.h"
#include "core/coded.h"
#include "core/cohorts.h"
#include "core/fixed.h"
#include "core/day_lines.h"
#include "core/iso_text.h"
#include "core/minus.h"
#include "core/movement.h"
#include "core/movement_rows.h"
#include "core/overlaps.h"
#include "core/order.h"
#include "core/parquet_pages.h"
#include "core/partial.h"
#include "core/restated.h"
#include "core/rules.h"
#include "core/scaffold.h"
#include "core/spans.h"
#include "core/steps.h"
#include "core/stretches.h"
#include "core/sweep.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstring>
#include <map>
#include <numeric>
#include <random>
#include <sstream>
#include <stdexcept>
#include <string>

using namespace ridge;

static int passed = 0;
static int failed = 0;

#define CHECK(condition)                                                     \
  do {                                                                       \
    if (condition) {                                                         \
      ++passed;                                                              \
    } else {                                                                 \
      ++failed;                                                              \
      std::printf("%s:%d: not so: %s\n", __FILE__, __LINE__, #condition);    \
    }                                                                        \
  } while (false)

static void calendar_walks_from_1600_to_9999() {
  int year = 1600, month = 1, day = 1, of_week = 6;  // a Saturday
  bool same = true;
  for (int number = day_number(1600, 1, 1); number <= day_number(9999, 12, 31); ++number) {
    const CivilDate date = civil_date(number);
    same = same && date.year == year && date.month == month && date.day == day;
    same = same && day_number(year, month, day) == number && weekday(number) == of_week;
    of_week = of_week % 7 + 1;
    if (++day > days_in_month(year, month)) {
      day = 1;
      if (++month > 12) {
        month = 1;
        ++year;
      }
    }
  }
  CHECK(same);
  CHECK(day_number(1970, 1, 1) == 0);
  CHECK(is_leap_year(2000) && !is_leap_year(1900) && is_leap_year(2024));
}

static void grains_cut_whole_periods() {
  const DayGrain months{true, 1, 24000};
  const auto bounds = period_bounds(months, day_number(2024, 2, 15), day_number(2024, 3, 1));
  CHECK(bounds.size() == 3);
  CHECK(bounds[0] == day_number(2024, 2, 1) && bounds[1] == day_number(2024, 3, 1));
  const DayGrain weeks{false, 14, day_number(2000, 1, 3)};
  CHECK(weeks.floor(day_number(2000, 1, 2)) == day_number(1999, 12, 20));
}

static Reading reading_of(const char* text) {
  return IsoReader(text, std::strlen(text)).read().reading;
}

static void iso_text_is_read_or_refused() {
  CHECK(reading_of("2024-02-29") == Reading::date);
  CHECK(reading_of(" 20240229 ") == Reading::date);
  CHECK(reading_of("2023-02-29") == Reading::unreadable);
  CHECK(reading_of("2024-13-01") == Reading::unreadable);
  CHECK(reading_of("29/02/2024") == Reading::unreadable);
  CHECK(reading_of("2024-02-29T08:15") == Reading::local_time);
  CHECK(reading_of("2024-02-29 24:00") == Reading::local_time);
  CHECK(reading_of("2024-02-29 25:00") == Reading::unreadable);
  CHECK(reading_of("2024-02-29T08:15:30.5Z") == Reading::utc_time);
  CHECK(reading_of("2024-02-29T08:15+05:30") == Reading::utc_time);
  CHECK(reading_of("   ") == Reading::blank);
  const char* text = "2024-02-29T08:15+05:30";
  CHECK(IsoReader(text, std::strlen(text)).read().second_of_day == 3600 * 2.75);
}

static bool takes_line(const std::string& line, DayLines lines = DayLines({',', 3, {1, 2}})) {
  return lines.take(line.data(), line.data() + line.size());
}

static void days_are_taken_from_plain_lines_only() {
  CHECK(takes_line("a,2024-02-29,2026-01-01"));
  CHECK(takes_line("a,2024-02-29,\r"));
  CHECK(takes_line(",,"));
  for (const char* other : {"a,2023-02-29,", "a,20240229,", "a, 2024-02-29,", "a,2024-02-29,,", "a,2024-02-29", "", "\r", " a,,", "a,\r,", "a,0999-01-01,",
                            "a,2024-02-29T10:00,", "a,2024-02-2,"}) {
    CHECK(!takes_line(other));
  }
  DayLines lines({';', 2, {1}});
  const std::string line = "x;2000-01-01";
  CHECK(lines.take(line.data(), line.data() + line.size()) && lines.take(line.data(), line.data() + 2));
  CHECK(lines.days()[0] == std::vector<std::int32_t>({day_number(2000, 1, 1), DayLines::no_day}));
  CHECK(days_of_file("no such file", {',', 1, {0}}, 0, 2).empty());
}

static void every_rule_finds_its_periods() {
  const std::int32_t first[] = {0, 10, 20}, stop[] = {10, 20, 30};
  const Axis<std::int32_t> axis{first, stop, 3};
  const TableLocator table(axis);
  const auto any = active_periods<Rule::any>(table, 5, 20);
  CHECK(any.from == 0 && any.to == 2);
  const auto at_first = active_periods<Rule::first>(table, 5, 20);
  CHECK(at_first.from == 1 && at_first.to == 2);
  const auto at_last = active_periods<Rule::last>(table, 5, 19);
  CHECK(at_last.from == 0 && at_last.to == 1);
  const auto throughout = active_periods<Rule::every>(table, 0, never<std::int32_t>());
  CHECK(throughout.from == 0 && throughout.to == 3);
}

template <class Tick> static std::vector<int> order_found(const std::vector<Tick>& start, const std::vector<int>& key, int keys,
                                                          int threads) {
  std::vector<int> order(start.size(), -1);
  each_in_order(start.data(), Keys{key.empty() ? nullptr : key.data(), 0, keys}, start.size(), threads,
                [&](std::size_t place, int record, int own_key, Tick own_start) {
                  order[place] = own_start == start[record] && own_key == (key.empty() ? 0 : key[record]) ? record : -1;
                }, NoPoll());
  return order;
}

template <class Tick> static std::vector<int> order_told(const std::vector<Tick>& start, const std::vector<int>& key) {
  std::vector<int> order(start.size());
  std::iota(order.begin(), order.end(), 0);
  std::stable_sort(order.begin(), order.end(), [&](int a, int b) {
    if (!key.empty() && key[a] != key[b]) return key[a] < key[b];
    return start[a] < start[b];
  });
  return order;
}

// Few and many records, keys and starts, also one key, no key, starts with every bit, and seconds.
static void records_come_by_key_and_start() {
  std::mt19937_64 random(11);
  for (int round = 0; round < 300; ++round) {
    const std::size_t n = random() % (round % 10 == 0 ? 20000 : 60);
    const int keys = 1 + random() % (round % 3 == 0 ? 1 : round % 3 == 1 ? 5 : 2000000);
    std::vector<int> key(n);
    std::vector<std::int32_t> day(n);
    std::vector<std::int64_t> micro(n), second(n);
    for (std::size_t i = 0; i < n; ++i) {
      key[i] = random() % keys;
      day[i] = static_cast<std::int32_t>(random() % (round % 2 ? 30 : 2000000)) - 500;
      micro[i] = static_cast<std::int64_t>(random() >> (round % 5 * 8)) / (round % 2 ? 1 : -2);
      second[i] = 1000000 * (static_cast<std::int64_t>(random() % 4000000000u) - 2000000000);
    }
    if (round % 7 == 0) key.clear();
    const int size = key.empty() ? 1 : keys;
    for (const int threads : {1, 2, 5}) {
      CHECK(order_found(day, key, size, threads) == order_told(day, key));
      CHECK(order_found(micro, key, size, threads) == order_told(micro, key));
      CHECK(order_found(second, key, size, threads) == order_told(second, key));
    }
  }
}

// Keys as they are become codes, on any number of threads; also one key through all blocks, and keys at
// either end of what a number can be.
static void keys_become_codes_when_sorted() {
  std::mt19937 random(17);
  for (int round = 0; round < 200; ++round) {
    const std::size_t n = 1 + random() % (round % 10 == 0 ? 20000 : 30);
    const int range = round % 4 == 0 ? 1 : round % 4 == 1 ? 3 : round % 4 == 2 ? 90000 : 2147483647;
    const int low = round % 3 == 0 ? std::numeric_limits<int>::min() + 1 : round % 3 == 1 ? -2 : 0;
    std::vector<int> key(n), day(n);
    for (std::size_t i = 0; i < n; ++i) {
      key[i] = static_cast<int>(low + static_cast<std::int64_t>(random() % range));
      day[i] = random() % 50;
    }
    std::map<int, std::pair<int, int>> told;  // by key: its code, and where it stands first
    for (std::size_t i = n; i-- > 0;) told[key[i]].second = static_cast<int>(i);
    std::vector<int> rows;
    for (auto& one : told) {
      one.second.first = static_cast<int>(rows.size());
      rows.push_back(one.second.second);
    }
    for (const int threads : {1, 2, 5, 40}) {
      const Reach<int> reach = reach_of(key.data(), n, threads, [](int) { return false; });
      CHECK(reach.low == told.begin()->first && reach.high == told.rbegin()->first);
      const int size = reach.size(3e9);
      if (size == 0) continue;
      std::vector<int> sorted(n), order(n);
      each_in_order(day.data(), Keys{key.data(), reach.low, size}, n, threads,
                    [&](std::size_t place, int record, int own, int) {
        sorted[place] = own;
        order[place] = record;
      }, NoPoll());
      SortedNumbers numbers(sorted.data(), n, threads);
      std::vector<int> first(numbers.count());
      numbers.become_codes(order.data(), first.data());
      CHECK(first == rows);
      CHECK(order == order_told(day, key));
      for (std::size_t place = 0; place < n; ++place) CHECK(sorted[place] == told[key[order[place]]].first);
    }
  }
  CHECK((Reach<int>{1, 100}.size(99) == 0 && Reach<int>{1, 100}.size(100) == 100 && Reach<int>{-2147483647, 2147483647}.size(1e12) == 0));
  CHECK(reach_of(static_cast<const int*>(nullptr), 0, 3, [](int) { return false; }).size(1e12) == 0);
}

static void numbers_become_codes() {
  const auto never_missing = [](int) { return false; };
  const std::vector<int> values{7, -3, 7, 9, -3, 100};
  for (const int threads : {1, 3}) {
    std::vector<int> codes(6);
    const Coded coded = code_numbers(values.data(), 6, threads, never_missing, codes.data());
    CHECK(coded.fits);
    CHECK((codes == std::vector<int>{1, 0, 1, 2, 0, 3}));
    CHECK((coded.rows == std::vector<int>{1, 0, 3, 5}));
  }
  std::vector<int> codes(3);
  const std::vector<int> far{1, 2000000000, -2000000000};
  CHECK(!code_numbers(far.data(), 3, 1, never_missing, codes.data()).fits);
  const std::vector<double> parts{1, 1.5, 2};
  const auto is_nan = [](double value) { return std::isnan(value); };
  CHECK(!code_numbers(parts.data(), 3, 2, is_nan, codes.data()).fits);
  const std::vector<double> gaps{4, std::nan(""), 2};
  CHECK(code_numbers(gaps.data(), 3, 2, is_nan, codes.data()).fits);
  CHECK((codes == std::vector<int>{1, 2, 0}));
  CHECK(code_numbers(gaps.data(), 0, 2, is_nan, codes.data()).rows.empty());
}

static void texts_are_sorted_by_their_bytes() {
  std::mt19937 random(5);
  for (int round = 0; round < 200; ++round) {
    std::vector<std::string> texts;
    const std::string same(round % 4 * 3, 'x');
    for (int i = 0; i < 50; ++i) {
      std::string text = same;
      for (int size = random() % 14; size > 0; --size) text += static_cast<char>(random() % (round % 2 ? 3 : 256));
      texts.push_back(text);
    }
    std::sort(texts.begin(), texts.end());
    texts.erase(std::unique(texts.begin(), texts.end()), texts.end());
    std::vector<std::string> mixed = texts;
    std::shuffle(mixed.begin(), mixed.end(), random);
    std::vector<Text> given;
    for (const std::string& text : mixed) given.push_back({text.data(), text.size()});
    for (const int threads : {1, 2, 5}) {
      std::vector<std::string> found;
      for (const int place : order_of_texts(given, threads, NoPoll())) found.push_back(mixed[place]);
      CHECK(found == texts);
    }
  }
}

static void addresses_are_numbered_as_they_are_met() {
  const std::vector<int> things(5000);
  Addresses addresses(1);
  bool fresh = false;
  for (int again = 0; again < 2; ++again) {
    for (int i = 0; i < 5000; ++i) {
      CHECK(addresses.number_of(&things[i], fresh) == i);
      CHECK(fresh == (again == 0));
    }
  }
}

static void things_are_numbered_by_several_threads() {
  const std::vector<int> things(700);
  std::mt19937 random(5);
  std::vector<const int*> met(6000);
  for (const int*& one : met) one = &things[random() % things.size()];
  for (const int threads : {1, 2, 5}) {
    std::vector<int> numbers(met.size());
    const auto first = number_things(met.data(), met.size(), threads, numbers.data(), [] {});
    bool same = true;
    for (std::size_t i = 0; i < met.size(); ++i) {
      const int row = first[Addresses::owner(met[i], threads)][numbers[i]];
      same = same && met[row] == met[i] && std::find(met.begin(), met.begin() + row, met[i]) == met.begin() + row;
    }
    CHECK(same);
  }
}

static void numbers_are_sorted_by_several_threads() {
  std::mt19937_64 random(6);
  for (const std::size_t n : {0, 1, 2, 3, 7, 1000}) {
    for (const int threads : {1, 2, 3, 5, 8}) {
      std::vector<std::uint64_t> numbers(n);
      for (std::uint64_t& number : numbers) number = random() % 500;
      std::vector<std::uint64_t> expected = numbers;
      std::sort(expected.begin(), expected.end());
      sort_numbers(numbers, threads);
      CHECK(numbers == expected);
    }
  }
}

static void what_goes_wrong_in_a_thread_is_told() {
  std::string told;
  try {
    in_parallel(3, [](int t) { if (t == 1) throw std::runtime_error("one of them"); });
  } catch (const std::exception& failure) {
    told = failure.what();
  }
  CHECK(told == "one of them");
  std::atomic<int> sum{0};
  take_parts(100, 4, [&](std::size_t part, int) { sum += static_cast<int>(part); });
  CHECK(sum == 4950);
}

static void stretches_join_what_touches() {
  const int key[] = {0, 0, 0, 0, 1};
  const std::int32_t sorted_start[] = {1, 5, 8, 20, 3}, sorted_stop[] = {4, 8, 9, 20, 6};
  std::vector<Stretch<std::int32_t>> found;
  std::vector<bool> same;
  each_stretch(Spans<std::int32_t>{sorted_start, sorted_stop, 5}, key, nullptr,
               [&](const Stretch<std::int32_t>& stretch, bool again) {
                 found.push_back(stretch);
                 same.push_back(again);
               });
  CHECK(found.size() == 3);
  CHECK(found[0].start == 1 && found[0].stop == 4);
  CHECK(found[1].start == 5 && found[1].stop == 9 && same[1]);
  CHECK(found[2].key == 1 && !same[2]);
}

static void fixed_point_leaves_nothing_over() {
  const double weights[] = {0.1, 0.2, 0.7};
  const double scale = fixed_scale(weights, 3);
  const std::vector<std::int64_t> units = to_fixed(weights, 3, scale);
  CHECK(scale == 10 && units[0] + units[1] + units[2] == 10);
  const double third[] = {1.0 / 3};
  const double fine = fixed_scale(third, 1);
  CHECK(to_fixed(third, 1, fine)[0] / fine == 1.0 / 3);
}

static void steps_go_on_behind_the_window() {
  const std::int32_t first[] = {0, 10, 20}, stop[] = {10, 20, 30}, start[] = {3}, end[] = {25};
  const Axis<std::int32_t> axis{first, stop, 3};
  int records = 0;
  each_shown(Rule::any, Spans<std::int32_t>{start, end, 1}, TableLocator(axis), PeriodRange{1, 3},
             [&](std::size_t, ShownPeriods shown) {
               CHECK(shown.from == 1 && shown.to == 3 && shown.step == 2);
               ++records;
             });
  CHECK(records == 1);
}

static void stretches_gaps_and_levels_agree() {
  const std::int32_t start[] = {0, 4, 12, 13, 30}, stop[] = {5, 10, 14, never<std::int32_t>(), 30};
  const Spans<std::int32_t> spans{start, stop, 5};
  const Block all{0, 5};
  const TicksBetween<std::int32_t> apart{};
  std::int32_t from[2], to[2];
  int line[2], records[2], first[2], furthest[2], tag[5] = {};
  CHECK(count_stretches(spans, nullptr, all, apart, 0) == 2);
  put_stretches(spans, nullptr, all, apart, 0, StretchColumns<std::int32_t>{from, to, line, records, first, furthest, tag}, 0,
                [](std::int32_t tick) { return tick; });
  CHECK(from[1] == 12 && to[0] == 10 && records[1] == 2 && line[1] == 0);
  CHECK(furthest[0] == 2 && first[1] == 3 && tag[4] == 0 && tag[3] == 2);
  int gaps = 0;
  each_gap(spans, nullptr, all, apart, 1, [&](std::size_t before, std::size_t after) {
    CHECK(++gaps == 1 && stop[before] == 10 && start[after] == 12 && before == 1 && after == 2);
  });
  CHECK(gaps == 1);
  StepPart<std::int32_t, int> changes;
  changes.fill(RecordSource<std::int32_t, int>{spans, nullptr, nullptr});
  const auto steps = changes.finish();
  CHECK(steps.start.size() == 7 && steps.level[1] == 2 && steps.level[3] == 0 && steps.level[6] == 1);
  CHECK(steps.stop[6] == never<std::int32_t>());
}

static void pairs_are_counted_as_they_are_listed() {
  const std::int32_t start[] = {0, 2, 2, 9, 20}, stop[] = {10, 5, 12, 11, 20};
  const int side[] = {0, 1, 0, 1, 0};
  for (const int* sides : {static_cast<const int*>(nullptr), side}) {
    for (std::int32_t least = 1; least < 6; ++least) {
      const OverlapQuery<std::int32_t> query{{start, stop, 5}, nullptr, sides, least};
      double listed = 0;
      each_overlap(query, 2, [&](std::size_t a, std::size_t b) {
        CHECK(std::min(stop[a], stop[b]) - std::max(start[a], start[b]) >= least);
        CHECK(!sides || sides[a] != sides[b]);
        ++listed;
      });
      CHECK(listed == count_overlaps(query));
    }
  }
}

static RunningPieces<RoundedShares> pieces_of(std::int64_t amount, std::int64_t whole) {
  return {RoundedShares(amount, whole), amount < 0};
}

static void pieces_make_their_amount() {
  for (std::int64_t amount : {-7LL, 0LL, 1LL, 100LL, 999999999999LL}) {
    for (std::int64_t whole : {1LL, 3LL, 7LL, 80LL}) {
      auto piece_of = pieces_of(amount, whole);
      std::int64_t sum = 0;
      for (std::int64_t part = 0; part < whole; ++part) {
        const std::int64_t piece = piece_of(part, part + 1);
        const double exact = static_cast<double>(amount) / static_cast<double>(whole);
        CHECK(std::fabs(static_cast<double>(piece) - exact) <= 1);
        sum += piece;
      }
      CHECK(sum == amount);
    }
  }
}

// Of any size, also where the inverse is not near enough any more: as a division of wide numbers has it.
static void shares_are_those_of_a_division() {
  std::mt19937_64 random(23);
  for (int round = 0; round < 20000; ++round) {
    const std::int64_t size = static_cast<std::int64_t>(random() >> (11 + random() % 53));
    const std::int64_t whole = 1 + static_cast<std::int64_t>(random() >> (14 + random() % 50));
    auto piece_of = pieces_of(round % 2 ? size : -size, whole);
    std::int64_t before = 0, told = 0;
    for (int step = 0; step < 5; ++step) {
      const std::int64_t through = step == 4 ? whole : before + static_cast<std::int64_t>(random() % (whole - before + 1));
      const Wide exact = (2 * static_cast<Wide>(size) * through + whole) / (2 * static_cast<Wide>(whole));
      const std::int64_t piece = piece_of(before, through);
      CHECK((round % 2 ? piece : -piece) == static_cast<std::int64_t>(exact) - told);
      told = static_cast<std::int64_t>(exact);
      before = through;
    }
    CHECK(told == size);
  }
  // Where the quotient is whole, or a half, to the end of what is small enough for an inverse and beyond.
  for (int bits = 1; bits < 60; ++bits) {
    for (int round = 0; round < 200; ++round) {
      const std::int64_t whole = 1 + static_cast<std::int64_t>(random() % 4000);
      const std::int64_t each = static_cast<std::int64_t>((std::uint64_t{1} << bits) / (4 * whole)) - round % 3, part = static_cast<std::int64_t>(random() % (whole + 1));
      if (each < 1) continue;
      CHECK(pieces_of(each * whole, whole)(0, part) == each * part);
      CHECK(pieces_of(each, 2 * whole)(0, whole) == (each + 1) / 2);
      CHECK(pieces_of(-each, 2 * whole)(0, whole) == -(each + 1) / 2);
    }
  }
}

static void only_time_in_stretches_counts() {
  const std::int64_t open[] = {10, 30}, close[] = {20, 35}, before[] = {0, 10};
  const ClockMeasure counted{open, close, before, 2};
  CHECK(counted(0) == 0 && counted(10) == 0 && counted(15) == 5);
  CHECK(counted(20) == 10 && counted(25) == 10 && counted(32) == 12 && counted(99) == 15);
}

static void sums_by_period_are_those_of_each_span() {
  const std::int32_t first[] = {0, 10, 20}, stop[] = {10, 20, 30}, start[] = {3, 12, 29, -5}, end[] = {25, 14, 40, 2};
  const int group[] = {0, 1, 1, 0};
  const Axis<std::int32_t> axis{first, stop, 3};
  SpreadPart<std::int32_t, TickMeasure<std::int32_t>> part(axis, 2, false, {});
  part.fill(AmountSource<std::int32_t, double>{{start, end, 4}, group, nullptr}, TableLocator(axis),
            [](const auto&, std::size_t) { return Wide{1}; });
  const auto sums = part.finish(PeriodRange{0, 3});
  const int wanted[] = {9, 10, 5, 0, 2, 1};
  for (int cell = 0; cell < 6; ++cell) CHECK(sums[cell] == wanted[cell]);
}

// One key: in group 0, then in 1 from the same day, gone, back in 0.
static void a_key_moves_leaves_and_returns() {
  const std::int32_t first[] = {0, 10, 20}, stop[] = {10, 20, 30}, start[] = {2, 10, 25}, end[] = {10, 20, never<std::int32_t>()};
  const int key[] = {0, 0, 0}, group[] = {0, 1, 0};
  const Axis<std::int32_t> axis{first, stop, 3};
  const TableLocator locator(axis);
  FlowPart<int, std::int32_t, TableLocator> table(axis, locator, 3);
  move_keys(KeySource<std::int32_t>{{start, end, 3}, key, group}, table, 2, true);
  const std::vector<int> cells = table.finish();
  const auto cell = [&](int line, Flow flow, int period) { return cells[(line * flows + static_cast<int>(flow)) * 3 + period]; };
  CHECK(cell(0, Flow::started, 0) == 1 && cell(0, Flow::ended, 0) == 0);
  CHECK(cell(0, Flow::moved_out, 1) == 1 && cell(1, Flow::moved_in, 1) == 1);
  CHECK(cell(1, Flow::ended, 1) == 1 && cell(1, Flow::opening, 2) == 0);
  CHECK(cell(0, Flow::returned, 2) == 1 && cell(0, Flow::started, 2) == 0);
  CHECK(cell(2, Flow::started, 0) == 1 && cell(2, Flow::ended, 1) == 1 && cell(2, Flow::returned, 2) == 1);
  CHECK(cell(2, Flow::moved_in, 1) == 0 && cell(2, Flow::opening, 1) == 1 && cell(2, Flow::opening, 2) == 0);
}

// Stays of one, two and more records tell the same story as their turns do.
static void short_stays_are_as_the_long_way() {
  const std::int32_t first[] = {0, 5, 10, 15}, stop[] = {5, 10, 15, 20};
  const Axis<std::int32_t> axis{first, stop, 4};
  const TableLocator locator(axis);
  for (std::int32_t from = 0; from < 6; ++from) {
    for (std::int32_t to = from + 1; to < 19; ++to) {
      const std::int32_t start[] = {0, from}, end[] = {6, to};
      const int key[] = {0, 0}, group[] = {0, 1};
      FlowPart<int, std::int32_t, TableLocator> table(axis, locator, 3), slowly(axis, locator, 3);
      move_keys(KeySource<std::int32_t>{{start, end, 2}, key, group}, table, 2, false);
      Stay<std::int32_t> stay;
      stay.add(0, 6, 0);
      stay.add(from, to, 1);
      add_turns(stay.turns(), slowly, 2, Flow::started);
      CHECK(table.finish() == slowly.finish());
    }
  }
}

static void cohorts_follow_their_keys() {
  const std::int32_t first[] = {0, 10, 20}, stop[] = {10, 20, 30}, start[] = {2, 15, 12, 28}, end[] = {8, 25, 14, 40};
  const int key[] = {0, 0, 1, 2};
  const Axis<std::int32_t> axis{first, stop, 3};
  for (const bool returns : {true, false}) {
    CohortPart<std::int32_t> part(axis, 1, Rule::any, returns, 28);
    part.fill(KeySource<std::int32_t>{{start, end, 4}, key, nullptr}, TableLocator(axis));
    part.finish();
    CHECK(part.size()[0] == 1 && part.size()[1] == 1 && part.size()[2] == 0);
    CHECK(part.active()[0] == 1 && part.active()[1] == (returns ? 1 : 0) && part.active()[2] == (returns ? 1 : 0));
    CHECK(part.active()[4 + 1] == 1 && part.active()[4 + 2] == 0);
  }
}

// Random spans of a few keys and groups, by key and start: some empty, some open.
template <class Tick> struct RandomSpans {
  std::vector<Tick> start, stop;
  std::vector<int> key, group;
  std::vector<double> weight;
  std::vector<std::int64_t> units;

  RandomSpans(unsigned seed, std::size_t n) {
    std::mt19937 random(seed);
    const auto below = [&](int limit) { return static_cast<int>(random() % limit); };
    for (std::size_t i = 0; i < n; ++i) key.push_back(below(60));
    std::sort(key.begin(), key.end());
    for (std::size_t i = 0; i < n; ++i) {
      const bool same = i > 0 && key[i] == key[i - 1];
      start.push_back((same ? start[i - 1] : below(200) - 50) + below(40));
      stop.push_back(below(20) == 0 ? never<Tick>() : start[i] + below(5) * below(40));
      group.push_back(below(4));
      weight.push_back(below(2) ? below(1000) / 8.0 : 1.0 / (1 + below(9)));
    }
    units = to_fixed(weight.data(), n, fixed_scale(weight.data(), n));
  }
  Spans<Tick> spans() const { return {start.data(), stop.data(), start.size()}; }
};

// As it comes out of bytes.
template <class Part> static Part sent(Part empty, const Part& part) {
  Bytes bytes;
  part.put(bytes);
  Bytes received(bytes.all().data(), bytes.all().size());
  empty.take(received);
  return empty;
}

// Filled in one go, on three threads, in 2 and in 17 parts that are added in any order: the same bits.
template <class Source, class Make, class Fill, class Finish>
static void parts_add_up(const Source& source, Make make, Fill fill, Finish finish) {
  auto whole = make();
  fill(whole, source);
  const auto wanted = finish(whole);
  const auto same = [&](const auto& found) {
    if (found.size() != wanted.size()) return false;
    return wanted.empty() || std::memcmp(found.data(), wanted.data(), wanted.size() * sizeof(wanted[0])) == 0;
  };
  auto shared = make();
  fill_part(shared, source, 3, 50, fill, NoPoll());
  CHECK(same(finish(shared)));
  std::mt19937 random(1);
  for (const std::size_t pieces : {2, 17}) {
    for (int round = 0; round < 3; ++round) {
      std::vector<decltype(make())> parts;
      in_parts(source, source.size() / pieces + 1, [&](const auto& some) {
        parts.push_back(make());
        fill(parts.back(), some);
      });
      std::vector<std::size_t> order(parts.size());
      std::iota(order.begin(), order.end(), 0);
      std::shuffle(order.begin(), order.end(), random);
      auto sum = make();
      for (const std::size_t at : order) sum.add(sent(make(), parts[at]));
      CHECK(same(finish(sum)));
    }
  }
}

template <class Tick, class Locator> static void all_parts_add_up(unsigned seed) {
  const RandomSpans<Tick> made(seed, 400);
  std::vector<Tick> first, stop;
  for (int p = 0; p < 12; ++p) {
    first.push_back(p * 13);
    stop.push_back(p * 13 + (p == 5 ? 0 : 13));  // one without a tick
  }
  const Axis<Tick> axis{first.data(), stop.data(), 12};
  const Locator locator(axis);
  const KeySource<Tick> keys{made.spans(), made.key.data(), made.group.data()};
  const RecordSource<Tick, std::int64_t> weights{made.spans(), made.group.data(), made.units.data()};
  const AmountSource<Tick, double> amounts{made.spans(), made.group.data(), made.weight.data()};
  const auto fill = [&](auto& part, const auto& some) { part.fill(some, locator); };
  const auto cells = [](const auto& found) { return found.all(); };
  for (const Rule rule : {Rule::any, Rule::first, Rule::last, Rule::every}) {
    parts_add_up(keys, [&] { return LevelPart<std::int32_t>(rule, 12, 4); }, fill,
                 [&](auto& part) { return cells(part.finish()); });
    parts_add_up(weights, [&] { return LevelPart<std::int64_t>(rule, 12, 4); }, fill,
                 [&](auto& part) { return cells(part.finish()); });
    for (const bool returns : {true, false}) {
      const auto cohorts = [&] { return CohortPart<Tick>(axis, 4, rule, returns, 100); };
      parts_add_up(keys, cohorts, fill, [](auto& part) { part.finish(); return part.active(); });
      parts_add_up(keys, cohorts, fill, [](auto& part) { part.finish(); return part.size(); });
    }
  }
  parts_add_up(weights, [&] { return MeanPart<Tick>(axis, 4); }, fill, [](auto& part) { return part.finish(8); });
  parts_add_up(keys, [&] { return MeanPart<Tick>(axis, 4); }, fill, [](auto& part) { return part.finish(1); });
  parts_add_up(weights, [&] { return PeakPart<Tick>(axis, 4); }, fill, [&](auto& part) { return cells(part.finish()); });
  parts_add_up(keys, [&] { return PeakPart<Tick>(axis, 4); }, fill, [&](auto& part) { return cells(part.finish()); });
  parts_add_up(keys, [&] { return FlowPart<std::int32_t, Tick, Locator>(axis, locator, 5); },
               [&](auto& part, const auto& some) { move_keys(some, part, 4, true); },
               [](auto& part) { return part.finish(); });
  parts_add_up(weights, [&] { return FlowPart<std::int64_t, Tick, Locator>(axis, locator, 5); },
               [&](auto& part, const auto& some) { move_records(some, part, 4); },
               [](auto& part) { return part.finish(); });
  const auto step_fill = [](auto& part, const auto& some) { part.fill(some); };
  parts_add_up(weights, [] { return StepPart<Tick, std::int64_t>(); }, step_fill,
               [](auto& part) { return part.finish().level; });
  parts_add_up(keys, [] { return StepPart<Tick, int>(); }, step_fill, [](auto& part) { return part.finish().start; });
  const TickMeasure<Tick> ticks{};
  double largest = 0;
  for (std::size_t i = 0; i < amounts.size(); ++i) largest = std::max(largest, rate_of(amounts, i, locator, false, ticks));
  const double scale = rate_scale(largest, amounts.size(), axis);
  parts_add_up(amounts, [&] { return SpreadPart<Tick, TickMeasure<Tick>>(axis, 4, false, ticks); },
               [&](auto& part, const auto& some) {
                 part.fill(some, locator, [&](const auto& of, std::size_t i) {
                   return static_cast<Wide>(std::nearbyint(rate_of(of, i, locator, false, ticks) * scale));
                 });
               },
               [](auto& part) { return part.finish(PeriodRange{2, 10}); });
  for (const bool equal_parts : {true, false}) {
    for (const PeriodRange window : {PeriodRange{0, 12}, PeriodRange{2, 10}, PeriodRange{5, 5}}) {  // the last shows nothing
      parts_add_up(amounts, [&] { return RoundedPart<Tick, TickMeasure<Tick>>(axis, 4, window, equal_parts, ticks); },
                   fill, [](auto& part) { return part.finish(); });
    }
  }
}

static void parts_of_spans_make_the_whole() {
  for (unsigned seed = 1; seed <= 5; ++seed) {
    all_parts_add_up<std::int32_t, TableLocator>(seed);
    all_parts_add_up<std::int64_t, SearchLocator>(seed);
  }
}

static void pages_are_handed_out_within_their_memory() {
  constexpr std::size_t large = std::size_t{1} << 21;
  for (const std::size_t bytes : {std::size_t{0}, 2 * large - 1, 2 * large, 5 * large + 3}) {
    for (const int threads : {0, 1, 2, 5, 40}) {
      std::vector<char> memory(bytes, 7);
      in_large_pages(memory.data(), bytes, threads);
      std::size_t changed = 0;
      for (std::size_t at = 0; at < bytes; ++at) {
        if (memory[at] == 7) continue;
        CHECK(at % large == 0);
        ++changed;
      }
      CHECK(changed == (threads > 1 && bytes >= 2 * large ? bytes / large : 0));
    }
  }
}

static void rules_have_names() {
  CHECK(rule_named("every_day") == Rule::every);
  bool refused = false;
  try {
    rule_named("everyday");
  } catch (const std::invalid_argument&) {
    refused = true;
  }
  CHECK(refused);
}

static void rows_are_as_many_as_movement_counts() {
  // One key: in group 0 from day 5, in 1 from day 15 on, gone on day 25, back from day 40.
  const std::vector<int> start = {5, 15, 40}, stop = {15, 25, never<int>()}, key = {0, 0, 0}, group = {0, 1, 1};
  const std::vector<int> first = {10, 20, 30}, last = {20, 30, 50};
  const Axis<int> axis{first.data(), last.data(), 3};
  const TableLocator locator(axis);
  MovementRows<int> rows;
  list_moves(KeySource<int>{{start.data(), stop.data(), 3}, key.data(), group.data()},
             [&](int at) { return period_of(axis, locator, at); }, 3, true, rows, NoPoll());
  CHECK((rows.line == std::vector<int>{0, 0, 1, 1, 1}));
  CHECK((rows.other == std::vector<int>{-1, 1, 0, -1, -1}));
  CHECK((rows.flow == std::vector<int>{0, 5, 3, 4, 2}));  // opening, moved out and in, ended, returned
  CHECK((rows.place == std::vector<int>{0, 0, 0, 1, 2}));
  CHECK((rows.record == std::vector<int>{0, 0, 1, 1, 2}));
  CHECK((rows.at == std::vector<int>{5, 15, 15, 24, 40}));
}

static void what_is_taken_away_is_gone() {
  std::mt19937 random(11);
  for (int round = 0; round < 60; ++round) {
    std::vector<int> start, stop, key, first, last, side;
    for (int k = 0; k < 3; ++k) {
      int at = static_cast<int>(random() % 5);
      for (int i = 0; i < 4; ++i, at += random() % 6) {
        start.push_back(at);
        stop.push_back(random() % 7 == 0 ? never<int>() : at + static_cast<int>(random() % 9));
        key.push_back(k);
      }
      int out = static_cast<int>(random() % 8);
      for (int i = 0; i < 3; ++i) {
        first.push_back(out);
        last.push_back(out + 1 + static_cast<int>(random() % 4));
        side.push_back(k);
        out = last.back() + 1 + static_cast<int>(random() % 4);
      }
    }
    const PieceTable<int> left = take_away(Spans<int>{start.data(), stop.data(), start.size()}, key.data(), Spans<int>{first.data(), last.data(), first.size()}, side.data());
    bool same = true;
    for (std::size_t i = 0; i < start.size(); ++i) {
      for (int at = 0; at < 60; ++at) {
        bool there = start[i] <= at && at < stop[i], piece = false;
        for (std::size_t j = 0; j < first.size(); ++j) there = there && !(side[j] == key[i] && first[j] <= at && at < last[j]);
        for (std::size_t p = 0; p < left.record.size(); ++p) piece = piece || (left.record[p] == static_cast<int>(i) && left.start[p] <= at && at < left.stop[p]);
        same = same && there == piece;
      }
    }
    CHECK(same);
  }
}

static void lists_pair_by_what_is_alike() {
  // Keys 0, 0, 1, 2 now; 0, 0, 9 (gone from the codes), 1 before. The two of key 0 start together.
  const std::vector<int> start = {5, 5, 7, 9}, stop = {8, 9, 20, never<int>()}, id = {0, 0, 1, 2}, line = {1, 0, 0, 0};
  const std::vector<int> start_was = {5, 5, 6, 7}, stop_was = {9, 30, 7, never<int>()}, id_was = {0, 0, -1, 1}, line_was = {0, 1, 0, 0};
  const Listed<int> now{start.data(), stop.data(), id.data(), nullptr, line.data(), nullptr, 4};
  const Listed<int> was{start_was.data(), stop_was.data(), id_was.data(), nullptr, line_was.data(), nullptr, 4};
  const Restatement found = ListPairing<int>(now, was, true).pair_all(NoPoll());
  CHECK((found.at == std::vector<int>{2, 1, 4, 0}));
  CHECK(found.alike == 2);
  CHECK((found.cause == std::vector<int>{3, 1, 3, 0}));  // an end, removed, an end, added
  CHECK((found.now == std::vector<int>{1, 0, 3, 4}));
  CHECK((found.was == std::vector<int>{2, 3, 4, 0}));
  CHECK((found.touched == std::vector<int>{1, 2, 3, 4}));
  const Restatement none = ListPairing<int>(Listed<int>{nullptr, nullptr, nullptr, nullptr, nullptr, nullptr, 0}, was, true).pair_all(NoPoll());
  CHECK((none.was == std::vector<int>{1, 2, 3, 4}));
}

static std::string unpacked_text(const std::string& packed, std::size_t size) {
  std::string out(size, '?');
  const auto* from = reinterpret_cast<const std::uint8_t*>(packed.data());
  return unpack_snappy(from, packed.size(), reinterpret_cast<std::uint8_t*>(&out[0]), size) ? out : "refused";
}

static void packed_text_comes_back_or_is_refused() {
  // "ridge" as a literal, then 10 bytes from 5 back.
  const std::string packed = std::string("\x0f\x10", 2) + "ridge" + std::string("\x19\x05", 2);
  CHECK(unpacked_text(packed, 15) == "ridgeridgeridge");
  CHECK(unpacked_text(packed, 14) == "refused");
  for (std::size_t cut = 0; cut < packed.size(); ++cut) CHECK(unpacked_text(packed.substr(0, cut), 15) == "refused");
  std::string before_all = packed;
  before_all.back() = 6;
  CHECK(unpacked_text(before_all, 15) == "refused");
  CHECK(unpacked_text(std::string("\x00", 1), 0).empty());
}

static bool runs_hold(const std::vector<std::uint8_t>& bytes, int width, int count, int limit, int ones = 0) {
  try {
    return walk_runs(bytes.data(), bytes.size(), width, count, limit) == ones;
  } catch (const NotSound&) {
    return false;
  }
}

// A Parquet file that is nothing but its footer.
static bool footer_is_sound(const std::string& footer) {
  const std::string bytes = "PAR1" + footer + std::string{static_cast<char>(footer.size()), 0, 0, 0} + "PAR1";
  return sound_parquet_columns([&bytes] { return std::istringstream(bytes); }, bytes.size(), 2).has_value();
}

// The same with columns of these names, of no records.
static std::string names_in_footer(const std::vector<std::string>& names) {
  std::string bytes = "PAR1";
  bytes += std::string{'\x29', static_cast<char>(((names.size() + 1) << 4) + 12)};
  bytes += std::string{'\x55', static_cast<char>(2 * names.size()), '\0'};
  // Whole numbers, none missing.
  for (const std::string& name : names) {
    bytes += std::string{'\x15', '\2', '\x25', '\0', '\x18', static_cast<char>(name.size())} + name + '\0';
  }
  bytes += std::string{'\x16', '\0', '\x19', '\x0c', '\0'};
  bytes += std::string{static_cast<char>(bytes.size() - 4), 0, 0, 0} + "PAR1";
  const auto found = sound_parquet_columns([&bytes] { return std::istringstream(bytes); }, bytes.size(), 2);
  if (!found) return "not sound";
  std::string listed;
  for (const SoundColumn& column : *found) listed += column.name + ";";
  return listed;
}

static void columns_of_a_footer_have_names() {
  CHECK(names_in_footer({}).empty());
  CHECK(names_in_footer({"key", "first day", "\xc3\xa9"}) == "key;first day;\xc3\xa9;");
  CHECK(names_in_footer({"key", "key"}) == "key;key;");
  CHECK(names_in_footer({std::string("k\0y", 3)}) == "not sound");
}

static void numbers_of_a_footer_stay_in_range() {
  const std::string column("\x29\x1c\x55\x00\x00", 5), most("\x26\xfe\xff\xff\xff\xff\xff\xff\xff\xff\x01\x00", 12);
  const auto rows = [](char twice) { return std::string{'\x16', twice}; };
  const std::string none("\x19\x0c\x26\x00\x00", 5), groups("\x19\x2c", 2), end(1, '\0');
  CHECK(footer_is_sound(column + rows(0) + groups + none + none + end));
  CHECK(!footer_is_sound(column + rows(10) + groups + none + none + end));
  CHECK(!footer_is_sound(column + rows(10) + groups + "\x19\x0c" + most + "\x19\x0c" + most + end));
  CHECK(!footer_is_sound(std::string("\x05\xfe\xff\xff\xff\x0f\x02\x15\x02\x00", 10)));  // field 2147483647, then one more
}

static void runs_stay_within_their_dictionary() {
  CHECK(runs_hold({6, 2}, 2, 3, 3));         // three times the value 2
  CHECK(!runs_hold({6, 2}, 2, 3, 2));        // of a dictionary of two
  CHECK(!runs_hold({6, 2}, 2, 4, 3));        // one too few
  CHECK(!runs_hold({8, 2}, 2, 3, 3));        // one too many
  CHECK(runs_hold({3, 0xe4, 0xe4}, 2, 8, 4));    // 0 1 2 3 0 1 2 3, packed
  CHECK(!runs_hold({3, 0xe4, 0xe4}, 2, 8, 3));
  CHECK(!runs_hold({3, 0xe4}, 2, 8, 4));
  CHECK(runs_hold({3, 0x0b}, 1, 5, 2, 3));       // 1 1 0 1 0, and three that are not asked for
  CHECK(runs_hold({9, 255, 255, 255, 255}, 1, 32, 2, 32));
  CHECK(runs_hold({}, 1, 0, 2));
  CHECK(!runs_hold({0xff, 0xff, 0xff, 0xff, 0xff, 0xff}, 1, 5, 2));
  CHECK(!runs_hold({1, 0}, 1, 5, 2));            // a run of nothing
}

int main() {
  calendar_walks_from_1600_to_9999();
  grains_cut_whole_periods();
  iso_text_is_read_or_refused();
  days_are_taken_from_plain_lines_only();
  every_rule_finds_its_periods();
  records_come_by_key_and_start();
  keys_become_codes_when_sorted();
  shares_are_those_of_a_division();
  numbers_become_codes();
  texts_are_sorted_by_their_bytes();
  addresses_are_numbered_as_they_are_met();
  things_are_numbered_by_several_threads();
  numbers_are_sorted_by_several_threads();
  what_goes_wrong_in_a_thread_is_told();
  stretches_join_what_touches();
  fixed_point_leaves_nothing_over();
  steps_go_on_behind_the_window();
  stretches_gaps_and_levels_agree();
  lists_pair_by_what_is_alike();
  what_is_taken_away_is_gone();
  pairs_are_counted_as_they_are_listed();
  pieces_make_their_amount();
  only_time_in_stretches_counts();
  sums_by_period_are_those_of_each_span();
  a_key_moves_leaves_and_returns();
  short_stays_are_as_the_long_way();
  cohorts_follow_their_keys();
  parts_of_spans_make_the_whole();
  pages_are_handed_out_within_their_memory();
  rules_have_names();
  rows_are_as_many_as_movement_counts();
  packed_text_comes_back_or_is_refused();
  numbers_of_a_footer_stay_in_range();
  columns_of_a_footer_have_names();
  runs_stay_within_their_dictionary();
  std::printf("core: %d passed, %d failed\n", passed, failed);
  return failed > 0;
}
