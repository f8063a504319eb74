// What R does not say of files: what kind one is, and whether what was written has
// arrived. Reasons come back as text, empty where all went well.
#include "core/parquet_pages.h"
#include "door.h"
#include "r-objects.h"
#include <Rcpp.h>
#include <algorithm>
#include <cerrno>
#include <csignal>
#include <cstdint>
#include <cstdio>
#include <cstring>
#include <ctime>
#include <fcntl.h>
#include <fstream>
#include <sys/stat.h>
#include <vector>
#ifdef _WIN32
#include <io.h>
#define fsync _commit
#else
#include <sys/resource.h>
#include <sys/wait.h>
#ifdef __linux__
#include <sys/syscall.h>
#endif
#include <unistd.h>
#endif

namespace {

std::string reason_of(int code) { return code == 0 ? "" : std::strerror(code); }

// Some file systems have nothing to flush, and say so.
int flush_to_disk(int descriptor) {
  if (fsync(descriptor) == 0 || errno == EINVAL || errno == ENOSYS) return 0;
  return errno;
}

volatile std::sig_atomic_t asked_to_end = 0;

void (*handler_before)(int) = SIG_DFL;

volatile std::time_t asked_at = 0;

void end_by_interrupt(int) {
  const std::time_t now = std::time(nullptr);
  if (!asked_to_end) asked_at = now;
  asked_to_end = 1;
  if (now - asked_at >= 2) {
    std::signal(SIGTERM, SIG_DFL);
    std::raise(SIGTERM);
  }
  std::signal(SIGTERM, end_by_interrupt);
  std::raise(SIGINT);
}

}  // namespace

// "none", "file", "folder" or "other", such as a pipe or a device; links are followed.
// [[Rcpp::export]]
std::string file_kind(std::string path) {
  struct stat info;
  if (stat(path.c_str(), &info) != 0) return "none";
  if (S_ISREG(info.st_mode)) return "file";
  return S_ISDIR(info.st_mode) ? "folder" : "other";
}

// [[Rcpp::export]]
std::string create_file(std::string path) {
  const int descriptor = open(path.c_str(), O_WRONLY | O_CREAT | O_EXCL, 0666);
  if (descriptor < 0) return reason_of(errno);
  return reason_of(close(descriptor) == 0 ? 0 : errno);
}

// Writes all of these texts, or says why not.
// [[Rcpp::export]]
std::string write_bytes(std::string path, Rcpp::CharacterVector texts) {
  std::FILE* file = std::fopen(path.c_str(), "wb");
  if (!file) return reason_of(errno);
  int failed = 0;
  for (R_xlen_t i = 0; i < texts.size() && !failed; ++i) {
    const SEXP text = STRING_ELT(texts, i);
    const std::size_t size = LENGTH(text);
    errno = 0;
    if (size > 0 && std::fwrite(CHAR(text), 1, size, file) != size) failed = errno ? errno : EIO;
  }
  if (!failed && std::fflush(file) != 0) failed = errno;
  if (std::fclose(file) != 0 && !failed) failed = errno;
  return reason_of(failed);
}

// Has all that was written to this file reached the disk?
// [[Rcpp::export]]
std::string flush_file(std::string path) {
  const int descriptor = open(path.c_str(), O_RDWR);
  if (descriptor < 0) return reason_of(errno);
  const int failed = flush_to_disk(descriptor);
  return reason_of(close(descriptor) == 0 ? failed : errno);
}

// Why no more can be written behind this file; "" where it can.
// [[Rcpp::export]]
std::string refused_append(std::string path) {
  const int descriptor = open(path.c_str(), O_WRONLY | O_APPEND);
  if (descriptor < 0) return reason_of(errno);
  const std::string block(1 << 16, '\0');
  int failed = write(descriptor, block.data(), block.size()) < 0 ? errno : 0;
  if (!failed) failed = write(descriptor, block.data(), block.size()) < 0 ? errno : 0;
  if (!failed) failed = flush_to_disk(descriptor);
  close(descriptor);
  return reason_of(failed);
}

// [[Rcpp::export]]
std::string move_file(std::string from, std::string to) {
  return reason_of(std::rename(from.c_str(), to.c_str()) == 0 ? 0 : errno);
}

