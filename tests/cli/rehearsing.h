// SPDX-License-Identifier: Apache-2.0
// A small plan to rehearse, for tests of the built program.
#pragma once

#include "ingest_program.h"

namespace kettle::test {

class RehearsingTest : public IngestProgramTest {
 protected:
  // A small plan, made once and copied for each test.
  void SetUp() override {
    static const TemporaryFolder kept(std::filesystem::temp_directory_path());
    const auto file = kept.path() / "plan.json";
    if (!std::filesystem::exists(file)) {
      SmallShow();
      const auto ran = Run("plan --show show.toml --footage-seconds 1 --proof-seconds 2 --out out --quiet");
      ASSERT_EQ(ran.code, 0) << ran.err << ran.out;
      ExpectValid("plan");
      std::filesystem::copy_file(path("out/plan.json"), file);
    }
    std::filesystem::remove_all(path("out"));
    std::filesystem::copy_file(file, path("plan.json"));
  }
};

}  // namespace kettle::test
