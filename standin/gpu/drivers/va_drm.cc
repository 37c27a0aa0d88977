// SPDX-License-Identifier: Apache-2.0
// The stand-in libva-drm.so.2: a display of the device whose node is open.
#include <unistd.h>
#include <va/va.h>

#include <cstdio>
#include <cstdlib>
#include <cstring>

namespace {

// "renderD128" is the first device's node, whatever folder or memory it lies in.
unsigned IndexOf(int fd) {
  constexpr unsigned kFirst = 128;
  constexpr const char* kName = "renderD";
  char link[64], target[4096] = {};
  std::snprintf(link, sizeof link, "/proc/self/fd/%d", fd);
  if (readlink(link, target, sizeof target - 1) <= 0) return 0;
  const char* name = std::strstr(target, kName);
  const unsigned long number = name ? std::strtoul(name + std::strlen(kName), nullptr, 10) : kFirst;
  return number >= kFirst ? static_cast<unsigned>(number) - kFirst : 0;
}

}  // namespace

extern "C" {

VADisplay standin_va_display(unsigned index);

VADisplay vaGetDisplayDRM(int fd) { return standin_va_display(IndexOf(fd)); }

}  // extern "C"
