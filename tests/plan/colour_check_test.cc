// SPDX-License-Identifier: Apache-2.0
#include "kettle/plan/colour_check.h"

#include <nlohmann/json.hpp>

#include "fakes.h"
#include "kettle/footage/y4m.h"
#include "kettle/media/encoder.h"
#include "kettle/media/writer.h"

namespace kettle {
namespace {

class ColourCheckTest : public test::FolderTest {
 protected:
  // An encode of the source; `retag` may say something else of its colours.
  std::string Encode(const std::string& name, const std::function<void(AVFrame&, AVCodecContext&)>& retag = {}) {
    const std::string file = path(name).string();
    const Y4mFile source(y4m_);
    const AVCodec* codec = avcodec_find_encoder_by_name("libx264");
    const CodecContextPtr context(avcodec_alloc_context3(codec));
    context->width = 64, context->height = 48, context->time_base = {1, 25}, context->pix_fmt = AV_PIX_FMT_YUV420P;
    context->color_range = AVCOL_RANGE_MPEG, context->colorspace = AVCOL_SPC_BT709;
    context->color_primaries = AVCOL_PRI_BT709, context->color_trc = AVCOL_TRC_BT709;
    context->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
    FramePtr picture = source.Frame(0);
    if (retag) retag(*picture, *context);
    EXPECT_EQ(avcodec_open2(context.get(), codec, nullptr), 0);
    MediaWriter writer(file, *context);
    picture->pts = 0;
    avcodec_send_frame(context.get(), picture.get());
    avcodec_send_frame(context.get(), nullptr);
    PacketPtr packet = NewPacket();
    while (avcodec_receive_packet(context.get(), packet.get()) == 0) writer.Write(*packet);
    writer.Finish();
    return file;
  }
  ColourCheck Check(const std::string& stream, const std::string& recording) {
    return CheckColour(y4m_, stream, recording, {25, 1}, SteadyClock());
  }
  const std::string y4m_ = test::MakeY4m(path("source.y4m"), {64, 48}, {25, 1}, 1);
};

TEST_F(ColourCheckTest, EveryStageSaysTheSame) {
  const std::string file = Encode("same.mkv");
  const ColourCheck check = Check(file, file);
  EXPECT_TRUE(check.strays.empty());
  ASSERT_EQ(check.stages.size(), 3u);
  for (const ColourStage& stage : check.stages) {
    EXPECT_EQ(stage.pixel_format, "yuv420p");
    EXPECT_EQ(stage.matrix, "bt709");
    EXPECT_EQ(stage.range, "tv");
  }
  EXPECT_GT(check.conversion_cores, 0);
  EXPECT_TRUE(nlohmann::json(check)["strays"].empty());
}

TEST_F(ColourCheckTest, AStageThatSaysSomethingElseIsNamedWithWhatItCosts) {
  const std::string wrong = Encode("wrong.mkv", [](AVFrame& picture, AVCodecContext& context) {
    picture.color_range = context.color_range = AVCOL_RANGE_JPEG;
  });
  const ColourCheck check = Check(Encode("same.mkv"), wrong);
  EXPECT_THAT(check.strays, testing::ElementsAre("recording"));
  EXPECT_EQ(check.stages.back().range, "pc");
  EXPECT_GT(check.error.most, 5);
}

}  // namespace
}  // namespace kettle
