// Numbers as people and programs write them, with a point or a comma before the decimals
// and marks between thousands. What a text alone cannot decide is left to the caller, who
// sees the whole column.
#pragma once
#include <cstddef>
#include <cstdlib>
#include <string>

namespace ridge {

// A number as most are: digits, perhaps a minus before and a point among them, 15 at most.
// `thousands` says that the point could stand between thousands as well.
struct UsualNumber {
  bool found = false;
  bool point = false;
  bool thousands = false;
  double value = 0;
};

inline UsualNumber usual_number(const char* text, std::size_t size) {
  static const double powers[] = {1e0, 1e1, 1e2,  1e3,  1e4,  1e5,  1e6,  1e7,
                                  1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15};
  UsualNumber read;
  std::size_t at = size > 0 && text[0] == '-';
  const bool minus = at == 1;
  std::size_t whole = 0, decimals = 0;
  double value = 0;
  const bool zero = at < size && text[at] == '0';
  for (; at < size; ++at) {
    if (text[at] == '.' && !read.point) {
      read.point = true;
    } else if (text[at] >= '0' && text[at] <= '9') {
      value = 10 * value + (text[at] - '0');
      ++(read.point ? decimals : whole);
    } else {
      return read;
    }
  }
  read.found = whole > 0 && whole + decimals <= 15 && !(zero && whole > 1) &&
               (!read.point || decimals > 0);
  read.thousands = read.point && decimals == 3 && whole <= 3 && !zero;
  // Whole numbers below 2^53, divided once, are as exact as a number can be.
  value /= powers[read.found ? decimals : 0];
  read.value = minus ? -value : value;
  return read;
}

class NumberReader {
 public:
  NumberReader(const char* text, std::size_t size) : text_(text), size_(size) {}

  // Codes such as 007, and numbers of more than 15 digits, are none.
  bool read(char decimal, double& value) {
    at_ = 0;
    plain_.clear();
    if (size_ == 0 || size_ > 64) return false;
    if (next() == '-') take();
    if (!read_whole(decimal)) return false;
    if (next() == decimal && !read_decimals()) return false;
    if (next() == 'e' && (decimal != '.' || !read_exponent())) return false;
    if (at_ != size_) return false;
    value = std::strtod(plain_.c_str(), nullptr);
    return true;
  }

 private:
  const char* text_;
  std::size_t size_;
  std::size_t at_ = 0;
  std::string plain_;

  char next() const { return at_ < size_ ? text_[at_] : '\0'; }
  static bool digit(char c) { return c >= '0' && c <= '9'; }
  void take() { plain_ += text_[at_++]; }

  std::size_t digits_from(std::size_t at) const {
    std::size_t n = 0;
    while (at + n < size_ && digit(text_[at + n])) ++n;
    return n;
  }

  // How many bytes a mark between thousands takes here: the other of point and comma, an
  // apostrophe, or a space of any width.
  std::size_t mark_at(std::size_t at, char decimal) const {
    if (at >= size_) return 0;
    const char c = text_[at];
    if (c == (decimal == '.' ? ',' : '.') || c == '\'' || c == ' ') return 1;
    for (const char* wide : {"\xc2\xa0", "\xe2\x80\xaf", "\xe2\x80\x89", "\xe2\x80\x99"}) {
      const std::string mark(wide);
      if (at + mark.size() <= size_ && mark.compare(0, mark.size(), text_ + at, mark.size()) == 0) {
        return mark.size();
      }
    }
    return 0;
  }

  bool read_whole(char decimal) {
    const std::size_t first = digits_from(at_);
    if (first == 0 || (first > 1 && next() == '0')) return false;
    const bool zero = next() == '0';
    for (std::size_t i = 0; i < first; ++i) take();
    std::size_t taken = first;
    const std::size_t mark = mark_at(at_, decimal);
    if (mark == 0) return taken <= 15;
    if (zero || first > 3) return false;
    const std::string separator(text_ + at_, mark);
    while (at_ + mark <= size_ && separator.compare(0, mark, text_ + at_, mark) == 0) {
      if (digits_from(at_ + mark) != 3) return false;
      at_ += mark;
      for (int i = 0; i < 3; ++i) take();
      taken += 3;
    }
    return taken <= 15;
  }

  bool read_decimals() {
    ++at_;
    plain_ += '.';
    const std::size_t n = digits_from(at_);
    for (std::size_t i = 0; i < n; ++i) take();
    return n > 0;
  }

  // As programs write it: 1e+05, 2.5e-10.
  bool read_exponent() {
    take();
    if (next() != '+' && next() != '-') return false;
    take();
    const std::size_t n = digits_from(at_);
    for (std::size_t i = 0; i < n; ++i) take();
    return n >= 2 && n <= 3;
  }
};

}  // namespace ridge
