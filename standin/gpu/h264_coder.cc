// SPDX-License-Identifier: Apache-2.0
#include "coder.h"

#include <stdexcept>

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

}  // namespace

Coder::Coder(const Settings& s) : settings_(s) {
  x264_param_t p;
  ApplyPreset(p, s.preset);
  p.i_log_level = X264_LOG_NONE;
  p.i_threads = 1;
  p.b_sliced_threads = 0;
  p.i_bframe = 0;
  p.i_width = s.width;
  p.i_height = s.height;
  p.i_csp = X264_CSP_YV12;
  p.i_fps_num = static_cast<std::uint32_t>(s.rate_numerator);
  p.i_fps_den = static_cast<std::uint32_t>(s.rate_denominator);
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
  if (s.constant_qp >= 0) {
    p.rc.i_rc_method = X264_RC_CQP;
    p.rc.i_qp_constant = s.constant_qp;
  } else {
    p.rc.i_rc_method = X264_RC_ABR;
    p.rc.i_bitrate = s.average_kbps;
    p.rc.i_vbv_max_bitrate = s.maximum_kbps;
    p.rc.i_vbv_buffer_size = s.buffer_kbit;
  }
  x264_param_apply_profile(&p, s.profile_idc == 66 ? "baseline" : s.profile_idc == 77 ? "main" : "high");
  x264_ = x264_encoder_open(&p);
  if (!x264_) throw std::runtime_error("the coder refused the settings");
  x264_nal_t* nals;
  int count;
  if (x264_encoder_headers(x264_, &nals, &count) < 0) throw std::runtime_error("no sequence header");
  for (int i = 0; i < count; ++i)
    if (nals[i].i_type == NAL_SPS || nals[i].i_type == NAL_PPS)
      header_.insert(header_.end(), nals[i].p_payload, nals[i].p_payload + nals[i].i_payload);
}

Coder::~Coder() {
  if (x264_) x264_encoder_close(x264_);
}

Coder::Unit Coder::Code(const std::uint8_t* picture, std::uint64_t timestamp, bool force_keyframe) {
  x264_picture_t in, out;
  x264_picture_init(&in);
  auto* base = const_cast<std::uint8_t*>(picture);
  const int pitch = settings_.pitch, height = settings_.height;
  in.img.i_csp = X264_CSP_YV12;
  in.img.i_plane = 3;
  in.img.i_stride[0] = pitch;
  in.img.i_stride[1] = in.img.i_stride[2] = pitch / 2;
  in.img.plane[0] = base;
  in.img.plane[1] = base + static_cast<std::ptrdiff_t>(pitch) * height;
  in.img.plane[2] = in.img.plane[1] + static_cast<std::ptrdiff_t>(pitch / 2) * (height / 2);
  in.i_pts = static_cast<std::int64_t>(timestamp);
  in.i_type = force_keyframe ? X264_TYPE_IDR : X264_TYPE_AUTO;
  x264_nal_t* nals;
  int count;
  const int bytes = x264_encoder_encode(x264_, &nals, &count, &in, &out);
  if (bytes <= 0) throw std::runtime_error("coding failed");
  return {nals[0].p_payload, static_cast<std::uint32_t>(bytes), out.b_keyframe != 0};
}

}  // namespace standin
