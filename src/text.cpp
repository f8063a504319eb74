#include "core/number_text.h"
#include "core/order.h"
#include "door.h"
#include "r-objects.h"
#include <Rcpp.h>
#include <bitset>
#include <cmath>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <vector>

namespace {

// The next ones are asked for before they are needed.
void fetch_soon(const SEXP* texts, std::size_t i, std::size_t n) {
  if (i + 16 < n) fetch_text(texts[i + 16]);
}

// Does what is() says hold for all texts? One after the same one is not asked again.
template <class Is> bool are_all(const Rcpp::CharacterVector& texts, int threads, Is is) {
  const SEXP* const values = STRING_PTR_RO(texts);
  std::atomic<bool> all{true};
  ridge::in_blocks(texts.size(), door::threads(threads), [&](std::size_t i, std::size_t to) {
    for (SEXP last = nullptr; i < to && all; ++i) {
      fetch_soon(values, i, to);
      if (values[i] == last) continue;
      if (!is(values[i])) all = false;
      last = values[i];
    }
  });
  return all;
}

// With what is plainly no space, or missing.
bool begins_and_ends(SEXP text) {
  if (text == NA_STRING) return true;
  const std::size_t size = LENGTH(text);
  const char* const at = CHAR(text);
  return size > 0 && at[0] > ' ' && at[size - 1] > ' ';
}

}  // namespace

// TRUE for texts that are missing or hold nothing but white space.
// [[Rcpp::export]]
Rcpp::LogicalVector are_blank(Rcpp::CharacterVector text, int threads) {
  Rcpp::LogicalVector blank(text.size());
  const SEXP* const values = STRING_PTR_RO(text);
  int* const to = LOGICAL(blank);
  ridge::in_blocks(text.size(), door::threads(threads), [&](std::size_t i, std::size_t end) {
    for (; i < end; ++i) {
      fetch_soon(values, i, end);
      const char* at = CHAR(values[i]);
      while (*at == ' ' || (*at >= '\t' && *at <= '\r')) ++at;
      to[i] = values[i] == NA_STRING || *at == '\0';
    }
  });
  return blank;
}

namespace {

// How many bytes of white space a text has here, going on by `step`: ASCII, and the
// spaces that other programs put in their place.
std::size_t space_bytes(const char* text, std::size_t size, bool at_end) {
  if (size == 0) return 0;
  const char c = at_end ? text[size - 1] : text[0];
  if (c == ' ' || (c >= '\t' && c <= '\r')) return 1;
  if (static_cast<unsigned char>(c) < 128) return 0;
  for (const char* wide : {"\xc2\xa0", "\xe2\x80\xaf", "\xe2\x80\x89", "\xe3\x80\x80"}) {
    const std::size_t n = std::strlen(wide);
    if (n <= size && std::memcmp(at_end ? text + size - n : text, wide, n) == 0) return n;
  }
  return 0;
}

struct Trimmed {
  const char* from;
  std::size_t size;
};

Trimmed trimmed(const char* text, std::size_t size) {
  while (const std::size_t n = space_bytes(text, size, false)) {
    text += n;
    size -= n;
  }
  while (const std::size_t n = space_bytes(text, size, true)) size -= n;
  return {text, size};
}

}  // namespace

// Texts without their outer spaces, blank ones missing, and how many lost some. The same
// vector comes back where there is nothing to do.
// [[Rcpp::export]]
Rcpp::List trim_texts(Rcpp::CharacterVector texts, int threads) {
  const R_xlen_t n = texts.size();
  if (are_all(texts, threads, begins_and_ends)) {
    return Rcpp::List::create(Rcpp::_["texts"] = texts, Rcpp::_["count"] = 0);
  }
  Rcpp::CharacterVector tidy(0);
  int count = 0;
  bool changed = false;
  const SEXP* const from = STRING_PTR_RO(texts);
  for (R_xlen_t i = 0; i < n; ++i) {
    const SEXP text = from[i];
    if (begins_and_ends(text)) continue;
    const std::size_t size = LENGTH(text);
    const Trimmed rest = trimmed(CHAR(text), size);
    if (rest.size == size && size > 0) continue;
    if (!changed) tidy = Rcpp::clone(texts);
    changed = true;
    count += rest.size > 0;
    SET_STRING_ELT(tidy, i, rest.size == 0 ? NA_STRING
                   : Rf_mkCharLenCE(rest.from, static_cast<int>(rest.size), Rf_getCharCE(text)));
  }
  return Rcpp::List::create(Rcpp::_["texts"] = changed ? tidy : texts, Rcpp::_["count"] = count);
}

// [[Rcpp::export]]
Rcpp::LogicalVector has_outer_space(Rcpp::CharacterVector texts) {
  Rcpp::LogicalVector has(texts.size());
  for (R_xlen_t i = 0; i < texts.size(); ++i) {
    const SEXP text = STRING_ELT(texts, i);
    const std::size_t size = LENGTH(text);
    has[i] = text != NA_STRING && trimmed(CHAR(text), size).size != size;
  }
  return has;
}

