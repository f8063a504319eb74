// Text packed in the open Snappy format: literal bytes, and copies of what came before.
#pragma once
#include <algorithm>
#include <cstdint>
#include <cstring>

namespace ridge {

// Fills exactly `size` bytes, or says that it cannot.
inline bool unpack_snappy(const std::uint8_t* at, std::size_t packed, std::uint8_t* out, std::size_t size) {
  const std::uint8_t* end = at + packed;
  const auto little_endian = [&](int bytes, std::uint32_t& value) {
    if (end - at < bytes) return false;
    value = 0;
    for (int i = 0; i < bytes; ++i) value |= static_cast<std::uint32_t>(at[i]) << (8 * i);
    at += bytes;
    return true;
  };
  std::uint64_t told = 0;
  for (int shift = 0;; shift += 7) {
    if (at == end || shift > 28) return false;
    told |= static_cast<std::uint64_t>(*at & 127) << shift;
    if (*at++ < 128) break;
  }
  if (told != size) return false;
  std::size_t done = 0;
  while (at < end) {
    const std::uint8_t tag = *at++;
    std::uint32_t length, back = 0;
    if ((tag & 3) == 0) {
      length = tag >> 2;
      if (length >= 60 && !little_endian(length - 59, length)) return false;
      const std::uint64_t bytes = std::uint64_t(length) + 1;
      if (bytes > static_cast<std::size_t>(end - at) || bytes > size - done) return false;
      std::memcpy(out + done, at, bytes);
      at += bytes;
      done += bytes;
      continue;
    }
    if ((tag & 3) == 1) {
      length = ((tag >> 2) & 7) + 4;
      if (!little_endian(1, back)) return false;
      back |= static_cast<std::uint32_t>(tag >> 5) << 8;
    } else {
      length = (tag >> 2) + 1;
      if (!little_endian((tag & 3) == 2 ? 2 : 4, back)) return false;
    }
    if (back == 0 || back > done || length > size - done) return false;
    if (back >= length) {
      std::memcpy(out + done, out + done - back, length);
    } else {
      for (std::uint32_t i = 0; i < length; ++i) out[done + i] = out[done - back + i];
    }
    done += length;
  }
  return done == size;
}

}  // namespace ridge
