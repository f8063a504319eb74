// Weights as whole numbers of a small unit, so that sums come out exact in any
// order and nothing is left over when everything has ended.
#pragma once
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <vector>

namespace ridge {

inline bool whole_at(const double* values, std::size_t n, double scale) {
  for (std::size_t i = 0; i < n; ++i) {
    if (std::nearbyint(values[i] * scale) / scale != values[i]) return false;
  }
  return true;
}

// Decimal where up to nine places hold every value, binary otherwise.
inline double fixed_scale(const double* values, std::size_t n) {
  constexpr double room = 2.3e18;  // a quarter of the int64 range
  double sum = 0;
  for (std::size_t i = 0; i < n; ++i) sum += std::fabs(values[i]);
  double scale = 1;
  for (int places = 0; places <= 9 && sum * scale < room; ++places, scale *= 10) {
    if (whole_at(values, n, scale)) return scale;
  }
  return sum > 0 ? std::exp2(std::floor(std::log2(room / sum))) : 1;
}

// The scale comes from outside, so that parts of the same weights share one.
inline std::vector<std::int64_t> to_fixed(const double* values, std::size_t n, double scale) {
  std::vector<std::int64_t> units(n);
  for (std::size_t i = 0; i < n; ++i) {
    units[i] = static_cast<std::int64_t>(std::nearbyint(values[i] * scale));
  }
  return units;
}

}  // namespace ridge