// Is every text that is there a number, with a point and with a comma before decimals?
// `differs` is the first (from 1) that is another number in each, `no` the first that is
// a number in neither.
// [[Rcpp::export]]
Rcpp::List prove_numbers(Rcpp::CharacterVector texts) {
  bool point = true, comma = true, any = false;
  double differs = 0, no = 0;
  for (R_xlen_t i = 0; i < texts.size() && (point || comma || no == 0); ++i) {
    const SEXP text = STRING_ELT(texts, i);
    if (text == NA_STRING) continue;
    any = true;
    const ridge::UsualNumber usual = ridge::usual_number(CHAR(text), LENGTH(text));
    if (usual.found) {
      comma = comma && (!usual.point || usual.thousands);
      if (usual.thousands && differs == 0) differs = i + 1;
      continue;
    }
    double by_point = 0, by_comma = 0;
    ridge::NumberReader reader(CHAR(text), LENGTH(text));
    const bool is_point = reader.read('.', by_point), is_comma = reader.read(',', by_comma);
    point = point && is_point;
    comma = comma && is_comma;
    if (is_point && is_comma && by_point != by_comma && differs == 0) differs = i + 1;
    if (!is_point && !is_comma && no == 0) no = i + 1;
  }
  return Rcpp::List::create(Rcpp::_["point"] = any && point, Rcpp::_["comma"] = any && comma,
                            Rcpp::_["differs"] = differs, Rcpp::_["no"] = no);
}

// [[Rcpp::export]]
bool all_small_integers(Rcpp::NumericVector values) {
  for (R_xlen_t i = 0; i < values.size(); ++i) {
    const double value = values[i];
    if (std::isnan(value)) continue;
    if (!(std::fabs(value) < 2147483648.0) || value != std::floor(value)) return false;
  }
  return true;
}

// Texts as numbers, NA where they are none.
// [[Rcpp::export]]
Rcpp::NumericVector texts_to_numbers(Rcpp::CharacterVector texts, std::string decimal) {
  Rcpp::NumericVector values(texts.size(), NA_REAL);
  for (R_xlen_t i = 0; i < texts.size(); ++i) {
    const SEXP text = STRING_ELT(texts, i);
    if (text == NA_STRING) continue;
    double value = 0;
    const ridge::UsualNumber usual = ridge::usual_number(CHAR(text), LENGTH(text));
    if (usual.found && (!usual.point || decimal[0] == '.')) {
      values[i] = usual.value;
    } else if (ridge::NumberReader(CHAR(text), LENGTH(text)).read(decimal[0], value)) {
      values[i] = value;
    }
  }
  return values;
}

// [[Rcpp::export]]
bool holds_doubled_quotes(Rcpp::CharacterVector text) {
  for (R_xlen_t i = 0; i < text.size(); ++i) {
    if (std::strstr(CHAR(STRING_ELT(text, i)), "\"\"")) return true;
  }
  return false;
}

namespace {

// The shortest of 15, 16 and 17 digits that reads back as the same number, without an
// exponent where people would not write one.
std::string shortest_text(double value) {
  char text[400];
  for (int digits = 15; digits <= 17; ++digits) {
    std::snprintf(text, sizeof text, "%.*g", digits, value);
    if (std::strtod(text, nullptr) == value) break;
  }
  const char* exponent = std::strchr(text, 'e');
  const double size = std::fabs(value);
  if (!exponent || size >= 1e21 || size < 1e-15) return text;
  if (value == std::floor(value)) {
    std::snprintf(text, sizeof text, "%.0f", value);
    return text;
  }
  const char* point = std::strchr(text, '.');
  const int shown = point ? static_cast<int>(exponent - point) - 1 : 0;
  const int decimals = shown - std::atoi(exponent + 1);
  std::snprintf(text, sizeof text, "%.*f", decimals, value);
  return text;
}

}  // namespace

// Numbers as texts that hold all of them; what is no number is missing.
// [[Rcpp::export]]
Rcpp::CharacterVector number_texts(Rcpp::NumericVector values) {
  Rcpp::CharacterVector texts(values.size());
  for (R_xlen_t i = 0; i < values.size(); ++i) {
    if (std::isnan(values[i])) texts[i] = NA_STRING;
    else if (std::isinf(values[i])) texts[i] = values[i] > 0 ? "Inf" : "-Inf";
    else texts[i] = shortest_text(values[i]);
  }
  return texts;
}

// Would 15 digits without an exponent lose nothing?
// [[Rcpp::export]]
bool are_short_numbers(Rcpp::NumericVector values) {
  char text[64];
  for (R_xlen_t i = 0; i < values.size(); ++i) {
    const double value = values[i];
    if (std::isnan(value) || (value == std::floor(value) && std::fabs(value) < 1e15)) continue;
    const double cents = std::nearbyint(value * 1e4);
    if (std::fabs(cents) < 1e15 && cents / 1e4 == value) continue;
    if (!(std::fabs(value) < 1e15 && std::fabs(value) > 1e-5)) return false;
    std::snprintf(text, sizeof text, "%.15g", value);
    if (std::strtod(text, nullptr) != value) return false;
  }
  return true;
}

