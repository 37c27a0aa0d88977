// SPDX-License-Identifier: Apache-2.0
#include "kettle/quality/ssimulacra2.h"

#include <algorithm>
#include <cmath>
#include <cstddef>

#include "kettle/quality/ssimulacra2_kernels.h"

namespace kettle {

namespace {

constexpr int kScales = 6, kLeastSide = 8, kNorms = 2;

// By plane (X, Y, B), scale, norm (mean, fourth root of the mean fourth power), and kind (structure, added, lost).
constexpr double kWeights[3 * kScales * kNorms * 3] = {
    // X
    0.0, 0.0007376606707406586, 0.0, 0.0, 0.0007793481682867309, 0.0,                                  //
    0.0, 0.0004371155730107379, 0.0, 1.1041726426657346, 0.00066284834129271, 0.00015231632783718752,  //
    0.0, 0.0016406437456599754, 0.0, 1.8422455520539298, 11.441172603757666, 0.0,                      //
    0.0007989109436015163, 0.000176816438078653, 0.0, 1.8787594979546387, 10.94906990605142, 0.0,      //
    0.0007289346991508072, 0.9677937080626833, 0.0, 0.00014003424285435884, 0.9981766977854967,        //
    0.00031949755934435053,                                                                            //
    0.0004550992113792063, 0.0, 0.0, 0.0013648766163243398, 0.0, 0.0,                                  //
    // Y
    0.0, 0.0, 0.0, 7.466890328078848, 0.0, 17.445833984131262,                                      //
    0.0006235601634041466, 0.0, 0.0, 6.683678146179332, 0.00037724407979611296, 1.027889937768264,  //
    225.20515300849274, 0.0, 0.0, 19.213238186143016, 0.0011401524586618361, 0.001237755635509985,  //
    176.39317598450694, 0.0, 0.0, 24.43300999870476, 0.28520802612117757, 0.0004485436923833408,    //
    0.0, 0.0, 0.0, 34.77906344483772, 44.835625328877896, 0.0,                                      //
    0.0, 0.0, 0.0, 0.0, 0.0, 0.0,                                                                   //
    // B
    0.0, 0.0008680556573291698, 0.0, 0.0, 0.0, 0.0,                                                      //
    0.0, 0.0005313191874358747, 0.0, 0.00016533814161379112, 0.0, 0.0,                                   //
    0.0, 0.0, 0.0, 0.0004179171803251336, 0.0017290828234722833, 0.0,                                    //
    0.0020827005846636437, 0.0, 0.0, 8.826982764996862, 23.19243343998926, 0.0,                          //
    95.1080498811086, 0.9863978034400682, 0.9834382792465353, 0.0012286405048278493, 171.2667255897307,  //
    0.9807858872435379,                                                                                  //
    0.0, 0.0, 0.0, 0.0005130064588990679, 0.0, 0.00010854057858411537};

// Light of a sample of sRGB, both 0..1.
double Light(double sample) { return sample <= 0.04045 ? sample / 12.92 : std::pow((sample + 0.055) / 1.055, 2.4); }

// Interpolated in a table: the power function would cost more than the metric.
class LightTable {
 public:
  LightTable() {
    for (int i = 0; i <= kSteps; ++i)
      light_[static_cast<std::size_t>(i)] = static_cast<float>(Light(i / double{kSteps}));
  }
  float operator()(float sample) const {
    const float at = std::clamp(sample, 0.0f, 1.0f) * kSteps;
    const auto i = std::min(static_cast<std::size_t>(at), static_cast<std::size_t>(kSteps - 1));
    return light_[i] + (light_[i + 1] - light_[i]) * (at - static_cast<float>(i));
  }

 private:
  static constexpr int kSteps = 4080;  // sixteen to a grey level
  std::array<float, kSteps + 1> light_;
};

const LightTable& Table() {
  static const LightTable table;
  return table;
}

LinearPicture Blank(int width, int height) {
  LinearPicture picture{width, height, {}};
  for (auto& plane : picture.planes) plane.resize(static_cast<std::size_t>(width) * static_cast<std::size_t>(height));
  return picture;
}

// Y'CbCr samples to R'G'B' from 0 to 1: ITU-R BT.601-7 2.5, BT.709-6 3, BT.2020-2 table 4.
class Decoder {
 public:
  explicit Decoder(ColourCoding coding) {
    using Matrix = ColourCoding::Matrix;
    red_ = coding.matrix == Matrix::kBt601 ? 0.299f : coding.matrix == Matrix::kBt709 ? 0.2126f : 0.2627f;
    blue_ = coding.matrix == Matrix::kBt601 ? 0.114f : coding.matrix == Matrix::kBt709 ? 0.0722f : 0.0593f;
    black_ = coding.full_range ? 0.0f : 16.0f;
    luma_scale_ = 1 / (coding.full_range ? 255.0f : 219.0f);
    chroma_scale_ = 1 / (coding.full_range ? 255.0f : 224.0f);
  }
  std::array<float, 3> Rgb(float luma, float cb, float cr) const {
    const float y = (luma - black_) * luma_scale_;
    const float r = y + 2 * (1 - red_) * (cr - 128) * chroma_scale_,
                b = y + 2 * (1 - blue_) * (cb - 128) * chroma_scale_;
    return {r, (y - red_ * r - blue_ * b) / (1 - red_ - blue_), b};
  }