// Everything that a file, a pipe or standard input ("-") holds, into another: a new file,
// or what cannot be replaced, such as a device.
// [[Rcpp::export]]
std::string copy_onto(std::string from, std::string to) {
  const bool standard = from == "-";
  std::FILE* source = standard ? stdin : std::fopen(from.c_str(), "rb");
  if (!source) return reason_of(errno);
  std::FILE* target = std::fopen(to.c_str(), "ab");
  int failed = target ? 0 : errno;
  std::vector<char> block(1 << 16);
  while (!failed) {
    const std::size_t size = std::fread(block.data(), 1, block.size(), source);
    if (size == 0) {
      if (std::ferror(source)) failed = errno ? errno : EIO;
      break;
    }
    if (std::fwrite(block.data(), 1, size, target) != size) failed = errno ? errno : EIO;
  }
  if (!standard) std::fclose(source);
  if (target && std::fclose(target) != 0 && !failed) failed = errno;
  return reason_of(failed);
}

// A file to standard output. A reader who has had enough is no failure.
// [[Rcpp::export]]
std::string send_to_output(std::string from) {
  std::FILE* source = std::fopen(from.c_str(), "rb");
  if (!source) return reason_of(errno);
  std::vector<char> block(1 << 16);
  int failed = 0;
  while (const std::size_t size = std::fread(block.data(), 1, block.size(), source)) {
    for (std::size_t at = 0; at < size && !failed;) {
      const auto sent = write(1, block.data() + at, size - at);
      if (sent >= 0) at += sent;
      else if (errno != EINTR) failed = errno;
    }
    if (failed) break;
  }
  std::fclose(source);
  return reason_of(failed == EPIPE ? 0 : failed);
}

// The signal that asks a program to end is taken as an interrupt, so that what was
// begun is cleared away; one that comes seconds later ends it at once. `FALSE` gives it back.
// [[Rcpp::export]]
void heed_termination(bool heed) {
  if (heed) {
    asked_to_end = 0;
    handler_before = std::signal(SIGTERM, end_by_interrupt);
  } else {
    std::signal(SIGTERM, handler_before);
  }
}

// [[Rcpp::export]]
bool asked_to_terminate() { return asked_to_end; }

// The function that is told that long work goes on; NULL: none.
// [[Rcpp::export]]
void heed_progress(SEXP hook) {
  if (progress_hook != nullptr) R_ReleaseObject(progress_hook);
  progress_hook = Rf_isNull(hook) ? nullptr : hook;
  if (progress_hook != nullptr) R_PreserveObject(progress_hook);
}

// The sum by which packed files tell that a part is whole.
// [[Rcpp::export]]
double content_crc(Rcpp::RawVector bytes) {
  static const auto table = [] {
    std::vector<std::uint32_t> sums(256);
    for (std::uint32_t i = 0; i < 256; ++i) {
      std::uint32_t sum = i;
      for (int bit = 0; bit < 8; ++bit) sum = sum & 1 ? 0xedb88320u ^ (sum >> 1) : sum >> 1;
      sums[i] = sum;
    }
    return sums;
  }();
  std::uint32_t sum = 0xffffffffu;
  for (const Rbyte byte : bytes) sum = table[(sum ^ byte) & 0xff] ^ (sum >> 8);
  return sum ^ 0xffffffffu;
}

// How far the cells of a sheet reach, and the first of those that hold an error.
// [[Rcpp::export]]
Rcpp::List sheet_extent(Rcpp::RawVector sheet) {
  const std::string text(sheet.begin(), sheet.end());
  int rows = 0, columns = 0;
  std::vector<std::string> errors;
  for (std::size_t at = text.find("<c "); at != std::string::npos; at = text.find("<c ", at + 3)) {
    const std::size_t end = text.find('>', at);
    if (end == std::string::npos) break;
    const std::string tag = text.substr(at, end - at);
    const std::size_t named = tag.find(" r=\"");
    if (named == std::string::npos) continue;
    int column = 0, row = 0;
    std::size_t i = named + 4;
    for (; i < tag.size() && tag[i] >= 'A' && tag[i] <= 'Z' && column < 100000; ++i) {
      column = 26 * column + (tag[i] - 'A' + 1);
    }
    for (; i < tag.size() && tag[i] >= '0' && tag[i] <= '9' && row < 100000000; ++i) {
      row = 10 * row + (tag[i] - '0');
    }
    rows = std::max(rows, row);
    columns = std::max(columns, column);
    if (errors.size() < 5 && tag.find(" t=\"e\"") != std::string::npos) {
      errors.push_back(tag.substr(named + 4, i - named - 4));
    }
  }
  return Rcpp::List::create(Rcpp::_["rows"] = rows, Rcpp::_["columns"] = columns,
                            Rcpp::_["errors"] = errors);
}

