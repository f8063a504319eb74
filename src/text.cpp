#include <Rcpp.h>
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

// [[Rcpp::export]]
bool holds_doubled_quotes(Rcpp::CharacterVector text) {
  for (R_xlen_t i = 0; i < text.size(); ++i) {
    if (std::strstr(CHAR(STRING_ELT(text, i)), "\"\"")) return true;
  }
  return false;
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
