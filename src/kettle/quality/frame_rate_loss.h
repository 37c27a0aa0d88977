// SPDX-License-Identifier: Apache-2.0
// What a lower frame rate takes from how footage looks: much where it moves, little where it stands.
#pragma once

#include "kettle/media/picture_view.h"
#include "kettle/units/units.h"

namespace kettle {

// How far a picture lies from the one that a viewer would still see at 30 frames a second: the mean absolute difference
// of luma in grey levels, over every fourth sample each way. Both have the same size.
double MotionBetween(const PlaneView& earlier, const PlaneView& later);

// What is left of the quality of footage at a lower frame rate, as a share of what it is at its source's:
// (1 - exp(-b t)) / (1 - exp(-b)), t being the rate over 60 a second, by Ou, Ma, Liu and Wang, "Perceptual quality
// assessment of video considering both frame rate and quantization artifacts", IEEE Trans. Circuits and Systems for
// Video Technology 21(3), 2011, for both rates. Its b falls with motion; the paper's sequences ended at 30 frames a
// second, so b is our own: 10 for a still picture, of which 30 of 60 frames leave 99 %, down to 2.2 for one that moves
// by 8 grey levels or more (`motion`), of which they leave 75 %. Rates above 60 count as 60.
double FrameRateShare(FrameRate rate, FrameRate source, double motion);

}  // namespace kettle
