// SPDX-License-Identifier: Apache-2.0
#include <x265.h>

#include <stdexcept>

#include "coder.h"
#include "planar_input.h"

namespace standin {

namespace {

// As cheap as x265 goes; later NVENC presets must look better, as they do on a card.
void ApplyPreset(const x265_api& api, x265_param& p, int preset) {
  api.param_default_preset(&p, "ultrafast", "zerolatency");
  if (preset >= 3) p.bEnableLoopFilter = 1;
  if (preset >= 4) p.subpelRefine = 1;
  if (preset >= 5) p.bEnableSAO = 1;
  if (preset >= 6) p.rdLevel = 3;
  if (preset >= 7) p.subpelRefine = 2;
}

void ApplyRates(x265_param& p, const Settings& s) {
  if (s.constant_qp >= 0) {
    p.rc.rateControlMode = X265_RC_CQP;
    p.rc.qp = s.constant_qp;
    return;
  }
  p.rc.rateControlMode = s.target_quality >= 0 ? X265_RC_CRF : X265_RC_ABR;
  if (s.target_quality >= 0) p.rc.rfConstant = s.target_quality;
  p.rc.bitrate = s.average_kbps;
  p.rc.vbvMaxBitrate = s.maximum_kbps;
  p.rc.vbvBufferSize = s.buffer_kbit;
  p.bEmitHRDSEI = s.maximum_kbps > 0 && s.buffer_kbit > 0;
}

void ApplySettings(const x265_api& api, x265_param& p, const Settings& s) {
  p.logLevel = X265_LOG_NONE;
  api.param_parse(&p, "pools", "none");
  p.bEnableWavefront = 0;
  p.frameNumThreads = 1;
  p.bframes = s.b_frames;
  p.bFrameAdaptive = 0;
  p.lookaheadDepth = s.b_frames > 0 ? s.b_frames + 1 : 0;
  p.bBPyramid = 0;
  p.sourceWidth = s.width;
  p.sourceHeight = s.height;
  p.internalCsp = X265_CSP_I420;
  p.fpsNum = static_cast<std::uint32_t>(s.rate_numerator);
  p.fpsDenom = static_cast<std::uint32_t>(s.rate_denominator);
  p.keyframeMax = s.keyframe_frames;
  p.keyframeMin = s.keyframe_frames;
  p.scenecutThreshold = 0;
  p.bOpenGOP = 0;
  p.bAnnexB = 1;
  p.bRepeatHeaders = s.repeat_headers != 0;
  p.bEnableAccessUnitDelimiters = s.access_unit_delimiter != 0;
  p.bEmitInfoSEI = 0;
  p.vui.bEnableVideoSignalTypePresentFlag = 1;
  p.vui.bEnableVideoFullRangeFlag = s.full_range;
  p.vui.bEnableColorDescriptionPresentFlag = 1;
  p.vui.colorPrimaries = s.colour_primaries > 0 ? s.colour_primaries : 2;
  p.vui.transferCharacteristics = s.transfer > 0 ? s.transfer : 2;
  p.vui.matrixCoeffs = s.matrix > 0 ? s.matrix : 2;
  p.rc.aqMode = s.adaptive_quantisation ? X265_AQ_VARIANCE : X265_AQ_NONE;
  p.rc.cuTree = 0;
  ApplyRates(p, s);
}

class HevcCoder final : public Coder {
 public:
  explicit HevcCoder(const Settings& s)
      : settings_(s), signature_(SignatureUnit(s)), api_(x265_api_get(s.ten_bit ? 10 : 8)), input_(s) {
    if (!api_) throw std::runtime_error("the coder has no such bit depth");
    x265_param* p = api_->param_alloc();
    ApplyPreset(*api_, *p, s.preset);
    ApplySettings(*api_, *p, s);
    api_->param_apply_profile(p, s.ten_bit ? "main10" : "main");
    x265_ = api_->encoder_open(p);
    picture_ = api_->picture_alloc();
    result_ = api_->picture_alloc();
    api_->picture_init(p, picture_);
    api_->picture_init(p, result_);
    api_->param_free(p);
    if (!x265_) throw std::runtime_error("the coder refused the settings");
    x265_nal* nals;
    std::uint32_t count;
    if (api_->encoder_headers(x265_, &nals, &count) < 0) throw std::runtime_error("no sequence header");
    for (std::uint32_t i = 0; i < count; ++i)
      header_.insert(header_.end(), nals[i].payload, nals[i].payload + nals[i].sizeBytes);
  }
  ~HevcCoder() override {
    if (picture_) api_->picture_free(picture_);
    if (result_) api_->picture_free(result_);
    if (x265_) api_->encoder_close(x265_);
  }
  HevcCoder(const HevcCoder&) = delete;
  HevcCoder& operator=(const HevcCoder&) = delete;

