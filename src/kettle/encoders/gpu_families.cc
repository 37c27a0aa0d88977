// SPDX-License-Identifier: Apache-2.0
// The encoders that run on a GPU, by driver interface. Option names are those of libavcodec 59 to 61; an encoder
// that only the newer one has (AV1) stands here too, and says so where it is missing.
#include "kettle/encoders/catalogue.h"

namespace kettle {

namespace {

using Reasons = std::vector<std::pair<std::string, std::string>>;

constexpr FrameSize k4096{4096, 4096}, k8192{8192, 8192};

const Reasons& NvencReasons() {
  static const Reasons reasons = {
      {"Cannot load libcuda", "no NVIDIA driver on this machine (libcuda.so.1 is not there)"},
      {"Cannot load libnvidia-encode",
       "the NVIDIA driver lacks its encode library (libnvidia-encode.so.1); install it"},
      {"does not support the required nvenc API version",
       "the NVIDIA driver is too old for the installed libavcodec; update the driver"},
      {"OpenEncodeSessionEx failed: out of memory",
       "session limit reached: the GPU accepts no more encodes at once; stop another one"},
      {"OpenEncodeSessionEx failed: generic error",
       "the driver refused to open an encode session; restart the machine "
       "if that stays, and update the driver"},
      {"device does not exist",
       "the GPU was lost during the encode (driver reset, or it dropped off the bus): check the kernel log, its power "
       "and its temperature"},
      {"Failed locking bitstream", "the driver refused a frame during the encode; update the driver"},
      {"EncodePicture failed", "the driver refused a frame during the encode; update the driver"},
      {"Codec not supported", "this GPU cannot encode that codec"},
      {"10 bit encode not supported", "this GPU has no 10-bit encoding"},
      {"YUV444P not supported", "this GPU has no 4:4:4 encoding"},
      {"Max B-frames", "this GPU does not support that many B-frames in that codec"},
      {"B frames as references are not supported", "this GPU has no B-frames as references"},
      {"RC lookahead not supported", "this GPU has no look-ahead"},
      {"Temporal AQ not supported", "this GPU has no temporal adaptive quantisation"},
      {"Width", "the picture is wider than this GPU can encode"},
      {"Height", "the picture is taller than this GPU can encode"},
      {"No capable devices found", "the GPU cannot encode these settings, or it has no encoder"},
      {"no CUDA-capable device", "the NVIDIA driver finds no GPU"},
      {"cuInit(0) failed", "the NVIDIA driver is there but finds no working GPU"},
      {"has no encoder", "the installed libavcodec is too old for it; a newer release has it"}};
  return reasons;
}

EncoderFamily Nvenc(const std::string& codec, const std::string& title) {
  return {
      .name = "nvenc-" + codec,
      .title = "NVENC, " + title + " on the GPU",
      .library_name = codec + "_nvenc",
      .codec = codec,
      .device = DeviceKind::kGpu,
      .interface = Interface::kNvenc,
      .presets = {"p1", "p2", "p3", "p4", "p5", "p6", "p7"},
      .options = {{"tune", "hq"}, {"no-scenecut", "1"}, {"forced-idr", "1"}},
      .rates = {{RateControl::kConstantBitRate, {.options = {{"rc", "cbr"}}}},
                {RateControl::kCappedVariable, {.options = {{"rc", "vbr"}}}},
                {RateControl::kConstantQuality,
                 {.average = false, .maximum = false, .buffer = false, .options = {{"rc", "constqp"}, {"qp", "{}"}}}},
                // libavcodec drops the buffer where a quality rules.
                {RateControl::kCappedQuality,
                 {.average = false, .buffer = false, .options = {{"rc", "vbr"}, {"cq", "{}"}, {"b", "0"}}}}},
      .features = {{Feature::kBFrames, {.most = 4, .options = {{"bf", "{}"}}}},
                   {Feature::kLookAhead, {.most = 32, .options = {{"rc-lookahead", "{}"}}}},
                   {Feature::kAdaptiveQuantisation, {.options = {{"spatial-aq", "{}"}}}},
                   {Feature::kMultiPass,
                    {.options = {}, .of_values = {{0, {{"multipass", "disabled"}}}, {1, {{"multipass", "qres"}}}}}}},
      .profiles = {},
      .largest = k8192,
      .reasons = NvencReasons()};
}

const char* VaLost() {
  return "the GPU was lost during the encode (driver reset): check the kernel log, its power and its temperature";
}

const Reasons& NodeReasons() {
  static const Reasons reasons = {
      {"there is no render node", "no GPU with a kernel driver on this machine (there is no /dev/dri/renderD*)"},
      {"belongs to no GPU", "the render node in /dev/dri is an ordinary file, not a graphics card; remove it"},
      {"has no QSV", "QSV needs a real card; the render node in /dev/dri is an ordinary file"},
      {"Failed to set driver name to iHD", "that is no Intel GPU: QSV needs one"},
      {"Error creating a MFX session",
       "no working Intel media runtime; install the one for your GPU (libmfx-gen1.2 or libmfx1)"},
      {"Failed to initialise VAAPI connection",
       "the GPU has no VA-API driver; install it (intel-media-va-driver, mesa-va-drivers)"},
      {"No VA display found", "the GPU has no VA-API driver; install it (intel-media-va-driver, mesa-va-drivers)"},
      {"Failed to create encode pipeline context: 2",
       "session limit reached: the GPU accepts no more encodes at once; stop another one"},
      {"Failed to create encode pipeline context: 1", "the GPU's driver refused to open an encode session"},
      {"Failed to sync to picture completion: 1", VaLost()},
      {"Failed to sync to output buffer completion: 1", VaLost()},
      {"Failed to end picture encode issue: 1", VaLost()},
      {"Failed to sync to", "the driver refused a frame during the encode; update the driver"},
      {"Failed to end picture encode issue", "the driver refused a frame during the encode; update the driver"},
      {"No usable encoding entrypoint found", "this GPU, or its VA-API driver, cannot encode that codec"},
      {"No usable encoding profile found",
       "this GPU, or its VA-API driver, cannot encode that codec, profile or bit depth"},
      {"has no encoder", "the installed libavcodec is too old for it; a newer release has it"}};
  return reasons;
}

// libavcodec waits for the oldest of `async_depth` pictures. B-frames, the picture that they precede and the one that
// follows are given to the driver before it does: a driver may hold a picture back until it has them.
std::string PicturesUnderWay(int b_frames) { return std::to_string(b_frames + 2); }

FeatureMapping VaapiBFrames() {
  FeatureMapping mapping{.most = 7, .options = {{"bf", "{}"}}};
  for (int count = 0; count <= mapping.most; ++count)
    mapping.of_values[count] = {{"async_depth", PicturesUnderWay(count)}};
  return mapping;
}

EncoderFamily Vaapi(const std::string& codec, const std::string& title) {
  constexpr int kUsualBFrames = 2;  // the library's own, where nothing is asked for
  return {.name = "vaapi-" + codec,
          .title = "VA-API, " + title + " on the GPU",
          .library_name = codec + "_vaapi",
          .codec = codec,
          .device = DeviceKind::kGpu,
          .interface = Interface::kVaapi,
          .presets = {"7", "6", "5", "4", "3", "2", "1"},
          .preset_option = "compression_level",
          .options = {{"idr_interval", "0"}, {"async_depth", PicturesUnderWay(kUsualBFrames)}},
          .rates = {{RateControl::kConstantBitRate, {.options = {{"rc_mode", "CBR"}}}},
                    {RateControl::kCappedVariable, {.options = {{"rc_mode", "VBR"}}}},
                    {RateControl::kConstantQuality,
                     {.average = false,
                      .maximum = false,
                      .buffer = false,
                      .options = {{"rc_mode", "CQP"}, {"global_quality", "{}"}}}},
                    {RateControl::kCappedQuality,
                     {.maximum_as_average = true, .options = {{"rc_mode", "QVBR"}, {"global_quality", "{}"}}}}},
          .features = {{Feature::kBFrames, VaapiBFrames()}},
          .profiles = {},
          .largest = k8192,
          .reasons = NodeReasons()};
}

EncoderFamily Qsv(const std::string& codec, const std::string& title) {
  return {.name = "qsv-" + codec,
          .title = "QSV, " + title + " on the GPU",
          .library_name = codec + "_qsv",
          .codec = codec,
          .device = DeviceKind::kGpu,
          .interface = Interface::kQsv,
          .presets = {"veryfast", "faster", "fast", "medium", "slow", "slower", "veryslow"},
          .options = {{"idr_interval", "0"}, {"forced_idr", "1"}},
          .rates = {{RateControl::kConstantBitRate, {}},  // told by equal rates
                    {RateControl::kCappedVariable, {}},
                    {RateControl::kConstantQuality,
                     {.average = false, .maximum = false, .buffer = false, .options = {{"global_quality", "{}"}}}},
                    {RateControl::kCappedQuality, {.maximum_as_average = true, .options = {{"global_quality", "{}"}}}}},
          .features = {{Feature::kBFrames, {.most = 7, .options = {{"bf", "{}"}}}},
                       {Feature::kLookAhead,
                        {.most = 100,
                         .options = {{"look_ahead_depth", "{}"}, {"extbrc", "1"}},
                         .of_values = {{0, {{"extbrc", "0"}}}}}},
                       {Feature::kAdaptiveQuantisation, {.options = {{"mbbrc", "{}"}}}}},
          .profiles = {},
          .largest = k8192,
          .reasons = NodeReasons()};
}

EncoderFamily With(EncoderFamily family, std::vector<Profile> profiles, FrameSize largest) {
  family.profiles = std::move(profiles);
  family.largest = largest;
  return family;
}

// AV1 is told its profile by the pictures. Its quality levels go to 63; where the quantiser itself is asked, the
// library takes its index, four to a level.
EncoderFamily Av1(EncoderFamily family) {
  constexpr int kIndicesALevel = 4;
  family = With(std::move(family), {{"main"}, {"main", 10}}, k8192);
  family.profile_option = "";
  family.options.erase("idr_interval");
  family.quality = {.best = 1, .worst = 63, .usual = 30};
  family.rates.at(RateControl::kConstantQuality).level_times = kIndicesALevel;
  return family;
}

}  // namespace

std::vector<EncoderFamily> NvencFamilies() {
  return {With(Nvenc("h264", "H.264"), {{"high"}, {"main"}, {"baseline"}, {"high444p", 8, Chroma::k444}}, k4096),
          With(Nvenc("hevc", "HEVC"), {{"main"}, {"main10", 10}, {"rext", 8, Chroma::k444}}, k8192),
          Av1(Nvenc("av1", "AV1"))};
}

std::vector<EncoderFamily> VaapiFamilies() {
  return {With(Vaapi("h264", "H.264"), {{"high"}, {"main"}, {"constrained_baseline"}}, k4096),
          With(Vaapi("hevc", "HEVC"), {{"main"}, {"main10", 10}}, k8192), Av1(Vaapi("av1", "AV1"))};
}

std::vector<EncoderFamily> QsvFamilies() {
  return {With(Qsv("h264", "H.264"), {{"high"}, {"main"}, {"baseline"}}, k4096),
          With(Qsv("hevc", "HEVC"), {{"main"}, {"main10", 10}}, k8192), Av1(Qsv("av1", "AV1"))};
}

}  // namespace kettle
