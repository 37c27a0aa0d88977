// SPDX-License-Identifier: Apache-2.0
#include <map>
#include <stdexcept>
#include <utility>

#include "coder.h"
#include "h264_slices.h"

extern "C" {
#include <x264.h>
}

namespace standin {

namespace {

// What each NVENC preset is coded with. All of them are cheap: the machine's processor is also what
// the trials beside it use. Later presets must look better, as they do on a card.
void ApplyPreset(x264_param_t& p, int preset) {
  x264_param_default_preset(&p, preset >= 6 ? "superfast" : "ultrafast", "zerolatency");
  if (preset >= 2) p.b_deblocking_filter = 1;
  if (preset >= 3) p.b_cabac = 1;
  if (preset >= 4) p.analyse.b_transform_8x8 = 1, p.analyse.intra = X264_ANALYSE_I4x4 | X264_ANALYSE_I8x8;
  if (preset >= 5) p.rc.i_aq_mode = 1, p.analyse.i_subpel_refine = 1;
  if (preset >= 7) p.analyse.i_subpel_refine = 2;
}

void ApplyRates(x264_param_t& p, const Settings& s) {
  if (s.constant_qp >= 0) {
    p.rc.i_rc_method = X264_RC_CQP;
    p.rc.i_qp_constant = s.constant_qp;
    return;
  }
  p.rc.i_rc_method = s.target_quality >= 0 ? X264_RC_CRF : X264_RC_ABR;
  if (s.target_quality >= 0) p.rc.f_rf_constant = static_cast<float>(s.target_quality);
  p.rc.i_bitrate = s.average_kbps;
  p.rc.i_vbv_max_bitrate = s.maximum_kbps;
  p.rc.i_vbv_buffer_size = s.buffer_kbit;
  p.i_nal_hrd = s.maximum_kbps > 0 && s.buffer_kbit > 0 ? X264_NAL_HRD_VBR : X264_NAL_HRD_NONE;
}

// What has to be the same as in a client's picture parameter set, for slices to go with it.
void ApplyClientHeaders(x264_param_t& p, const Settings& s) {
  p.b_cabac = s.cabac != 0;
  p.analyse.b_transform_8x8 = s.transform_8x8 != 0;
  p.analyse.b_psy = 0;  // it shifts the chroma's quantiser
  p.analyse.i_chroma_qp_offset = 0;
  p.analyse.i_weighted_pred = X264_WEIGHTP_NONE;
  p.i_frame_reference = 1;
  p.i_keyint_max = X264_KEYINT_MAX_INFINITE;  // the client says when
  p.b_repeat_headers = 0;
  p.b_aud = 0;
}

x264_param_t Parameters(const Settings& s) {
  x264_param_t p;
  ApplyPreset(p, s.preset);
  p.i_log_level = X264_LOG_NONE;
  p.i_threads = 1;
  p.b_sliced_threads = 0;
  p.i_bframe = s.b_frames;
  p.i_bframe_adaptive = X264_B_ADAPT_NONE;
  if (s.client_order) p.i_bframe_pyramid = X264_B_PYRAMID_NONE;  // the client knows of no references among them
  p.i_width = s.width;
  p.i_height = s.height;
  p.i_csp = s.semi_planar ? X264_CSP_NV12 : X264_CSP_YV12;
  p.i_fps_num = static_cast<std::uint32_t>(s.rate_numerator);
  p.i_fps_den = static_cast<std::uint32_t>(s.rate_denominator);
  p.i_timebase_num = p.i_fps_den;
  p.i_timebase_den = p.i_fps_num;
  p.b_vfr_input = 0;
  p.i_keyint_max = s.keyframe_frames;
  p.i_scenecut_threshold = 0;
  p.b_annexb = 1;
  p.b_repeat_headers = s.repeat_headers != 0;
  p.b_aud = s.access_unit_delimiter != 0;
  p.vui.b_fullrange = s.full_range;
  if (s.colour_primaries > 0) p.vui.i_colorprim = s.colour_primaries;
  if (s.transfer > 0) p.vui.i_transfer = s.transfer;
  if (s.matrix > 0) p.vui.i_colmatrix = s.matrix;
  if (s.adaptive_quantisation) p.rc.i_aq_mode = 1;
  ApplyRates(p, s);
  if (s.client_headers) ApplyClientHeaders(p, s);
  x264_param_apply_profile(&p, s.profile_idc == 66 ? "baseline" : s.profile_idc == 77 ? "main" : "high");
  return p;
}

int TypeOf(const PictureRequest& request) {
  if (request.force_keyframe) return X264_TYPE_IDR;
  switch (request.type) {
    case AskedType::kPredicted: return X264_TYPE_P;
    case AskedType::kBidirectional: return X264_TYPE_B;
    case AskedType::kAny: break;
  }
  return X264_TYPE_AUTO;
}

class H264Coder final : public Coder {
 public:
  explicit H264Coder(const Settings& s) : settings_(s), signature_(SignatureUnit(s)) {
    x264_param_t p = Parameters(s);
    x264_ = x264_encoder_open(&p);
    if (!x264_) throw std::runtime_error("the coder refused the settings");
    x264_nal_t* nals;
    int count;
    if (x264_encoder_headers(x264_, &nals, &count) < 0) throw std::runtime_error("no sequence header");
    x264_nal_t *sps = nullptr, *pps = nullptr;
    for (int i = 0; i < count; ++i)
      if (nals[i].i_type == NAL_SPS || nals[i].i_type == NAL_PPS) {
        header_.insert(header_.end(), nals[i].p_payload, nals[i].p_payload + nals[i].i_payload);
        (nals[i].i_type == NAL_SPS ? sps : pps) = &nals[i];
      }
    if (!s.client_headers) return;
    if (!sps || !pps) throw std::runtime_error("no parameter sets");
    constexpr int kStart = 4;  // bytes of the start code
    syntax_ = ReadH264Syntax(sps->p_payload + kStart, static_cast<std::size_t>(sps->i_payload - kStart),
                             pps->p_payload + kStart, static_cast<std::size_t>(pps->i_payload - kStart));
  }
  ~H264Coder() override {
    if (x264_) x264_encoder_close(x264_);
  }
  H264Coder(const H264Coder&) = delete;
  H264Coder& operator=(const H264Coder&) = delete;

