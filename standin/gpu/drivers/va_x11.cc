// SPDX-License-Identifier: Apache-2.0
// The stand-in libva-x11.so.2: simulated devices hang on no display server.
#include <va/va.h>

extern "C" VADisplay vaGetDisplay(void*) { return nullptr; }
