// SPDX-License-Identifier: Apache-2.0
#include <algorithm>
#include <mutex>
#include <stdexcept>

#include "coder.h"
#include "planar_input.h"

#ifdef KETTLE_STANDIN_AV1

#include <EbSvtAv1Enc.h>

namespace standin {

namespace {

// As cheap as SVT-AV1 goes; later presets must look better, as they do on a card.
constexpr std::int8_t kModes[] = {12, 11, 11, 10, 10, 9, 9};

void ApplyRates(EbSvtAv1EncConfiguration& c, const Settings& s) {
  constexpr int kIndicesAStep = 4, kBest = 1, kWorst = 63;  // its quantiser has a quarter of the index's steps
  if (s.constant_qp >= 0 || s.target_quality >= 0) {
    const int level = s.constant_qp >= 0 ? s.constant_qp / kIndicesAStep : s.target_quality;
    c.rate_control_mode = SVT_AV1_RC_MODE_CQP_OR_CRF;
    c.enable_adaptive_quantization = s.constant_qp >= 0 ? 0 : 2;
    c.qp = static_cast<std::uint32_t>(std::clamp(level, kBest, kWorst));
    return;
  }
  // One picture in, one out, it codes at a constant rate only.
  c.rate_control_mode = SVT_AV1_RC_MODE_CBR;
  c.target_bit_rate = static_cast<std::uint32_t>(s.average_kbps) * 1000;
  const std::int64_t buffer_ms = 1000LL * std::max(1, s.buffer_kbit) / std::max(1, s.average_kbps);
  c.maximum_buffer_size_ms = buffer_ms;
  c.starting_buffer_level_ms = c.optimal_buffer_level_ms = buffer_ms * 6 / 10;
}

void ApplySettings(EbSvtAv1EncConfiguration& c, const Settings& s) {
  c.enc_mode = kModes[std::clamp(s.preset, 1, 7) - 1];
  c.pred_structure = SVT_AV1_PRED_LOW_DELAY_B;
  c.hierarchical_levels = 0;
  c.intra_refresh_type = SVT_AV1_KF_REFRESH;
  c.intra_period_length = s.keyframe_frames - 1;
  c.force_key_frames = true;
  c.scene_change_detection = 0;
  c.enable_tf = false;
  c.level_of_parallelism = 1;
  c.source_width = static_cast<std::uint32_t>(s.width);
  c.source_height = static_cast<std::uint32_t>(s.height);
  c.frame_rate_numerator = static_cast<std::uint32_t>(s.rate_numerator);
  c.frame_rate_denominator = static_cast<std::uint32_t>(s.rate_denominator);
  c.encoder_bit_depth = s.ten_bit ? 10 : 8;
  c.encoder_color_format = EB_YUV420;
  c.color_range = s.full_range ? EB_CR_FULL_RANGE : EB_CR_STUDIO_RANGE;
  constexpr int kUnspecified = 2;
  c.color_primaries = static_cast<EbColorPrimaries>(s.colour_primaries > 0 ? s.colour_primaries : kUnspecified);
  c.transfer_characteristics = static_cast<EbTransferCharacteristics>(s.transfer > 0 ? s.transfer : kUnspecified);
  c.matrix_coefficients = static_cast<EbMatrixCoefficients>(s.matrix > 0 ? s.matrix : kUnspecified);
  ApplyRates(c, s);
}

class Av1Coder final : public Coder {
 public:
  explicit Av1Coder(const Settings& s) : settings_(s), signature_(SignatureUnit(s)), input_(s) {
    const std::scoped_lock alone(Opening());
    EbSvtAv1EncConfiguration configuration{};
    if (svt_av1_enc_init_handle(&encoder_, nullptr, &configuration) != EB_ErrorNone)
      throw std::runtime_error("the coder does not start");
    ApplySettings(configuration, s);
    started_ = svt_av1_enc_set_parameter(encoder_, &configuration) == EB_ErrorNone &&
               svt_av1_enc_init(encoder_) == EB_ErrorNone;
    if (!started_) {
      Close();
      throw std::runtime_error("the coder refused the settings");
    }
    EbBufferHeaderType* header = nullptr;
    if (svt_av1_enc_stream_header(encoder_, &header) != EB_ErrorNone) {
      Close();
      throw std::runtime_error("no sequence header");
    }
    header_.assign(header->p_buffer, header->p_buffer + header->n_filled_len);
    svt_av1_enc_stream_header_release(header);
  }
  ~Av1Coder() override {
    const std::scoped_lock alone(Opening());
    Close();
  }
  Av1Coder(const Av1Coder&) = delete;
  Av1Coder& operator=(const Av1Coder&) = delete;

