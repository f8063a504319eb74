#include <Rcpp.h>
#include <cstdint>
#include <thread>
#include <vector>

namespace {

std::uint64_t sums(long steps) {
  std::uint64_t a = 1, b = 2, c = 3;
  for (long i = 0; i < steps; ++i) {
    a = a * 6364136223846793005u + 1;
    b = (b ^ b >> 13) * 1442695040888963407u + a;
    c += a ^ b;
  }
  return c;
}

}  // namespace

// As many sums on any number of threads.
// [[Rcpp::export]]
double arithmetic(int threads) {
  const long steps = 60000000;
  std::vector<std::uint64_t> found(threads);
  std::vector<std::thread> others;
  for (int t = 1; t < threads; ++t) others.emplace_back([&found, t, threads] { found[t] = sums(steps / threads); });
  found[0] = sums(steps / threads);
  for (std::thread& other : others) other.join();
  double all = 0;
  for (const std::uint64_t one : found) all += static_cast<double>(one % 1000);
  return all;
}
