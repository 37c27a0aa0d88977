// SPDX-License-Identifier: Apache-2.0
// What the stand-in devices coded outlives their process.
#include "coded_store.h"

#include <thread>

#include "support.h"

namespace {

namespace fs = std::filesystem;
using standin::CodedBefore;
using standin::CodedGroup;
using standin::CodedGroups;
using standin::CodedStore;

constexpr std::uint64_t kCoders = 7, kMostBytes = 1 << 20;

std::pair<std::uint64_t, std::shared_ptr<const CodedGroup>> Group(std::uint64_t key, const std::vector<int>& sizes) {
  auto group = std::make_shared<CodedGroup>();
  for (std::size_t i = 0; i < sizes.size(); ++i) {
    const auto byte = static_cast<std::uint8_t>(key + i);
    const std::vector<std::uint8_t> data(static_cast<std::size_t>(sizes[i]), byte);
    group->push_back(std::make_shared<const CodedBefore::Unit>(CodedBefore::Unit{data, 1, sizes.size() - 1 - i}));
  }
  return {key, group};
}

bool Equal(const CodedGroup& a, const CodedGroup& b) {
  return std::equal(a.begin(), a.end(), b.begin(), b.end(), [](const auto& x, const auto& y) {
    return x->data == y->data && x->picture_type == y->picture_type && x->place == y->place;
  });
}

class CodedStoreTest : public kettle::test::FolderTest {
 protected:
  CodedStore Open(std::uint64_t coders = kCoders, std::uint64_t most_bytes = kMostBytes) const {
    return CodedStore(folder(), coders, most_bytes);
  }
  fs::path folder() const { return path("cache") / "simulated-gpu"; }
  fs::path file() const { return folder() / "new"; }
};

TEST_F(CodedStoreTest, ALaterProcessFindsWhatAnEarlierOneCoded) {
  const CodedGroups groups = {Group(1, {100}), Group(2, {10, 0, 3000})};
  const CodedStore earlier = Open();
  earlier.Add(groups);
  const CodedStore later = Open();
  for (const auto& [key, group] : groups) {
    EXPECT_EQ(earlier.Find(key), nullptr) << "it is as it was when it was opened";
    ASSERT_NE(later.Find(key), nullptr);
    EXPECT_TRUE(Equal(*later.Find(key), *group));
  }
  EXPECT_EQ(later.Find(3), nullptr);
  const auto size = fs::file_size(file());
  later.Add(groups);
  EXPECT_EQ(fs::file_size(file()), size) << "nothing is kept twice";
  const CodedBefore before(100, &later);
  EXPECT_TRUE(Equal(*before.Find(2), *groups[1].second));
}

TEST_F(CodedStoreTest, WhatOtherCodersMadeCountsForNothing) {
  Open().Add({Group(1, {100})});
  const CodedStore other = Open(kCoders + 1);
  EXPECT_EQ(other.Find(1), nullptr);
  other.Add({Group(2, {100})});
  EXPECT_EQ(Open(kCoders + 1).Find(1), nullptr);
  EXPECT_NE(Open(kCoders + 1).Find(2), nullptr);
}

TEST_F(CodedStoreTest, AFileThatWasCutIsGoodUpToThere) {
  Open().Add({Group(1, {100}), Group(2, {100})});
  fs::resize_file(file(), fs::file_size(file()) - 1);
  const CodedStore cut = Open();
  EXPECT_NE(cut.Find(1), nullptr);
  EXPECT_EQ(cut.Find(2), nullptr);
  cut.Add({Group(2, {100}), Group(3, {100})});
  for (const std::uint64_t key : {1, 2, 3}) EXPECT_NE(Open().Find(key), nullptr) << key;
}

TEST_F(CodedStoreTest, DataThatChangedAreNotGiven) {
  Open().Add({Group(1, {100}), Group(2, {100})});
  std::fstream(file(), std::ios::in | std::ios::out).seekp(-1, std::ios::end).put('x');
  EXPECT_NE(Open().Find(1), nullptr);
  EXPECT_EQ(Open().Find(2), nullptr);
}

TEST_F(CodedStoreTest, TheOldestGoWhenThereIsNoMoreRoom) {
  constexpr std::uint64_t kMost = 100'000;
  constexpr int kBytes = 10'000;
  for (std::uint64_t key = 0; key < 40; ++key) Open(kCoders, kMost).Add({Group(key, {kBytes})});
  std::uintmax_t bytes = 0;
  for (const auto& entry : fs::directory_iterator(folder())) bytes += entry.file_size();
  EXPECT_LE(bytes, kMost + 2 * (kBytes + 100));
  EXPECT_EQ(Open(kCoders, kMost).Find(0), nullptr);
  EXPECT_NE(Open(kCoders, kMost).Find(39), nullptr);
  EXPECT_NE(Open(kCoders, kMost).Find(36), nullptr) << "half of them are kept at least";
}

TEST_F(CodedStoreTest, SeveralMayAddAtOnce) {
  std::vector<std::thread> threads;
  for (std::uint64_t first = 0; first < 4; ++first)
    threads.emplace_back([this, first] {
      for (std::uint64_t i = 0; i < 20; ++i) Open().Add({Group(first * 100 + i, {50, 50})});
    });
  for (std::thread& thread : threads) thread.join();
  const CodedStore store = Open();
  for (std::uint64_t first = 0; first < 4; ++first)
    for (std::uint64_t i = 0; i < 20; ++i) EXPECT_NE(store.Find(first * 100 + i), nullptr);
}

TEST_F(CodedStoreTest, AFolderThatCannotBeMadeHarmsNothing) {
  const CodedStore nowhere("/proc/nowhere", kCoders, kMostBytes), none({}, kCoders, kMostBytes);
  for (const CodedStore* store : {&nowhere, &none}) {
    store->Add({Group(1, {100})});
    EXPECT_EQ(store->Find(1), nullptr);
  }
}

}  // namespace
