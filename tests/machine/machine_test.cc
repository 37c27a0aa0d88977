// SPDX-License-Identifier: Apache-2.0
#include "kettle/machine/machine.h"

#include <sys/stat.h>
#include <unistd.h>

#include <nlohmann/json.hpp>

#include "kettle/device/gpu_meter.h"
#include "kettle/machine/advice.h"
#include "machine/made_up.h"
#include "says.h"
#include "support.h"

namespace kettle {
namespace {

using testing::ElementsAre;
using testing::HasSubstr;

class MachineTest : public test::FolderTest {
 protected:
  test::Tree tree_{path("")};
  std::string AllAdvice() const {
    std::string text;
    for (const Message& line : MachineAdvice(ReadMachine(tree_.root()))) text += Sentence(line) + "\n";
    return text;
  }
};

// Trials once outlived an upgrade of x264 or of the GPU's driver.
TEST_F(MachineTest, AnUpgradeOfADriverOrACodecLibraryMakesAnotherMachine) {
  const auto digest = [&] { return Digest(ReadMachine(tree_.root())); };
  const std::string before = digest();
  EXPECT_EQ(digest(), before);
  Put("sys/module/nvidia/version", "555.1\n");
  const std::string with_module = digest();
  EXPECT_NE(with_module, before);
  Put("usr/lib/x86_64-linux-gnu/libnvidia-encode.so.555.1", "old");
  std::filesystem::create_symlink("libnvidia-encode.so.555.1", path("usr/lib/x86_64-linux-gnu/libnvidia-encode.so.1"));
  const std::string with_driver = digest();
  EXPECT_NE(with_driver, with_module);
  Put("usr/lib/x86_64-linux-gnu/libnvidia-encode.so.555.1", "newer");
  EXPECT_NE(digest(), with_driver);
  Put("usr/lib/x86_64-linux-gnu/dri/tide_drv_video.so", "va");
  EXPECT_THAT(ReadMachine(tree_.root()).drivers, testing::Contains(HasSubstr("tide_drv_video.so 2 ")));
  Machine machine = ReadMachine(tree_.root());
  EXPECT_THAT(machine.libraries, testing::Contains(testing::MatchesRegex("libx264\\.so\\..* build [0-9a-f]{8}")));
  const std::string this_x264 = Digest(machine);
  for (std::string& library : machine.libraries)
    if (library.starts_with("libx264")) library.back() = library.back() == '0' ? '1' : '0';
  EXPECT_NE(Digest(machine), this_x264);
}

TEST_F(MachineTest, ALaptopsTwoKindsOfCoresAndTwoGpus) {
  test::MakeLaptop(tree_);
  const Machine machine = ReadMachine(tree_.root());
  const Processor& p = machine.processor;
  EXPECT_EQ(p.model, "Brackish 1460 Mobile");
  EXPECT_EQ(p.cores, 14);
  EXPECT_EQ(p.threads, 20);
  EXPECT_EQ(p.performance_cores, 6);
  EXPECT_EQ(p.efficiency_cores, 8);
  EXPECT_EQ(p.usable_threads, 20);
  EXPECT_TRUE(p.has_smt());
  ASSERT_EQ(machine.graphics.size(), 2u);
  EXPECT_EQ(machine.graphics[0].vendor, "Intel");
  EXPECT_EQ(machine.graphics[0].driver, "i915");
  EXPECT_EQ(machine.graphics[1].driver, "nouveau");
  EXPECT_EQ(machine.graphics[1].render_node, "/dev/dri/renderD129");
  ASSERT_EQ(machine.displays.size(), 1u);
  EXPECT_EQ(machine.displays[0].size, (FrameSize{1920, 1200}));
  EXPECT_EQ(machine.displays[0].name, "Estuary Panel");
  EXPECT_NEAR(machine.displays[0].refresh_hz, 60, 0.1);
  ASSERT_EQ(machine.audio.size(), 1u);
  EXPECT_THAT(machine.audio[0].rates_hz, ElementsAre(44100, 48000, 96000, 192000));
  EXPECT_EQ(machine.audio[0].rate_in_use_hz, 44100);
  EXPECT_TRUE(machine.audio[0].capture && machine.audio[0].playback);
  const std::string advice = AllAdvice();
  EXPECT_THAT(advice, HasSubstr("6 performance and 8 efficiency cores"));
  EXPECT_THAT(advice, HasSubstr("one GPU with one encode engine"));
  EXPECT_THAT(advice, HasSubstr("nouveau, which has no NVENC"));
}

TEST_F(MachineTest, AWorkstationsPackagesAndMonitors) {
  test::MakeWorkstation(tree_);
  const Machine machine = ReadMachine(tree_.root());
  EXPECT_EQ(machine.processor.packages, 2);
  EXPECT_EQ(machine.processor.cores, 16);
  EXPECT_EQ(machine.processor.threads, 32);
  EXPECT_EQ(machine.processor.efficiency_cores, 0);
  const auto l3 = std::find_if(machine.processor.caches.begin(), machine.processor.caches.end(),
                               [](const CacheGroup& group) { return group.level == 3; });
  ASSERT_NE(l3, machine.processor.caches.end());
  EXPECT_EQ(l3->count, 2);
  EXPECT_EQ(l3->bytes, 32768 * 1024);
  ASSERT_EQ(machine.displays.size(), 2u);
  EXPECT_NEAR(machine.displays[0].refresh_hz, 144, 0.2);
  EXPECT_EQ(DisplaySize(tree_.root()), (FrameSize{2560, 1440}));
}

TEST_F(MachineTest, AContainersLimitsAreThoseInForce) {
  test::MakeContainer(tree_);
  const Machine machine = ReadMachine(tree_.root());
  EXPECT_EQ(machine.processor.threads, 8);
  EXPECT_EQ(machine.processor.usable.size(), 4u);
  EXPECT_EQ(machine.processor.usable_threads, 4);
  EXPECT_DOUBLE_EQ(machine.processor.quota_cores.value_or(0), 1.5) << "the parent group's limit counts too";
  EXPECT_DOUBLE_EQ(machine.processor.capacity(), 1.5);
  EXPECT_EQ(machine.memory_bytes, 4LL << 30);
  EXPECT_TRUE(machine.graphics.empty());
  EXPECT_TRUE(machine.displays.empty());
  EXPECT_THAT(AllAdvice(), HasSubstr("only 4 of 8 processors"));
  EXPECT_THAT(AllAdvice(), HasSubstr("the time of 1.5 of 4 processors"));
}

TEST_F(MachineTest, ARenderNodeThatIsNotPermittedNamesTheGroupToJoin) {
  test::MakeSmallDesktop(tree_);
  const std::string node = path("dev/dri/renderD128");
  ASSERT_EQ(chmod(node.c_str(), 0660), 0);
  // The group of the node is whatever this test runs as: described as somebody else, it is not permitted.
  struct stat status {};
  ASSERT_EQ(stat(node.c_str(), &status), 0);
  tree_.Put("etc/group", "video:x:44:\nrender:x:" + std::to_string(status.st_gid) + ":\n");
  const auto stranger = ReadGraphics(tree_.root(), {status.st_uid + 1, {status.st_gid + 1}});
  ASSERT_EQ(stranger.size(), 1u);
  EXPECT_FALSE(stranger[0].permitted);
  EXPECT_EQ(stranger[0].node_group, "render");
  EXPECT_DOUBLE_EQ(stranger[0].busy.value_or(0), 0.64);
  EXPECT_TRUE(ReadGraphics(tree_.root(), {status.st_uid + 1, {status.st_gid}})[0].permitted);
  Machine machine;
  machine.graphics = stranger;
  EXPECT_THAT(MachineAdvice(machine).front(), test::Says("join the group \"render\""));
}

TEST_F(MachineTest, AnEmptyTreeIsNoError) {
  const Machine machine = ReadMachine(tree_.root());
  EXPECT_TRUE(machine.processor.model.empty());
  EXPECT_TRUE(machine.displays.empty());
  EXPECT_TRUE(machine.audio.empty());
  EXPECT_EQ(DisplaySize(tree_.root()), std::nullopt);
  EXPECT_EQ(ReadCpuTime(tree_.root()).busy_seconds, 0);
  EXPECT_EQ(RenderNodePath(0, tree_.root()), "/dev/dri/renderD128");
}

TEST_F(MachineTest, CardsThatEncodeByNvencAloneAreTheLastOfVaapisDevices) {
  const test::MadeUpCard fast{"0000:01:00.0", "0x10de", "0xf002", "nvidia", 128};
  const test::MadeUpCard integrated{"0000:00:02.0", "0x8086", "0xf001", "i915", 129};
  const test::MadeUpCard third{"0000:41:00.0", "0x1002", "0xf003", "amdgpu", 130};
  test::MakeWithCards(tree_, {integrated, fast, third});
  EXPECT_EQ(CountRenderNodes(tree_.root()), 3);
  EXPECT_EQ(RenderNodePath(0, tree_.root()), "/dev/dri/renderD129");
  EXPECT_EQ(RenderNodePath(1, tree_.root()), "/dev/dri/renderD130");
  EXPECT_EQ(RenderNodePath(2, tree_.root()), "/dev/dri/renderD128");
}

TEST_F(MachineTest, AMicrophoneWithoutTheUsualRateIsToldOf) {
  test::MakeSmallDesktop(tree_);
  EXPECT_THAT(ReadAudio(tree_.root())[0].rates_hz, ElementsAre(16000, 44100));
  EXPECT_THAT(AllAdvice(), HasSubstr("Gull Microphone does not run at 48000 Hz"));
}

TEST_F(MachineTest, TheDigestFollowsTheMachine) {
  Machine machine = ReadMachine(tree_.root());
  const std::string before = Digest(machine);
  EXPECT_EQ(Digest(machine), before);
  machine.libraries.push_back("libnew 1.2.3");
  EXPECT_NE(Digest(machine), before);
}

TEST(Edid, IsReadOnlyIfItIsWhole) {
  std::string bytes = test::MakeEdid(3840, 2160, 30, "Wide");
  const auto edid = ParseEdid(bytes);
  ASSERT_TRUE(edid);
  EXPECT_EQ(edid->size, (FrameSize{3840, 2160}));
  EXPECT_EQ(edid->name, "Wide");
  bytes[60] = static_cast<char>(bytes[60] + 1);
  EXPECT_FALSE(ParseEdid(bytes)) << "its checksum is wrong";
  EXPECT_FALSE(ParseEdid(bytes.substr(0, 100)));
  EXPECT_FALSE(ParseEdid(""));
}

TEST_F(MachineTest, TheMeterTellsWhatAGpuDoesWithoutTheNvidiaLibrary) {
  test::MakeSmallDesktop(tree_);
  const auto put = [&](const std::string& ns) {
    Put("proc/10/fdinfo/3",
        "drm-pdev:\t0000:03:00.0\ndrm-client-id:\t7\ndrm-engine-enc:\t" + ns + " ns\ndrm-engine-gfx:\t1 ns\n");
  };
  put("1");
  GpuMeter meter(tree_.root());
  put("999999999999");
  const auto gpus = meter.Read();
  ASSERT_EQ(gpus.size(), 1u);
  EXPECT_DOUBLE_EQ(gpus[0].compute, 0.64) << "gpu_busy_percent goes before what the clients add up to";
  EXPECT_EQ(gpus[0].encoder, 1) << "at most all of the time";
  EXPECT_EQ(meter.Read()[0].encoder, 0) << "since the last reading";
  EXPECT_EQ(Busiest({{0.1, 0.9}, {0.4, 0.2}}).compute, 0.4);
  EXPECT_EQ(Busiest({}).encoder, 0);
}

TEST_F(MachineTest, EnginesAreCountedOncePerClient) {
  const std::string video = "drm-driver:\tamdgpu\ndrm-pdev:\t0000:03:00.0\ndrm-client-id:\t";
  Put("proc/10/fdinfo/3", video + "7\ndrm-engine-video:\t1000000000 ns\n");
  Put("proc/10/fdinfo/4", video + "7\ndrm-engine-video:\t1000000000 ns\n");  // the same client again
  Put("proc/11/fdinfo/9", video + "8\ndrm-engine-video:\t500000000 ns\ndrm-engine-gfx:\t20 ns\n");
  Put("proc/11/fdinfo/1", "pos:\t0\n");
  const EngineTimes before = ReadEngineTimes(tree_.root());
  EXPECT_EQ(before.at("0000:03:00.0").at("video"), 1'500'000'000);
  EngineTimes after = before;
  after["0000:03:00.0"]["video"] += 250'000'000;
  EXPECT_DOUBLE_EQ(EngineUse(before, after, 1.0).at("0000:03:00.0").at("video"), 0.25);
}

TEST(DisplayAdvice, TellsWhatDividesARefreshThatDoesNotFit) {
  const Display fast{.connector = "card0-DP-1", .name = "Heron 27", .refresh_hz = 144};
  const Display even{.connector = "card0-DP-2", .refresh_hz = 119.88};
  const auto advice = DisplayAdvice({fast, even, {.connector = "card0-DP-3"}}, 60);
  EXPECT_THAT(advice, ElementsAre(test::Says(
                          "Heron 27 refreshes 144 times a second: the pictures of a stream at 60 come 14 or 21 ms "
                          "apart, and motion judders; cap the game at 120, or set the display to 120 or "
                          "180 Hz")));
}

}  // namespace
}  // namespace kettle
