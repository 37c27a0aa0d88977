// SPDX-License-Identifier: Apache-2.0
// What the stand-in ingest reads of an MPEG transport stream (ISO/IEC 13818-1): enough to count pictures.
#pragma once

#include <string_view>

namespace standin {

// How many of these packets, of 188 bytes each, begin a picture: a PES header with a video stream's number (2.4.3.2 and
// 2.4.3.7). A packet that is not whole, or none, counts for nothing.
int PicturesIn(std::string_view packets);

}  // namespace standin