#ifndef _WIN32
namespace {

// What asks for more than this machine has is refused it, and does not bring it down.
void limit_memory(double room) {
  double pages = 0;
  if (std::ifstream("/proc/self/statm") >> pages) {
    rlimit most;
    if (getrlimit(RLIMIT_AS, &most) != 0) return;
    const double all = pages * static_cast<double>(sysconf(_SC_PAGESIZE)) + room;
    most.rlim_cur = std::min<rlim_t>(most.rlim_max, static_cast<rlim_t>(all));
    setrlimit(RLIMIT_AS, &most);
  }
}

}  // namespace
#endif

// Goes on in a child process, so that what ends it by a fault does not end this one: 0 in
// the child, here the signal of the fault. Of a child that comes to its own end it is -1,
// or 1000 and its status where that is to be `followed`. Signals are passed on. It may take
// `room` bytes more than it has.
// [[Rcpp::export]]
int in_child(bool followed, double room) {
#ifdef _WIN32
  return -1;
#else
  static volatile pid_t child = 0;
  std::fflush(nullptr);
  child = fork();
  if (child < 0) return -1;
  if (child == 0) {
    for (const int fault : {SIGSEGV, SIGBUS, SIGILL, SIGFPE, SIGABRT}) std::signal(fault, SIG_DFL);
    limit_memory(room);
    // What the system says of a fault in a trial is for nobody.
    const int nowhere = followed ? -1 : open("/dev/null", O_WRONLY);
    if (nowhere >= 0) dup2(nowhere, 2);
    return 0;
  }
  void (*const before)(int) = std::signal(SIGTERM, [](int signal) { kill(child, signal); });
  void (*const interrupt)(int) = std::signal(SIGINT, SIG_IGN);
  int status = 0;
  while (waitpid(child, &status, 0) < 0 && errno == EINTR) {
  }
  std::signal(SIGTERM, before);
  std::signal(SIGINT, interrupt);
  if (WIFEXITED(status)) return followed ? 1000 + WEXITSTATUS(status) : -1;
  const int signal = WTERMSIG(status);
  const bool ended = signal == SIGTERM || signal == SIGKILL;
  if (followed) return ended ? 1000 + 128 + signal : signal;
  return signal == SIGTERM || signal == SIGUSR2 ? -1 : signal;
#endif
}

// Without clearing away what is the parent's.
// [[Rcpp::export]]
void leave_child() {
#ifndef _WIN32
  std::signal(SIGUSR2, SIG_DFL);
  kill(getpid(), SIGUSR2);
#endif
}

// The columns of a Parquet file, where all that it says of itself leads to where it should; NULL
// where something does not. By their names: whether all values are texts of ASCII without outer
// spaces, none of them empty.
// [[Rcpp::export]]
Rcpp::RObject sound_parquet_columns(std::string path, int threads) {
  const auto open = [&path] { return std::ifstream(path, std::ios::binary); };
  std::ifstream file = open();
  if (!file.seekg(0, std::ios::end)) return R_NilValue;
  const std::streamoff size = file.tellg();
  if (size <= 0) return R_NilValue;
  const auto columns = ridge::sound_parquet_columns(open, size, door::threads(threads));
  if (!columns) return R_NilValue;
  Rcpp::LogicalVector tidy(columns->size());
  Rcpp::CharacterVector names(columns->size());
  for (std::size_t i = 0; i < columns->size(); ++i) {
    tidy[i] = (*columns)[i].tidy;
    names[i] = Rf_mkCharCE((*columns)[i].name.c_str(), CE_UTF8);
  }
  tidy.names() = names;
  return tidy;
}

// Two folders change places in one step; where the system cannot, the old one steps aside first.
// [[Rcpp::export]]
std::string exchange_folders(std::string from, std::string to) {
#if defined(__linux__) && defined(SYS_renameat2)
  const unsigned int exchange = 2;
  if (syscall(SYS_renameat2, AT_FDCWD, from.c_str(), AT_FDCWD, to.c_str(), exchange) == 0) return "";
  if (errno != ENOSYS && errno != EINVAL) return reason_of(errno);
#endif
  const std::string old = from + ".old";
  if (std::rename(to.c_str(), old.c_str()) != 0) return reason_of(errno);
  if (std::rename(from.c_str(), to.c_str()) != 0) {
    const int failed = errno;
    std::rename(old.c_str(), to.c_str());
    return reason_of(failed);
  }
  return reason_of(std::rename(old.c_str(), from.c_str()) == 0 ? 0 : errno);
}
