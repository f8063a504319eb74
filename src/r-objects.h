// R objects for results. R leaves C++ by a jump where it cannot allocate; here a jump
// becomes an exception, so that what is alive is taken down in order. What comes back is
// not protected yet: put it into a Shield at once.
#pragma once
#include "core/pages.h"
#include <Rcpp.h>
#include <algorithm>
#include <chrono>
#include <initializer_list>
#include <utility>
#include <vector>

using Shield = Rcpp::Shield<SEXP>;

inline SEXP new_vector(SEXPTYPE type, R_xlen_t n) {
  return Rcpp::unwindProtect([&]() -> SEXP { return Rf_allocVector(type, n); });
}

// Their values are not set. They may be written by several threads.
inline SEXP new_integers(R_xlen_t n, int threads = 1) {
  const SEXP made = new_vector(INTSXP, n);
  ridge::in_large_pages(INTEGER(made), n * sizeof(int), threads);
  return made;
}

inline SEXP new_doubles(R_xlen_t n, int threads = 1) {
  const SEXP made = new_vector(REALSXP, n);
  ridge::in_large_pages(REAL(made), n * sizeof(double), threads);
  return made;
}

inline SEXP new_flags(R_xlen_t n) {
  const SEXP made = new_vector(LGLSXP, n);
  ridge::in_large_pages(LOGICAL(made), n * sizeof(int));
  return made;
}

inline SEXP new_numbers(SEXPTYPE type, R_xlen_t n, int threads = 1) {
  return type == INTSXP ? new_integers(n, threads) : new_doubles(n, threads);
}

// Values converted one by one.
template <class Values, class Convert> SEXP doubles_of(const Values& values, Convert convert) {
  const SEXP made = new_doubles(values.size());
  double* to = REAL(made);
  for (std::size_t i = 0; i < values.size(); ++i) to[i] = convert(values[i]);
  return made;
}

inline SEXP integers_of(const std::vector<int>& values) {
  const SEXP made = new_integers(values.size());
  std::copy(values.begin(), values.end(), INTEGER(made));
  return made;
}

// A list that gets these names.
inline SEXP with_names(SEXP list, const std::vector<const char*>& names) {
  return Rcpp::unwindProtect([&]() -> SEXP {
    const SEXP own = PROTECT(Rf_allocVector(STRSXP, names.size()));
    for (std::size_t i = 0; i < names.size(); ++i) SET_STRING_ELT(own, i, Rf_mkChar(names[i]));
    Rf_setAttrib(list, R_NamesSymbol, own);
    UNPROTECT(1);
    return list;
  });
}

// A list of these, by name.
inline SEXP named_list(const std::vector<std::pair<const char*, SEXP>>& items) {
  return Rcpp::unwindProtect([&]() -> SEXP {
    const SEXP list = PROTECT(Rf_allocVector(VECSXP, items.size()));
    const SEXP names = PROTECT(Rf_allocVector(STRSXP, items.size()));
    R_xlen_t at = 0;
    for (const auto& item : items) {
      SET_VECTOR_ELT(list, at, item.second);
      SET_STRING_ELT(names, at++, Rf_mkChar(item.first));
    }
    Rf_setAttrib(list, R_NamesSymbol, names);
    UNPROTECT(2);
    return list;
  });
}

inline bool is_ascii(SEXP text) {
  const char* const bytes = CHAR(text);
  return std::all_of(bytes, bytes + LENGTH(text), [](char byte) { return static_cast<signed char>(byte) >= 0; });
}

// Texts lie all over the memory: one is asked for before it is needed, with what R notes of it,
// which may end in one line of the processor's memory and its bytes begin in the next.
inline void fetch_text(SEXP text) {
  ridge::fetch(text);
  ridge::fetch(reinterpret_cast<const char*>(text) + 48);
}

// Text whose bytes say what it is, in whatever locale.
inline bool is_in_utf8(SEXP text) {
  return text == NA_STRING || Rf_getCharCE(text) == CE_UTF8 || is_ascii(text);
}

// The function that is told, a few times a second, that work goes on; none: a null pointer.
inline SEXP progress_hook = nullptr;

inline void tell_progress() {
  static auto told = std::chrono::steady_clock::now();
  const auto now = std::chrono::steady_clock::now();
  if (now - told < std::chrono::milliseconds(200)) return;
  told = now;
  const SEXP call = PROTECT(Rf_lang1(progress_hook));
  Rf_eval(call, R_GlobalEnv);
  UNPROTECT(1);
}

// An interrupt, or a limit of time that ran out, leaves R's way: whoever waits for that
// condition catches it.
inline void check_interrupt() {
  Rcpp::unwindProtect([]() -> SEXP {
    R_CheckUserInterrupt();
    if (progress_hook != nullptr) tell_progress();
    return R_NilValue;
  });
}

// Long work is done in parts, and can be stopped between them.
constexpr std::size_t part_size = std::size_t{1} << 18;

struct RPoll {
  void operator()() const { check_interrupt(); }
};

// Polls after so many steps, wherever they are taken.
class Countdown {
 public:
  void step(std::size_t steps = 1) {
    left_ -= static_cast<std::int64_t>(steps);
    if (left_ > 0) return;
    check_interrupt();
    left_ = each;
  }

 private:
  static constexpr std::int64_t each = std::int64_t{1} << 22;
  std::int64_t left_ = each;
};
