// SPDX-License-Identifier: Apache-2.0
// What changed on a machine between two runs.
#pragma once

#include <vector>

#include "kettle/history/kept_run.h"

namespace kettle {

// One message for each thing that is not as it was, that came, or that is gone. Of libraries and drivers those count as
// one whose words begin alike: "libx264.so.164 build 4d5b8f1c" and "libx264.so.165 build 90aa11f2" are libx264. Kinds
// that only one of the two tells (a bench knows no line) are no change.
std::vector<Message> WhatChanged(const Circumstances& before, const Circumstances& after);

// Without what tells builds of one version apart: "build 4d5b8f1c", or a file's size and time.
std::string WithoutBuild(const std::string& words);

// The name of a library, driver or card without its version: "libx264" of "libx264.so.164 build 4d5b8f1c".
std::string NameWithoutVersion(const std::string& words);

}  // namespace kettle
