// When a span is active in a period: the rules, their names, and the periods that each
// finds. A rule that chooses periods is decided at two moments of the period.
#pragma once
#include "core/axis.h"
#include <stdexcept>
#include <string>
#include <type_traits>

namespace ridge {

enum class Rule { any, first, last, every, mean, peak };

inline Rule rule_named(const std::string& name) {
  if (name == "any_day") return Rule::any;
  if (name == "first_day") return Rule::first;
  if (name == "last_day") return Rule::last;
  if (name == "every_day") return Rule::every;
  if (name == "mean_day") return Rule::mean;
  if (name == "peak_day") return Rule::peak;
  throw std::invalid_argument("There is no rule '" + name + "'.");
}

// The periods in which a span is active by a rule. Mean and peak look at every
// period that the span touches, as `any` does.
template <Rule rule, class Locator, class Tick>
PeriodRange active_periods(const Locator& locator, Tick start, Tick stop) {
  constexpr bool from_first = rule == Rule::first || rule == Rule::every;
  constexpr bool to_last = rule == Rule::last || rule == Rule::every;
  return {from_first ? locator.begun(start) : locator.ended(start),
          to_last ? locator.ended(stop) : locator.begun(stop)};
}

template <class Locator, class Tick>
PeriodRange touched_periods(const Locator& locator, Tick start, Tick stop) {
  return active_periods<Rule::any>(locator, start, stop);
}

// Calls `work` with the rule as a constant, so that inner loops hold no choice.
template <class Work> auto with_rule(Rule rule, Work work) {
  switch (rule) {
    case Rule::first: return work(std::integral_constant<Rule, Rule::first>());
    case Rule::last: return work(std::integral_constant<Rule, Rule::last>());
    case Rule::every: return work(std::integral_constant<Rule, Rule::every>());
    default: return work(std::integral_constant<Rule, Rule::any>());
  }
}

}  // namespace ridge
