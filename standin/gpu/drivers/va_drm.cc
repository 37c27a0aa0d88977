// SPDX-License-Identifier: Apache-2.0
// The stand-in libva-drm.so.2: a display of the device whose node is open.
#include <va/va.h>

extern "C" {

VADisplay standin_va_display(int fd);

VADisplay vaGetDisplayDRM(int fd) { return standin_va_display(fd); }

}  // extern "C"
