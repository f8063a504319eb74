// Coverage-guided fuzzing of what proves a Parquet file sound: whatever the bytes, it looks
// at nothing outside them. The files are read from memory, as they come.
#include "core/parquet_pages.h"
#include <sstream>
#include <string>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string bytes(reinterpret_cast<const char*>(data), size);
  ridge::sound_parquet_columns([&bytes] { return std::istringstream(bytes); }, size, 1);
  return 0;
}