 private:
  float red_, blue_, black_, luma_scale_, chroma_scale_;
};

// A row of chroma at a row of luma: a quarter of the way between two of its own, then doubled across.
void ChromaRow(const PlaneView& plane, int luma_y, std::vector<float>& row) {
  const int near = std::min(luma_y / 2, plane.height - 1);
  const int far = std::clamp(luma_y % 2 == 0 ? near - 1 : near + 1, 0, plane.height - 1);
  const std::uint8_t *a = plane.row(near), *b = plane.row(far);
  const auto at = [&](int x) { return 0.75f * a[x] + 0.25f * b[x]; };
  for (std::size_t x = 0; x < row.size(); ++x) {
    const int left = std::min(static_cast<int>(x / 2), plane.width - 1), right = std::min(left + 1, plane.width - 1);
    row[x] = x % 2 == 0 ? at(left) : (at(left) + at(right)) / 2;
  }
}

// Means of 2x2 samples; the last row and column of an odd side count twice.
LinearPicture HalfSize(const LinearPicture& picture) {
  LinearPicture half = Blank((picture.width + 1) / 2, (picture.height + 1) / 2);
  for (std::size_t c = 0; c < 3; ++c)
    for (int y = 0; y < half.height; ++y) {
      const float* upper = picture.planes[c].data() + std::ptrdiff_t{2 * y} * picture.width;
      const float* lower = 2 * y + 1 < picture.height ? upper + picture.width : upper;
      float* to = half.planes[c].data() + std::ptrdiff_t{y} * half.width;
      for (int x = 0; x < half.width; ++x) {
        const int left = 2 * x, right = std::min(left + 1, picture.width - 1);
        to[x] = (upper[left] + upper[right] + lower[left] + lower[right]) / 4;
      }
    }
  return half;
}

LinearPicture ToXyb(const LinearPicture& picture) {
  LinearPicture xyb = Blank(picture.width, picture.height);
  kernels::LinearToXyb(picture.planes[0].data(), picture.planes[1].data(), picture.planes[2].data(),
                       picture.width * picture.height, xyb.planes[0].data(), xyb.planes[1].data(),
                       xyb.planes[2].data());
  return xyb;
}

using ScaleErrors = std::array<std::array<double, kNorms * 3>, 3>;  // by plane; in the weights' order

ScaleErrors ErrorsOf(const LinearPicture& reference, const LinearPicture& distorted) {
  const LinearPicture a = ToXyb(reference), b = ToXyb(distorted);
  const double samples = static_cast<double>(a.width) * a.height;
  ScaleErrors errors;
  for (std::size_t c = 0; c < 3; ++c) {
    const kernels::PlaneErrors sums =
        kernels::SumPlaneErrors(a.planes[c].data(), b.planes[c].data(), a.width, a.height);
    const auto root = [&](double sum4) { return std::sqrt(std::sqrt(sum4 / samples)); };
    errors[c] = {sums.structure / samples, sums.added / samples, sums.lost / samples,
                 root(sums.structure4),    root(sums.added4),    root(sums.lost4)};
  }
  return errors;
}

}  // namespace

LinearPicture LinearFromRgb(const std::uint8_t* rgb, int width, int height) {
  LinearPicture picture = Blank(width, height);
  for (std::size_t i = 0; i < picture.planes[0].size(); ++i)
    for (std::size_t c = 0; c < 3; ++c) picture.planes[c][i] = Table()(static_cast<float>(rgb[3 * i + c]) / 255);
  return picture;
}

LinearPicture LinearFromYcbcr(const PictureView& picture, ColourCoding coding) {
  const PlaneView& luma = picture[0];
  LinearPicture linear = Blank(luma.width, luma.height);
  const Decoder decoder(coding);
  std::vector<float> cb(static_cast<std::size_t>(luma.width)), cr(cb.size());
  std::size_t i = 0;
  for (int y = 0; y < luma.height; ++y) {
    ChromaRow(picture[1], y, cb);
    ChromaRow(picture[2], y, cr);
    const std::uint8_t* row = luma.row(y);
    for (std::size_t x = 0; x < cb.size(); ++x, ++i) {
      const std::array<float, 3> rgb = decoder.Rgb(row[x], cb[x], cr[x]);
      for (std::size_t c = 0; c < 3; ++c) linear.planes[c][i] = Table()(rgb[c]);
    }
  }
  return linear;
}

double Ssimulacra2(const LinearPicture& reference, const LinearPicture& distorted) {
  std::vector<ScaleErrors> scales;
  LinearPicture a = reference, b = distorted;
  while (scales.size() < kScales && std::min(a.width, a.height) >= kLeastSide) {
    if (!scales.empty()) {
      a = HalfSize(a);
      b = HalfSize(b);
    }
    scales.push_back(ErrorsOf(a, b));
  }
  // As in the reference, the weights are taken one after the other, also where a small picture has fewer scales.
  double error = 0;
  const double* weight = kWeights;
  for (std::size_t plane = 0; plane < 3; ++plane)
    for (const ScaleErrors& scale : scales)
      for (const double value : scale[plane]) error += *weight++ * value;
  error *= 0.9562382616834844;
  error = (6.248496625763138e-05 * error - 0.020884521182843837) * error * error + 2.326765642916932 * error;
  return error > 0 ? 100 - 10 * std::pow(error, 0.6276336467831387) : 100;
}

}  // namespace kettle
