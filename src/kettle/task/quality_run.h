// SPDX-License-Identifier: Apache-2.0
// Compares an encoded file with its source, picture by picture.
#pragma once

#include <functional>

#include "kettle/task/tasks.h"

namespace kettle {

// Decodes the encoded file and compares each of its pictures with the source's that it was made from, at the viewing
// size, with every processor that this process may use. Some pictures are scored (score_sampling.h). Throws Error.
QualityOutcome RunQuality(const QualityTask& task, const std::function<void(double)>& progress);

}  // namespace kettle
