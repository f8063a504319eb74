#include "core/coded.h"
#include "door.h"
#include "r-objects.h"

using namespace ridge;

namespace {

SEXP coded_list(const Shield& codes, const std::vector<int>& rows) {
  const Shield first(new_integers(rows.size()));
  std::transform(rows.begin(), rows.end(), INTEGER(first), [](int row) { return row + 1; });
  const Shield size(new_integers(1));
  INTEGER(size)[0] = static_cast<int>(rows.size());
  return named_list({{"codes", codes}, {"size", size}, {"rows", first}});
}

// By a mark for each number between, or by sorting where these would be too many.
template <class Number, class IsMissing>
Coded coded_numbers(const Number* values, std::size_t n, int threads, IsMissing is_missing, int* codes) {
  const Coded coded = code_numbers(values, n, threads, is_missing, codes);
  return coded.fits ? coded : code_by_order(values, n, threads, is_missing, codes, RPoll());
}

}  // namespace

// Codes from 0 in the order of whole numbers, missing ones last, and the first row, from 1, of
// each; NULL where some are not whole.
// [[Rcpp::export]]
SEXP code_whole(SEXP values, int threads) {
  const R_xlen_t n = Rf_xlength(values);
  const bool whole = TYPEOF(values) == INTSXP;
  door::require(whole || TYPEOF(values) == REALSXP, "Values must be numbers.");
  door::require(n < 2147483647, "There are too many values.");
  const int most = door::threads(threads);
  const Shield codes(new_integers(n));
  int* const to = INTEGER(codes);
  // What is missing and what is no number are not the same.
  std::atomic<bool> odd{false};
  const auto is_na = [&](double value) {
    if (!std::isnan(value)) return false;
    if (!R_IsNA(value)) odd = true;
    return true;
  };
  const Coded coded =
      whole ? coded_numbers(INTEGER_RO(values), n, most, [](int value) { return value == NA_INTEGER; }, to)
            : coded_numbers(REAL_RO(values), n, most, is_na, to);
  return coded.fits && !odd ? coded_list(codes, coded.rows) : R_NilValue;
}

// The same of texts, in the order of their bytes in UTF-8; NULL where some are in another
// encoding, so that the same text may be there twice.
// [[Rcpp::export]]
SEXP code_texts(Rcpp::CharacterVector texts, int threads) {
  const R_xlen_t n = texts.size();
  door::require(n < 2147483647, "There are too many values.");
  const int most = door::threads(threads);
  const SEXP* const values = STRING_PTR_RO(texts);
  const Shield codes(new_integers(n));
  int* const to = INTEGER(codes);
  const std::vector<std::vector<int>> first = number_things(values, n, most, to, RPoll());
  // The numbers of each thread stand behind those of the one before.
  std::vector<int> before(1, 0), rows;
  for (const std::vector<int>& own : first) {
    rows.insert(rows.end(), own.begin(), own.end());
    before.push_back(static_cast<int>(rows.size()));
  }
  // A missing one is the last of all.
  std::vector<Text> distinct = large_vector<Text>(rows.size());
  std::atomic<std::size_t> missing{rows.size()};
  std::atomic<bool> in_utf8{true};
  in_blocks(rows.size(), most, [&](std::size_t number, std::size_t end) {
    for (; number < end; ++number) {
      if (number + 16 < end) fetch_text(values[rows[number + 16]]);
      const SEXP value = values[rows[number]];
      if (value == NA_STRING) missing = number;
      if (!is_in_utf8(value)) in_utf8 = false;
      distinct[number] = {CHAR(value), static_cast<std::size_t>(LENGTH(value))};
    }
  });
  if (!in_utf8) return R_NilValue;
  if (missing < rows.size()) distinct.erase(distinct.begin() + missing);
  std::vector<int> rank = large_vector<int>(rows.size()), sorted = large_vector<int>(rows.size());
  const std::vector<int> order = order_of_texts(distinct, most, RPoll());
  in_blocks(order.size(), most, [&](std::size_t place, std::size_t end) {
    for (; place < end; ++place) {
      const std::size_t number = order[place] + (static_cast<std::size_t>(order[place]) >= missing);
      rank[number] = static_cast<int>(place);
      sorted[place] = rows[number];
    }
  });
  if (missing < rows.size()) {
    rank[missing] = static_cast<int>(order.size());
    sorted.back() = rows[missing];
  }
  in_blocks(n, most, [&](std::size_t i, std::size_t end) {
    for (; i < end; ++i) to[i] = rank[before[Addresses::owner(values[i], first.size())] + to[i]];
  });
  return coded_list(codes, sorted);
}

namespace {

constexpr std::uint64_t mixed(std::uint64_t h) {
  h ^= h >> 33;
  h *= 0xff51afd7ed558ccdULL;
  h ^= h >> 33;
  h *= 0xc4ceb9fe1a85ec53ULL;
  return h ^ (h >> 33);
}

std::uint64_t hash_of(double value) {
  if (value == 0) value = 0;  // of either sign
  std::uint64_t bits = 0;
  if (!std::isnan(value)) std::memcpy(&bits, &value, sizeof bits);
  return mixed(bits);
}

std::uint64_t hash_of(SEXP text) {
  std::uint64_t h = 1469598103934665603ULL;
  const char* const bytes = CHAR(text);
  for (R_xlen_t i = 0; i < Rf_xlength(text); ++i) h = (h ^ static_cast<unsigned char>(bytes[i])) * 1099511628211ULL;
  return mixed(h);
}

}  // namespace

// A number from 0, below 2^53, for the values of each row of these columns, texts (in UTF-8) or
// doubles: the same for the same values, wherever they are.
// [[Rcpp::export]]
Rcpp::NumericVector hash_of_keys(Rcpp::List columns, double rows) {
  const R_xlen_t n = door::rows(rows);
  std::vector<std::uint64_t> hash(n, 0);
  for (R_xlen_t c = 0; c < columns.size(); ++c) {
    const SEXP column = columns[c];
    door::require((TYPEOF(column) == STRSXP || TYPEOF(column) == REALSXP) && Rf_xlength(column) == n,
                  "Keys must be texts or numbers, one for each row.");
    const bool texts = TYPEOF(column) == STRSXP;
    for (R_xlen_t i = 0; i < n; ++i) {
      const std::uint64_t own = texts ? hash_of(STRING_ELT(column, i)) : hash_of(REAL_RO(column)[i]);
      hash[i] = mixed(hash[i] + 0x9e3779b97f4a7c15ULL + own);
    }
  }
  Rcpp::NumericVector numbers(n);
  for (R_xlen_t i = 0; i < n; ++i) numbers[i] = static_cast<double>(hash[i] >> 11);
  return numbers;
}
