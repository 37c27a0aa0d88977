// SPDX-License-Identifier: Apache-2.0
#include "process/lasting_output.h"

#include <poll.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <csignal>
#include <cstdio>

#include "process/interrupt.h"

namespace kettle::app {

namespace {

// Where one of them goes.
struct Lasting {
  int descriptor;
  std::atomic<int> error = 0;  // errno's first word against writing there
};
Lasting output{STDOUT_FILENO}, errors{STDERR_FILENO};

// As fopencookie(3) wants it; all is always taken.
ssize_t Take(void* cookie, const char* bytes, std::size_t count) {
  Lasting& to = *static_cast<Lasting*>(cookie);
  for (std::size_t written = 0; written < count && to.error == 0;) {
    const ssize_t taken = write(to.descriptor, bytes + written, count - written);
    if (taken >= 0) {
      written += static_cast<std::size_t>(taken);
    } else if (errno == EAGAIN) {
      pollfd ready{to.descriptor, POLLOUT, 0};
      poll(&ready, 1, 100);
    } else if (errno != EINTR) {
      to.error = errno;
      if (&to == &output && errno == EPIPE) RequestStop();
    }
  }
  return static_cast<ssize_t>(count);
}

FILE* Open(Lasting& to, int buffering) {
  FILE* stream = fopencookie(&to, "w", {nullptr, Take, nullptr, nullptr});
  if (stream) std::setvbuf(stream, nullptr, buffering, BUFSIZ);
  return stream;
}

}  // namespace

void OpenLastingOutputs() {
  signal(SIGPIPE, SIG_IGN);
  // Whoever reads it through a pipe sees each line as it is printed.
  if (FILE* stream = Open(output, _IOLBF)) stdout = stream;
  if (FILE* stream = Open(errors, _IONBF)) stderr = stream;
}

bool EndOutput() {
  std::fflush(stdout);
  return output.error == 0 || output.error == EPIPE;
}

}  // namespace kettle::app
