// SPDX-License-Identifier: Apache-2.0
#include "kettle/input/input.h"

#include <sys/stat.h>
#include <unistd.h>

#include <fstream>

#include "support.h"

namespace kettle {
namespace {

using test::Complaint;
using testing::AllOf;
using testing::HasSubstr;
using testing::Not;

class InputTest : public test::FolderTest {
 protected:
  std::string Refused(const std::filesystem::path& file) {
    return Complaint(Fault::kInput, [&] { ReadJsonInput(file); });
  }
};

TEST_F(InputTest, ReadsAFileWhole) {
  const std::string text(200'000, 'x');
  Put("a.txt", text);
  EXPECT_EQ(ReadInput(path("a.txt")), text);
  Put("a.json", "{\"a\": 1}");
  EXPECT_EQ(ReadJsonInput(path("a.json")).at("a"), 1);
}

TEST_F(InputTest, WhatIsNoFileIsSaidAtOnce) {
  EXPECT_THAT(Refused(path("nothing")), HasSubstr("no such file"));
  EXPECT_THAT(Refused(path("")), HasSubstr("a folder, not a file"));
  EXPECT_THAT(Refused("/dev/zero"), HasSubstr("a device or a pipe"));
  ASSERT_EQ(mkfifo(path("pipe").c_str(), 0600), 0);
  EXPECT_THAT(Refused(path("pipe")), HasSubstr("a device or a pipe")) << "and is not waited for";
  EXPECT_THAT(Complaint(Fault::kInput, [&] { CheckIsFile(path("pipe")); }), HasSubstr("a device or a pipe"));
  Put("huge", "");
  ASSERT_EQ(truncate(path("huge").c_str(), 4LL << 30), 0);
  EXPECT_THAT(Refused(path("huge")), HasSubstr("4294 MB"));
  Put("closed", "{}");
  ASSERT_EQ(chmod(path("closed").c_str(), 0), 0);
  if (access(path("closed").c_str(), R_OK) != 0) {  // root may read it
    EXPECT_THAT(Refused(path("closed")), HasSubstr("Permission denied"));
  }
}

TEST_F(InputTest, WhatATerminalObeysIsMadePlain) {
  Put("a.json", R"({"title": "Regatta\u001b[2J\u001b]0;x\u0007", "list": [{"name": "a\u009b31mb"}], "n": 1})");
  const nlohmann::json json = ReadJsonInput(path("a.json"));
  EXPECT_EQ(json["title"], "Regatta [2J ]0;x ");
  EXPECT_EQ(json["list"][0]["name"], "a 31mb");
  EXPECT_EQ(json["n"], 1);
}

TEST_F(InputTest, WhatIsNoJsonIsSaidInOurWords) {
  const auto library = HasSubstr("json.exception");
  Put("empty", " \n");
  EXPECT_THAT(Refused(path("empty")), HasSubstr("an empty file"));
  Put("cut", "{\"a\": [1,");
  EXPECT_THAT(Refused(path("cut")), AllOf(HasSubstr("cut off, at its byte 10"), Not(library)));
  const auto words = [](const auto& read) -> std::string {
    try {
      read(nlohmann::json{{"a", "x"}, {"b", 1}});
    } catch (const nlohmann::json::exception& error) {
      return InPlainWords(error);
    }
    return "";
  };
  EXPECT_EQ(words([](const auto& json) { json.at("stream"); }), "\"stream\" is missing");
  EXPECT_EQ(words([](const auto& json) { json.at("a").template get<int>(); }), "a value is of the wrong kind");
  EXPECT_EQ(words([](const auto& json) { json.at("b").at("c"); }), "a value is of the wrong kind");
}

}  // namespace
}  // namespace kettle