  const std::vector<std::uint8_t>& header() const override { return header_; }
  // With B-frames it looks that far ahead before it gives the first picture (seen with libx265 3.5 and 4.1).
  int delay() const override { return settings_.b_frames > 0 ? 2 * settings_.b_frames + 4 : 0; }

  std::optional<CodedUnit> Code(const std::uint8_t* picture, const PictureRequest& request) override {
    Fill(picture);
    picture_->pts = next_pts_++;
    timestamps_.push_back(request.timestamp);
    picture_->sliceType = request.force_keyframe ? X265_TYPE_IDR : X265_TYPE_AUTO;
    return Code(picture_);
  }

  std::optional<CodedUnit> Flush() override { return Code(nullptr); }

 private:
  void Fill(const std::uint8_t* picture) {
    const Planes planes = input_.Of(picture);
    picture_->colorSpace = X265_CSP_I420;
    picture_->bitDepth = settings_.ten_bit ? 10 : 8;
    picture_->planes[0] = planes.luma;
    picture_->planes[1] = planes.cb;
    picture_->planes[2] = planes.cr;
    picture_->stride[0] = static_cast<int>(planes.luma_bytes);
    picture_->stride[1] = picture_->stride[2] = static_cast<int>(planes.chroma_bytes);
  }

  std::optional<CodedUnit> Code(x265_picture* in) {
    x265_nal* nals;
    std::uint32_t count = 0;
    const int pictures = api_->encoder_encode(x265_, &nals, &count, in, result_);
    if (pictures < 0) throw std::runtime_error("coding failed");
    if (pictures == 0 || count == 0) return std::nullopt;
    unit_.clear();
    bool keyframe = false;
    for (std::uint32_t i = 0; i < count; ++i) {
      const bool slice = nals[i].type < NAL_UNIT_VPS;
      if (slice && !signature_.empty()) {  // before the first slice: what made the stream
        unit_.insert(unit_.end(), signature_.begin(), signature_.end());
        signature_.clear();
      }
      keyframe =
          keyframe || nals[i].type == NAL_UNIT_CODED_SLICE_IDR_W_RADL || nals[i].type == NAL_UNIT_CODED_SLICE_IDR_N_LP;
      unit_.insert(unit_.end(), nals[i].payload, nals[i].payload + nals[i].sizeBytes);
    }
    const std::uint32_t type = keyframe ? 2 : IS_X265_TYPE_B(result_->sliceType) ? 1 : 0;
    return CodedUnit{unit_.data(), static_cast<std::uint32_t>(unit_.size()),
                     timestamps_.at(static_cast<std::size_t>(result_->pts)), type};
  }

  Settings settings_;
  std::vector<std::uint8_t> signature_;  // until it is written
  const x265_api* api_;
  x265_encoder* x265_ = nullptr;
  x265_picture *picture_ = nullptr, *result_ = nullptr;
  PlanarInput input_;
  std::vector<std::uint8_t> header_, unit_;
  std::vector<std::uint64_t> timestamps_;
  std::int64_t next_pts_ = 0;
};

}  // namespace

std::unique_ptr<Coder> MakeHevcCoder(const Settings& settings) { return std::make_unique<HevcCoder>(settings); }

}  // namespace standin
