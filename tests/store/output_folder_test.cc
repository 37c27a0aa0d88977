// SPDX-License-Identifier: Apache-2.0
#include "kettle/store/output_folder.h"

#include <nlohmann/json.hpp>

#include "support.h"

namespace kettle {
namespace {

using test::Complaint;
using OutputFolderTest = test::FolderTest;

TEST_F(OutputFolderTest, RefusesASecondRun) {
  const OutputFolder first(path("out"));
  EXPECT_THAT(Complaint(Fault::kInput, [&] { OutputFolder second(path("out")); }), testing::HasSubstr("another run"));
}

TEST_F(OutputFolderTest, IsFreeAgainAfterwards) {
  { const OutputFolder first(path("out")); }
  const OutputFolder second(path("out"));
  EXPECT_TRUE(std::filesystem::exists(path("out")));
}

TEST_F(OutputFolderTest, ClearsWhatAKilledRunLeft) {
  Put("out/.kettle-abc/trial.mkv", "x");
  Put("out/plan.json.99.part", "x");
  Put("out/plan.json", "kept");
  const OutputFolder folder(path("out"));
  EXPECT_FALSE(std::filesystem::exists(path("out/.kettle-abc")));
  EXPECT_FALSE(std::filesystem::exists(path("out/plan.json.99.part")));
  EXPECT_EQ(Get(path("out/plan.json")), "kept");
}

TEST_F(OutputFolderTest, ResultsStartWithTheirSchema) {
  WriteResult(path(""), "survey", {{"simulated", false}}, MakeProvenance("0.1", "abc"));
  EXPECT_THAT(Get(path("survey.json")), testing::StartsWith("{\n  \"schema\": \"fast-kettle/survey/1\""));
  const auto read = ReadResult(path(""), "survey");
  ASSERT_TRUE(read);
  EXPECT_EQ((*read)["machine_digest"], "abc");
}

TEST_F(OutputFolderTest, ReadsNothingOfAnotherMake) {
  Put("bench.json", "{\"schema\": \"fast-kettle/bench/9\"}");
  EXPECT_FALSE(ReadResult(path(""), "bench"));
  Put("bench.json", "{\"schema\": ");
  EXPECT_FALSE(ReadResult(path(""), "bench"));
  EXPECT_FALSE(ReadResult(path(""), "plan"));
}

}  // namespace
}  // namespace kettle