  const std::vector<std::uint8_t>& header() const override { return header_; }
  int delay() const override { return 0; }

  std::optional<CodedUnit> Code(const std::uint8_t* picture, const PictureRequest& request) override {
    EbSvtIOFormat planes = Describe(input_.Of(picture));
    EbBufferHeaderType in{};
    in.size = sizeof in;
    in.p_buffer = reinterpret_cast<std::uint8_t*>(&planes);
    in.n_filled_len =
        static_cast<std::uint32_t>(settings_.width * settings_.height * 3 / 2 * (settings_.ten_bit ? 2 : 1));
    in.pts = next_pts_++;
    in.pic_type = request.force_keyframe ? EB_AV1_KEY_PICTURE : EB_AV1_INVALID_PICTURE;
    if (svt_av1_enc_send_picture(encoder_, &in) != EB_ErrorNone) throw std::runtime_error("coding failed");
    EbBufferHeaderType* out = nullptr;  // without delay it waits for the picture
    if (svt_av1_enc_get_packet(encoder_, &out, 0) != EB_ErrorNone || !out) throw std::runtime_error("coding failed");
    const bool keyframe = out->pic_type == EB_AV1_KEY_PICTURE;
    unit_.assign(out->p_buffer, out->p_buffer + out->n_filled_len);
    svt_av1_enc_release_out_buffer(&out);
    if (!signature_.empty()) InsertSignature();
    return CodedUnit{unit_.data(), static_cast<std::uint32_t>(unit_.size()), request.timestamp, keyframe ? 2u : 0u};
  }

  std::optional<CodedUnit> Flush() override { return std::nullopt; }

 private:
  // The library keeps books of its memory, which it begins and ends without a lock: sessions open and close one by one.
  static std::mutex& Opening() {
    static std::mutex mutex;
    return mutex;
  }
  void Close() {
    if (!encoder_) return;
    if (started_) svt_av1_enc_deinit(encoder_);
    svt_av1_enc_deinit_handle(encoder_);
    encoder_ = nullptr;
  }

  // Behind the temporal delimiter and the sequence header (AV1 5.3, 6.2.2).
  void InsertSignature() {
    constexpr int kSequenceHeader = 1, kTemporalDelimiter = 2;
    std::size_t at = 0;
    while (at < unit_.size()) {
      const int type = unit_[at] >> 3 & 15;
      if (type != kSequenceHeader && type != kTemporalDelimiter) break;
      std::size_t byte = at + 1, size = 0;
      for (int shift = 0; byte < unit_.size(); shift += 7) {
        size |= static_cast<std::size_t>(unit_[byte] & 0x7f) << shift;
        if (!(unit_[byte++] & 0x80)) break;
      }
      at = byte + size;
    }
    if (at >= unit_.size()) return;
    unit_.insert(unit_.begin() + static_cast<std::ptrdiff_t>(at), signature_.begin(), signature_.end());
    signature_.clear();
  }

  // Strides are in samples.
  EbSvtIOFormat Describe(const Planes& planes) const {
    const std::ptrdiff_t bytes = settings_.ten_bit ? 2 : 1;
    EbSvtIOFormat described{};
    described.luma = planes.luma;
    described.cb = planes.cb;
    described.cr = planes.cr;
    described.y_stride = static_cast<std::uint32_t>(planes.luma_bytes / bytes);
    described.cb_stride = described.cr_stride = static_cast<std::uint32_t>(planes.chroma_bytes / bytes);
    described.width = static_cast<std::uint32_t>(settings_.width);
    described.height = static_cast<std::uint32_t>(settings_.height);
    return described;
  }

  Settings settings_;
  std::vector<std::uint8_t> signature_;  // until it is written
  EbComponentType* encoder_ = nullptr;
  bool started_ = false;
  PlanarInput input_;
  std::vector<std::uint8_t> header_, unit_;
  std::int64_t next_pts_ = 0;
};

}  // namespace

std::unique_ptr<Coder> MakeAv1Coder(const Settings& settings) { return std::make_unique<Av1Coder>(settings); }
bool CodesAv1() { return true; }

}  // namespace standin

#else

namespace standin {

std::unique_ptr<Coder> MakeAv1Coder(const Settings&) { throw std::runtime_error("no AV1 is built in"); }
bool CodesAv1() { return false; }

}  // namespace standin

#endif
