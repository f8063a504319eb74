// Coverage-guided fuzzing of what reads dates, ISO 8601 moments and numbers from text. What
// is read must be a day of the calendar, whatever the text; the texts that reach something
// new are kept in the corpus.
#include "core/date_text.h"
#include "core/number_text.h"
#include <cstdlib>
#include <string>
#include <vector>

namespace {

const std::vector<std::string> months = {"january", "february", "march", "april", "may", "june", "july", "august",
                                         "september", "october", "november", "december"};

void require(bool sound) {
  if (!sound) std::abort();
}

bool in_calendar(int day) {
  return day >= ridge::day_number(-1, 1, 1) && day <= ridge::day_number(10000, 12, 31);
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string text(reinterpret_cast<const char*>(data), size);
  // Texts of R end at their first NUL.
  const std::string shown = text.substr(0, text.find('\0'));

  const ridge::IsoMoment moment = ridge::IsoReader(shown.data(), shown.size()).read();
  if (moment.reading == ridge::Reading::date) require(in_calendar(moment.day));
  require(moment.second_of_day > -100000 && moment.second_of_day < 200000);

  const ridge::DateText read = ridge::DateTextReader(months).read(shown);
  if (read.form == ridge::DateForm::date) require(in_calendar(read.day));
  if (read.form == ridge::DateForm::numbers) {
    for (const char* order : {"dmy", "mdy", "ymd"}) {
      int day = 0;
      if (ridge::ordered_day(read, order, day)) require(in_calendar(day));
    }
  }

  for (const char decimal : {'.', ','}) {
    double value = 0;
    if (ridge::NumberReader(shown.data(), shown.size()).read(decimal, value)) require(value == value);
  }
  const ridge::UsualNumber usual = ridge::usual_number(shown.data(), shown.size());
  double slow = 0;
  if (usual.found) require(ridge::NumberReader(shown.data(), shown.size()).read('.', slow) && slow == usual.value);
  return 0;
}
