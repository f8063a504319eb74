// How a kernel gathers its answer: on how many threads, together with which parts that were
// answered before, and whether it is finished or kept as a part for later.
#pragma once
#include "core/partial.h"
#include "door.h"
#include "r-objects.h"

class Gather {
 public:
  // A list of threads, parts (a list of raw vectors, or NULL) and whether to keep.
  explicit Gather(SEXP how) {
    door::require(TYPEOF(how) == VECSXP && Rf_xlength(how) == 3, "How to gather is a list of three.");
    const SEXP threads = VECTOR_ELT(how, 0), keep = VECTOR_ELT(how, 2);
    door::require(TYPEOF(threads) == INTSXP && Rf_xlength(threads) == 1, "Threads must be a number.");
    door::require(TYPEOF(keep) == LGLSXP && Rf_xlength(keep) == 1, "Parts are kept or not.");
    threads_ = door::threads(INTEGER(threads)[0]);
    keep_ = LOGICAL(keep)[0] == TRUE;
    parts_ = VECTOR_ELT(how, 1);
    door::require(Rf_isNull(parts_) || TYPEOF(parts_) == VECSXP, "Parts must be a list.");
  }

  int threads() const { return threads_; }

  // What fill() and finish() make of an accumulator that is empty yet.
  template <class Part, class Source, class Fill, class Finish>
  SEXP operator()(Part part, const Source& source, Fill fill, Finish finish) const {
    const Part empty = part;
    ridge::fill_part(part, source, threads_, part_size, fill, RPoll());
    for (R_xlen_t i = 0; i < Rf_xlength(parts_); ++i) part.add(unpacked(empty, VECTOR_ELT(parts_, i)));
    return keep_ ? packed(part) : finish(part);
  }

 private:
  int threads_;
  bool keep_;
  SEXP parts_;

  template <class Part> static Part unpacked(Part part, SEXP raw) {
    door::require(TYPEOF(raw) == RAWSXP, "A part of an answer must be raw.");
    ridge::Bytes bytes(RAW(raw), Rf_xlength(raw));
    part.take(bytes);
    return part;
  }

  template <class Part> static SEXP packed(const Part& part) {
    ridge::Bytes bytes;
    part.put(bytes);
    const SEXP raw = new_vector(RAWSXP, bytes.all().size());
    std::copy(bytes.all().begin(), bytes.all().end(), RAW(raw));
    return raw;
  }
};