// Whole numbers of 64 bits that stand where R keeps doubles; the smallest is missing.
// [[Rcpp::export]]
Rcpp::NumericVector doubles_of_int64(Rcpp::NumericVector bits) {
  Rcpp::NumericVector values(bits.size());
  for (R_xlen_t i = 0; i < bits.size(); ++i) {
    std::int64_t whole = 0;
    std::memcpy(&whole, &bits[i], sizeof whole);
    values[i] = whole == INT64_MIN ? NA_REAL : static_cast<double>(whole);
  }
  return values;
}

namespace {

bool is_label_space(char c) { return c == ' ' || c == '-' || c == '_' || (c >= '\t' && c <= '\r'); }

char lower(char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c; }

// A number that folded labels share where they are alike.
class FoldMark {
 public:
  void add(char c) {
    if (is_label_space(c)) {
      shorter_ = shorter_ || space_ || !begun_;
      space_ = begun_;
      return;
    }
    if (space_) mix(' ');
    mix(lower(c));
    space_ = false;
    begun_ = true;
  }

  std::uint64_t value() const { return mark_; }

  // Was a space of the label left out?
  bool is_shorter() const { return shorter_ || space_; }

 private:
  std::uint64_t mark_ = 0xcbf29ce484222325u;
  bool space_ = false, begun_ = false, shorter_ = false;

  void mix(char c) {
    mark_ = (mark_ ^ static_cast<unsigned char>(c)) * 0x9e3779b97f4a7c15u;
    mark_ ^= mark_ >> 29;
  }
};

// Is each of these characters of ASCII folded into one of its own?
bool fold_apart(const std::bitset<128>& used) {
  std::bitset<128> folded;
  for (std::size_t c = 0; c < used.size(); ++c) {
    if (!used[c]) continue;
    const std::size_t into = is_label_space(static_cast<char>(c)) ? ' ' : lower(static_cast<char>(c));
    if (folded[into]) return false;
    folded[into] = true;
  }
  return true;
}

}  // namespace

// Labels in lower case, with one space for spaces, hyphens and underscores, none outside;
// NA where a label has more than ASCII in it.
// [[Rcpp::export]]
Rcpp::CharacterVector plain_folds(Rcpp::CharacterVector labels) {
  Rcpp::CharacterVector folded(labels.size());
  std::string text;
  for (R_xlen_t i = 0; i < labels.size(); ++i) {
    const SEXP label = STRING_ELT(labels, i);
    text.clear();
    bool plain = true;
    for (const char* at = CHAR(label); *at != '\0' && plain; ++at) {
      const char c = *at;
      plain = static_cast<unsigned char>(c) < 128;
      if (is_label_space(c)) {
        if (!text.empty() && text.back() != ' ') text += ' ';
      } else {
        text += lower(c);
      }
    }
    if (!text.empty() && text.back() == ' ') text.pop_back();
    if (plain) folded[i] = text;
    else folded[i] = NA_STRING;
  }
  return folded;
}

// Whether labels that differ may be alike when they are folded as above: some are, by a mark of
// 64 bits, or have more than ASCII in them. Where none of their characters are alike there is no
// need to compare the marks.
// [[Rcpp::export]]
bool may_fold_alike(Rcpp::CharacterVector labels, int threads) {
  const SEXP* const texts = STRING_PTR_RO(labels);
  const std::size_t n = labels.size();
  const int most = door::threads(threads);
  std::vector<std::uint64_t> marks = ridge::large_vector<std::uint64_t>(n);
  std::vector<std::bitset<128>> used(most);
  std::atomic<bool> ascii{true}, shorter{false};
  ridge::in_parallel(most, [&](int t) {
    const ridge::Block own = ridge::block_of(n, most, t);
    std::bitset<128> met;
    for (std::size_t i = own.from; i < own.to && ascii; ++i) {
      fetch_soon(texts, i, own.to);
      if (!is_ascii(texts[i])) {
        ascii = false;
        break;
      }
      // One that is missing is like no other.
      if (texts[i] == NA_STRING) {
        marks[i] = i;
        continue;
      }
      FoldMark mark;
      for (const char* at = CHAR(texts[i]); *at != '\0'; ++at) {
        mark.add(*at);
        met[*at] = true;
      }
      marks[i] = mark.value();
      if (mark.is_shorter()) shorter = true;
    }
    used[t] = met;
  });
  if (!ascii) return true;
  for (int t = 1; t < most; ++t) used[0] |= used[t];
  if (!shorter && fold_apart(used[0])) return false;
  ridge::sort_numbers(marks, most);
  return std::adjacent_find(marks.begin(), marks.end()) != marks.end();
}

// Is all text ASCII, or marked as UTF-8?
// [[Rcpp::export]]
bool is_utf8_or_ascii(Rcpp::CharacterVector texts, int threads) {
  return are_all(texts, threads, is_in_utf8);
}

// [[Rcpp::export]]
bool is_all_ascii(Rcpp::CharacterVector texts, int threads) { return are_all(texts, threads, is_ascii); }
