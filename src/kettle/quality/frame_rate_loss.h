// SPDX-License-Identifier: Apache-2.0
// What a lower frame rate takes from how footage looks: much where it moves, nothing where it stands.
#pragma once

#include <vector>

#include "kettle/units/units.h"

namespace kettle {

// How fast the parts of footage move across the screen, in degrees a second, each standing for as many of them.
using Speeds = std::vector<double>;

// From pixels to degrees where a pixel of the picture as it is viewed takes one minute of arc: the design viewing
// distance of ITU-R BT.2022.
inline constexpr double kPixelsADegree = 60;

// What is left of the sharpness of footage at a lower frame rate, as a share of what its source's own leaves. A display
// holds each picture until the next while the eye follows what moves, so that it is smeared along its way: hold-type
// blur (Feng, "LCD motion-blur analysis, perception, and reduction using synchronized backlight flashing", SPIE 6057,
// 2006), whose transfer function is a sinc of speed times the time that a picture stands. The eye follows at 0.82 of a
// speed, 80 degrees a second at most (Daly, "Engineering observations from spatiovelocity and spatiotemporal visual
// models", SPIE 3299, 1998). Sharpness is the square-root integral with the contrast sensitivity function of a usual
// display (Barten, "Evaluation of subjective image quality with the square-root integral method", J. Opt. Soc. Am. A
// 7(10), 1990), its mean over the fastest quarter of `speeds`, for viewers look at what moves; whole if there are none.
double FrameRateShare(FrameRate rate, FrameRate source, const Speeds& speeds);

}  // namespace kettle