  const std::vector<std::uint8_t>& header() const override { return header_; }
  int delay() const override { return x264_encoder_maximum_delayed_frames(x264_); }

  std::optional<CodedUnit> Code(const std::uint8_t* picture, const PictureRequest& request) override {
    x264_picture_t in;
    x264_picture_init(&in);
    auto* base = const_cast<std::uint8_t*>(picture);
    const int pitch = settings_.pitch, height = settings_.height;
    in.img.i_csp = settings_.semi_planar ? X264_CSP_NV12 : X264_CSP_YV12;
    in.img.i_plane = settings_.semi_planar ? 2 : 3;
    in.img.i_stride[0] = pitch;
    in.img.i_stride[1] = in.img.i_stride[2] = settings_.semi_planar ? pitch : pitch / 2;
    in.img.plane[0] = base;
    in.img.plane[1] = base + static_cast<std::ptrdiff_t>(pitch) * height;
    in.img.plane[2] = in.img.plane[1] + static_cast<std::ptrdiff_t>(pitch / 2) * (height / 2);
    in.i_pts = next_pts_++;
    asked_[in.i_pts] = request;
    in.i_type = TypeOf(request);
    return Code(&in);
  }

  std::optional<CodedUnit> Flush() override {
    return x264_encoder_delayed_frames(x264_) > 0 ? Code(nullptr) : std::nullopt;
  }

 private:
  std::optional<CodedUnit> Code(x264_picture_t* in) {
    x264_picture_t out;
    x264_nal_t* nals;
    int count;
    const int bytes = x264_encoder_encode(x264_, &nals, &count, in, &out);
    if (bytes < 0) throw std::runtime_error("coding failed");
    if (bytes == 0) return std::nullopt;
    const std::uint32_t type = out.b_keyframe ? 2 : IS_X264_TYPE_B(out.i_type) ? 1 : 0;
    const PictureRequest asked = asked_.extract(out.i_pts).mapped();
    const std::uint64_t timestamp = asked.timestamp;
    if (settings_.client_headers) return UnderClientHeaders(nals, count, asked, type);
    if (signature_.empty()) return CodedUnit{nals[0].p_payload, static_cast<std::uint32_t>(bytes), timestamp, type};
    // The first picture says what made the stream. An access unit delimiter must stay first.
    unit_.assign(nals[0].p_payload, nals[0].p_payload + bytes);
    const std::ptrdiff_t delimiter = nals[0].i_type == NAL_AUD ? nals[0].i_payload : 0;
    unit_.insert(unit_.begin() + delimiter, signature_.begin(), signature_.end());
    signature_.clear();
    return CodedUnit{unit_.data(), static_cast<std::uint32_t>(unit_.size()), timestamp, type};
  }

  // The signature, once, and the slice; the client has written the rest.
  CodedUnit UnderClientHeaders(const x264_nal_t* nals, int count, const PictureRequest& asked, std::uint32_t type) {
    unit_ = std::exchange(signature_, {});
    for (int i = 0; i < count; ++i) {
      if (nals[i].i_type != NAL_SLICE && nals[i].i_type != NAL_SLICE_IDR) continue;
      const int start = nals[i].b_long_startcode ? 4 : 3;
      const std::vector<std::uint8_t> slice = RewriteSlice(
          nals[i].p_payload + start, static_cast<std::size_t>(nals[i].i_payload - start), syntax_, asked.syntax);
      unit_.insert(unit_.end(), slice.begin(), slice.end());
    }
    return CodedUnit{unit_.data(), static_cast<std::uint32_t>(unit_.size()), asked.timestamp, type};
  }

  Settings settings_;
  H264Syntax syntax_;
  std::vector<std::uint8_t> signature_;  // until it is written
  x264_t* x264_ = nullptr;
  std::vector<std::uint8_t> header_, unit_;
  std::map<std::int64_t, PictureRequest> asked_;  // by number: those that are not coded yet
  std::int64_t next_pts_ = 0;
};

}  // namespace

std::unique_ptr<Coder> MakeH264Coder(const Settings& settings) { return std::make_unique<H264Coder>(settings); }

}  // namespace standin
