#include "core/number_text.h"
#include "core/threads.h"
#include "door.h"
#include "r-objects.h"
#include <Rcpp.h>
#include <cmath>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <fstream>
#include <vector>

// TRUE for texts that are missing or hold nothing but white space.
// [[Rcpp::export]]
Rcpp::LogicalVector is_blank_text(Rcpp::CharacterVector text) {
  Rcpp::LogicalVector blank(text.size());
  for (R_xlen_t i = 0; i < text.size(); ++i) {
    const SEXP value = STRING_ELT(text, i);
    const char* at = CHAR(value);
    while (*at == ' ' || (*at >= '\t' && *at <= '\r')) ++at;
    blank[i] = value == NA_STRING || *at == '\0';
  }
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
Rcpp::List trim_texts(Rcpp::CharacterVector texts) {
  const R_xlen_t n = texts.size();
  Rcpp::CharacterVector tidy(0);
  int count = 0;
  bool changed = false;
  const SEXP* const from = STRING_PTR_RO(texts);
  SEXP last = nullptr;
  for (R_xlen_t i = 0; i < n; ++i) {
    const SEXP text = from[i];
    if (text == NA_STRING || text == last) continue;
    const std::size_t size = LENGTH(text);
    const char* at = CHAR(text);
    // Most begin and end with what is plainly no space.
    if (size > 0 && at[0] > ' ' && at[size - 1] > ' ') {
      last = text;
      continue;
    }
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

// How many lines a delimited text has, those within quoted text aside; -1 where the last
// one has no end.
// [[Rcpp::export]]
double count_lines(std::string path) {
  std::ifstream file(path, std::ios::binary);
  std::vector<char> block(1 << 20);
  double lines = 0;
  bool quoted = false;
  char last = '\n';
  while (file) {
    file.read(block.data(), block.size());
    const std::size_t size = file.gcount();
    for (std::size_t i = 0; i < size; ++i) {
      quoted = quoted != (block[i] == '"');
      lines += block[i] == '\n' && !quoted;
    }
    if (size > 0) last = block[size - 1];
  }
  return last == '\n' && !quoted ? lines : -1;
}

// Where a delimited text may be cut: behind its first line that holds something, then behind
// the first record that ends `size` bytes or more after the cut before, and at its end.
// [[Rcpp::export]]
Rcpp::NumericVector record_cuts(std::string path, std::string quote, double size) {
  std::ifstream file(path, std::ios::binary);
  std::vector<char> block(1 << 20);
  std::vector<double> cuts;
  double at = 0;
  bool quoted = false, blank = true;
  while (file) {
    check_interrupt();
    file.read(block.data(), block.size());
    const std::size_t read = file.gcount();
    for (std::size_t i = 0; i < read; ++i) {
      const char c = block[i];
      if (!quote.empty() && c == quote[0]) quoted = !quoted;
      if (c == '\n' && !quoted && !blank) {
        const double behind = at + i + 1;
        if (cuts.empty() || behind - cuts.back() >= size) cuts.push_back(behind);
      }
      blank = blank && (c == '\n' || c == '\r' || c == ' ' || c == '\t');
    }
    at += read;
  }
  if (cuts.empty() || cuts.back() < at) cuts.push_back(at);
  return Rcpp::wrap(cuts);
}

// What a text file holds that needs a closer look: a NUL byte, bytes beyond
// ASCII, a doubled quote.
// [[Rcpp::export]]
Rcpp::LogicalVector file_marks(std::string path) {
  std::ifstream file(path, std::ios::binary);
  std::vector<char> block(1 << 20);
  bool nul = false, beyond = false, doubled = false, after_quote = false;
  while (file) {
    file.read(block.data(), block.size());
    const std::size_t size = file.gcount();
    unsigned char bits = 0;
    for (std::size_t i = 0; i < size; ++i) bits |= static_cast<unsigned char>(block[i]);
    beyond = beyond || bits >= 128;
    nul = nul || std::memchr(block.data(), 0, size);
    for (std::size_t i = 0; i < size && !doubled; ++i) {
      doubled = after_quote && block[i] == '"';
      after_quote = block[i] == '"';
    }
  }
  return Rcpp::LogicalVector::create(Rcpp::_["nul"] = nul, Rcpp::_["beyond_ascii"] = beyond,
                                     Rcpp::_["doubled_quotes"] = doubled);
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
      space_ = begun_;
      return;
    }
    if (space_) mix(' ');
    mix(lower(c));
    space_ = false;
    begun_ = true;
  }

  std::uint64_t value() const { return mark_; }

 private:
  std::uint64_t mark_ = 0xcbf29ce484222325u;
  bool space_ = false, begun_ = false;

  void mix(char c) {
    mark_ = (mark_ ^ static_cast<unsigned char>(c)) * 0x9e3779b97f4a7c15u;
    mark_ ^= mark_ >> 29;
  }
};

// Texts lie all over the memory: the next ones are asked for before they are needed.
void fetch_soon(const SEXP* texts, std::size_t i, std::size_t n) {
#if defined(__GNUC__)
  if (i + 16 < n) __builtin_prefetch(reinterpret_cast<const char*>(texts[i + 16]) + 48);
#else
  static_cast<void>(texts), static_cast<void>(i), static_cast<void>(n);
#endif
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

// Whether labels may be alike when they are folded as above: some are, by a mark of 64 bits, or
// have more than ASCII in them.
// [[Rcpp::export]]
bool may_fold_alike(Rcpp::CharacterVector labels) {
  const SEXP* const texts = STRING_PTR_RO(labels);
  const std::size_t n = labels.size();
  std::vector<std::uint64_t> marks;
  marks.reserve(n);
  for (std::size_t i = 0; i < n; ++i) {
    fetch_soon(texts, i, n);
    if (texts[i] == NA_STRING) continue;
    FoldMark mark;
    for (const char* at = CHAR(texts[i]); *at != '\0'; ++at) {
      if (static_cast<unsigned char>(*at) >= 128) return true;
      mark.add(*at);
    }
    marks.push_back(mark.value());
  }
  std::sort(marks.begin(), marks.end());
  return std::adjacent_find(marks.begin(), marks.end()) != marks.end();
}

// Is all text ASCII, or marked as UTF-8?
// [[Rcpp::export]]
bool is_utf8_or_ascii(Rcpp::CharacterVector texts, int threads) {
  const SEXP* const values = STRING_PTR_RO(texts);
  const std::size_t n = texts.size();
  std::atomic<bool> sound{true};
  ridge::in_blocks(n, door::threads(threads), [&](std::size_t i, std::size_t to) {
    for (SEXP last = nullptr; i < to && sound; ++i) {
      fetch_soon(values, i, to);
      if (values[i] == last || values[i] == NA_STRING || Rf_getCharCE(values[i]) == CE_UTF8) continue;
      for (const char* at = CHAR(values[i]); *at != '\0'; ++at) {
        if (static_cast<unsigned char>(*at) >= 128) sound = false;
      }
      last = values[i];
    }
  });
  return sound;
}
