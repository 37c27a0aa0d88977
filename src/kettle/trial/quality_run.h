// SPDX-License-Identifier: Apache-2.0
#pragma once

#include <functional>
#include <vector>

#include "kettle/quality/plane_metrics.h"
#include "kettle/trial/tasks.h"

namespace kettle {

// Decodes the encoded file and compares it with the reference at the reference's size and rate.
// Throws Error.
Quality RunQuality(const QualityTask& task, const std::function<void(double)>& progress);

// The summary of per-frame metrics: means, and the worst whole second.
Quality Summarise(const std::vector<PlaneMetrics>& frames, FrameRate rate);

}  // namespace kettle
