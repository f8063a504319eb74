// What the bytes of a file of delimited text say before it is read.
#include "core/day_lines.h"
#include "door.h"
#include "r-objects.h"
#include <Rcpp.h>
#include <cstring>
#include <fstream>
#include <vector>

namespace {

// Calls look(bytes, size) for one block of a file after the other, as long as it says to go on.
template <class Look> void each_block(const std::string& path, Look look) {
  std::ifstream file(path, std::ios::binary);
  std::vector<char> block(1 << 20);
  bool more = true;
  while (file && more) {
    check_interrupt();
    file.read(block.data(), block.size());
    more = look(block.data(), static_cast<std::size_t>(file.gcount()));
  }
}

// The next quote before `end`; null: none.
const char* next_quote(const char* at, const char* end) {
  return at < end ? static_cast<const char*>(std::memchr(at, '"', end - at)) : nullptr;
}

}  // namespace

// How many lines a delimited text has, those within quoted text aside; -1 where the last
// one has no end.
// [[Rcpp::export]]
double count_lines(std::string path) {
  double lines = 0;
  bool quoted = false;
  char last = '\n';
  each_block(path, [&](const char* bytes, std::size_t size) {
    for (std::size_t i = 0; i < size; ++i) {
      quoted = quoted != (bytes[i] == '"');
      lines += bytes[i] == '\n' && !quoted;
    }
    if (size > 0) last = bytes[size - 1];
    return true;
  });
  return last == '\n' && !quoted ? lines : -1;
}

// Where a delimited text may be cut: behind its first line that holds something, then behind
// the first record that ends `size` bytes or more after the cut before, and at its end.
// [[Rcpp::export]]
Rcpp::NumericVector record_cuts(std::string path, std::string quote, double size) {
  std::vector<double> cuts;
  double at = 0;
  bool quoted = false, blank = true;
  each_block(path, [&](const char* bytes, std::size_t read) {
    for (std::size_t i = 0; i < read; ++i) {
      const char c = bytes[i];
      if (!quote.empty() && c == quote[0]) quoted = !quoted;
      if (c == '\n' && !quoted && !blank) {
        const double behind = at + i + 1;
        if (cuts.empty() || behind - cuts.back() >= size) cuts.push_back(behind);
      }
      blank = blank && (c == '\n' || c == '\r' || c == ' ' || c == '\t');
    }
    at += read;
    return true;
  });
  if (cuts.empty() || cuts.back() < at) cuts.push_back(at);
  return Rcpp::wrap(cuts);
}

// What a text file holds that needs a closer look: a NUL byte, bytes beyond
// ASCII, a quote, a doubled quote.
// [[Rcpp::export]]
Rcpp::LogicalVector file_marks(std::string path) {
  bool nul = false, beyond = false, quotes = false, doubled = false, after_quote = false;
  each_block(path, [&](const char* bytes, std::size_t size) {
    unsigned char bits = 0;
    for (std::size_t i = 0; i < size; ++i) bits |= static_cast<unsigned char>(bytes[i]);
    beyond = beyond || bits >= 128;
    nul = nul || std::memchr(bytes, 0, size);
    quotes = quotes || std::memchr(bytes, '"', size);
    doubled = doubled || (size > 0 && after_quote && *bytes == '"');
    for (const char* at = bytes; !doubled && (at = next_quote(at, bytes + size)); ++at) {
      doubled = at + 1 < bytes + size && at[1] == '"';
    }
    after_quote = size > 0 && bytes[size - 1] == '"';
    return true;
  });
  return Rcpp::LogicalVector::create(Rcpp::_["nul"] = nul, Rcpp::_["beyond_ascii"] = beyond, Rcpp::_["quotes"] = quotes,
                                     Rcpp::_["doubled_quotes"] = doubled);
}

// The days in these fields (the first is 1) of all lines behind the first `skip`; NULL where a
// line has not so many fields, or one that is neither a day of ISO 8601 nor empty.
// [[Rcpp::export]]
SEXP days_in_lines(std::string path, std::string separator, int skip, int fields, Rcpp::IntegerVector at, int threads) {
  door::require(separator.size() == 1 && skip >= 0 && fields >= 1, "Lines must be cut by one byte.");
  ridge::LineLayout layout{separator[0], fields, {}};
  for (const int field : at) {
    door::require(field >= 1 && field <= fields, "A field lies beyond its line.");
    layout.at.push_back(field - 1);
  }
  const auto days = ridge::days_of_file(path, layout, skip, door::threads(threads));
  if (days.empty()) return R_NilValue;
  Rcpp::List columns(days.size());
  for (std::size_t i = 0; i < days.size(); ++i) columns[i] = Rcpp::IntegerVector(days[i].begin(), days[i].end());
  return columns;
}
