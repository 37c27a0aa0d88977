// SPDX-License-Identifier: Apache-2.0
// Whatever is wrong: one clear line, exit code 2 or 3, nothing half written.
#include "kettle/encoders/catalogue.h"
#include "kettle/media/writer.h"
#include "program.h"

namespace kettle {
namespace {

class BadInputTest : public test::ProgramTest {
 protected:
  void ExpectRefused(const std::string& arguments, int code, const std::string& words) {
    const test::Ran ran = Run(arguments);
    EXPECT_EQ(ran.code, code) << arguments << "\n" << ran.err;
    const std::string complaint = ran.complaint();
    EXPECT_THAT(complaint, testing::HasSubstr(words)) << arguments;
    EXPECT_EQ(std::count(complaint.begin(), complaint.end(), '\n'), 1) << ran.err;
    EXPECT_FALSE(std::filesystem::exists(path("out/plan.json"))) << arguments;
  }
  void ExpectClipRefused(const std::string& clip, const std::string& words) {
    Put("clip.toml", "[picture]\nfootage = [\"" + clip + "\"]\n[stream]\nbit_rate = \"1 Mbit/s\"\n");
    ExpectRefused("plan --show clip.toml --out out", 2, words);
  }
};

TEST_F(BadInputTest, Devices) {
  SmallShow();
  const std::string plan = "plan --show show.toml --stand-in-gpu pair --out out ";
  ExpectRefused(plan + "--stream-device 0000:02:00.0", 2, "the nearest is 0000:01:00.0 (Tidewater 30 (simulated))");
  ExpectRefused(plan + "--stream-device 7", 2, "there is 0000:00:02.0 (Mudflat 6 (simulated)), 0000:01:00.0");
  ExpectRefused(plan + "--recording-device Mudflat --recording-encoder nvenc-h264", 2,
                "\"Mudflat\" has none of nvenc-h264; it has vaapi-h264");
  ExpectRefused(plan + "--stream-device simulated", 2, "fits both");
  ExpectRefused(plan + "--stream-device cpu --stream-encoder nvenc-h264", 2, "\"cpu\" has none of nvenc-h264");
}

TEST_F(BadInputTest, Shows) {
  ExpectRefused("plan --out out", 2, "plan needs pictures: --footage my-clip.mkv");
  ExpectRefused("plan --footage none.mkv --out out", 2, "none.mkv: no such file");
  ExpectRefused("plan --show none.toml --out out", 2, "none.toml: no such file");
  ExpectRefused("plan --show . --out out", 2, "a folder, not a file");
  SmallShow();
  ExpectRefused("plan --show show.toml --stream-bit-rate 4500 --out out", 2, "no unit");
  ExpectRefused("plan --show show.toml --source-size 321x180 --out out", 2, "both sides must be even");
  ExpectRefused("plan --show show.toml --frame-rate 0 --out out", 2, "is out of range");
  ExpectRefused("plan --show show.toml --source-size 99999x99999 --out out", 2, "each side must be");
  ExpectRefused("bench --show show.toml --destination quayside --stream-bit-rate '9 Mbit/s' --out out", 2,
                "more than Quayside accepts");
  ExpectRefused("bench --show show.toml --encoder x263 --out out", 2, "did you mean \"x264\"?");
  ExpectRefused("bench --show show.toml --encoder discard --out out", 2, "name a real one");
  ExpectRefused("bench --show show.toml --preset fats --encoder x264 --out out", 2, "did you mean \"fast\"?");
}

TEST_F(BadInputTest, Benches) {
  const std::string small = " --footage open-water --frame-rate 12 --size 320x180 --bit-rate '600 kbit/s' --out out";
  ExpectRefused("bench --out out", 2, "--footage start-line");
  ExpectRefused("bench --footage open-water --frame-rate 12 --bit-rate '1 Mbit/s' --out out", 2, "--size 1280x720");
  ExpectRefused("bench --footage open-water --frame-rate 12 --size 320x180 --out out", 2, "--bit-rate");
  ExpectRefused("bench --encoder x264 --rate-control constant" + small, 2, "constant quality");
  ExpectRefused("bench --encoder vp9 --b-frames 2" + small, 2, "vp9 has no B-frames; x264");
  ExpectRefused("bench --encoder vp9 --b-frames 2" + small, 2, "vp9 has no B-frames");
  ExpectRefused("bench --encoder x264 --bit-depth 9" + small, 2, "8 or 10");
  ExpectRefused("bench --encoder nvenc-h264" + small, 2, "no NVIDIA driver");
  ExpectRefused("bench --resume" + small, 2, "no bench");
  ExpectRefused("bench --soak 1" + small, 2, "--soak runs one setting");
  ExpectRefused("bench --encoder nvenc-h264 --device 4 --stand-in-gpu modest" + small, 2,
                "there is 0000:01:00.0 (Tidewater 20");
  ExpectRefused("bench --device ''" + small, 2, "say \"cpu\", or which GPU");
  ExpectRefused("bench --device Tidewatr --stand-in-gpu modest" + small, 2,
                "nearest is 0000:01:00.0 (Tidewater 20 (simulated))");
  ExpectRefused("bench --encoder x264 --device 0 --stand-in-gpu modest" + small, 2, "has none of x264; it has nvenc");
  // The card's own limit, not the interface's: learned by opening it.
  Put("tiny.toml",
      "[[device]]\nname = \"Tiny (simulated)\"\n[device.h264]\nmax_width = 256\n[device.megapixels_per_second]\n"
      "p1 = 7\np2 = 6\np3 = 5\np4 = 4\np5 = 3\np6 = 2\np7 = 1\n");
  ExpectRefused("bench --encoder nvenc-h264 --stand-in-gpu tiny.toml" + small, 2, "wider than this GPU can encode");
}

TEST_F(BadInputTest, Clips) {
  Put("empty.mkv", "");
  Put("noise.mkv", std::string(9000, 'q'));
  ExpectClipRefused("empty.mkv", "the file is empty");
  ExpectClipRefused("noise.mkv", "not a clip");
  ExpectClipRefused("none.mkv", "no such file");
}

TEST_F(BadInputTest, OutputFolders) {
  Put("file", "x");
  ExpectRefused("survey --out file", 3, "file");
  ExpectRefused("survey --out /proc/none", 3, "/proc/none");
  ExpectRefused("survey --recording-folder none --out out", 2, "none: no such folder");
  SmallShow();
  ExpectRefused("plan --show show.toml --recording-folder none --out out", 2, "none: no such folder");
  ExpectRefused("survey --recording-folder /proc --out out", 2, "cannot write in /proc");
}

TEST_F(BadInputTest, StandInProfiles) {
  ExpectRefused("survey --stand-in-gpu modets --out out", 2, "did you mean \"modest\"?");
  Put("bad.toml", "[[device]]\nname = \"X\"\nspeed = 9\n");
  ExpectRefused("survey --stand-in-gpu bad.toml --out out", 2, "device[0].speed is not a known key");
}

}  // namespace
}  // namespace kettle
