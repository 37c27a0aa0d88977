// SPDX-License-Identifier: Apache-2.0
// The corpora, and whatever fuzzing ever found, through the same readers.
#include "kettle/media/libav.h"
#include "support.h"
#include "targets.h"

namespace kettle {
namespace {

TEST(Fuzz, EveryCorpusIsReadOrRefused) {
  const LibavLog quiet;
  const std::filesystem::path corpus = KETTLE_SOURCE "/tests/fuzz/corpus";
  for (const auto& [name, target] : fuzz::Targets()) {
    int inputs = 0;
    for (const auto& entry : std::filesystem::directory_iterator(corpus / name)) {
      SCOPED_TRACE(entry.path().string());
      std::ostringstream text;
      text << std::ifstream(entry.path(), std::ios::binary).rdbuf();
      try {
        target(text.str());
      } catch (const Error& error) {
        EXPECT_EQ(std::string(error.what()).find('\n'), std::string::npos) << error.what();
      } catch (const std::exception& error) {
        ADD_FAILURE() << "neither read nor refused: " << error.what();
      }
      ++inputs;
    }
    EXPECT_GE(inputs, 2) << name;
  }
}

}  // namespace
}  // namespace kettle
