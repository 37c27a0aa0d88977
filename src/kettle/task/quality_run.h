// SPDX-License-Identifier: Apache-2.0
// Compares an encoded file with its source, picture by picture.
#pragma once

#include <functional>

#include "kettle/task/tasks.h"

namespace kettle {

// Decodes the encoded file and compares it with the reference, at the viewing size and the reference's rate, with
// every processor that this process may use. Throws Error.
QualityOutcome RunQuality(const QualityTask& task, const std::function<void(double)>& progress);

}  // namespace kettle
