// SPDX-License-Identifier: Apache-2.0
#include "replaying_coder.h"

#include <cstring>

namespace standin {

namespace {

// Mixes a word into a hash: multiplied by an odd constant and folded, as the multiplicative hashes of the trade do. Not
// against malice: who plays here is the product itself.
std::uint64_t Mix(std::uint64_t hash, std::uint64_t word) {
  constexpr std::uint64_t kOdd = 0x9e3779b97f4a7c15;  // 2^64 over the golden ratio
  __extension__ using Wide = unsigned __int128;
  const Wide product = static_cast<Wide>(hash ^ word) * kOdd;
  return static_cast<std::uint64_t>(product) ^ static_cast<std::uint64_t>(product >> 64);
}

std::uint64_t HashBytes(std::uint64_t hash, const std::uint8_t* data, std::size_t bytes) {
  std::uint64_t lanes[4] = {hash, hash + 1, hash + 2, hash + 3};
  std::size_t at = 0;
  for (; at + sizeof lanes <= bytes; at += sizeof lanes)
    for (std::size_t lane = 0; lane < 4; ++lane) {
      std::uint64_t word;
      std::memcpy(&word, data + at + lane * sizeof word, sizeof word);
      lanes[lane] = Mix(lanes[lane], word);
    }
  for (; at < bytes; ++at) lanes[0] = Mix(lanes[0], data[at]);
  for (std::size_t lane = 1; lane < 4; ++lane) lanes[0] = Mix(lanes[0], lanes[lane]);
  return lanes[0];
}

// Luma, then chroma, without what lies between the rows.
std::uint64_t HashPicture(std::uint64_t hash, const std::uint8_t* picture, const Settings& s) {
  const int samples = s.width * (s.ten_bit ? 2 : 1);
  const bool halves = !s.semi_planar && !s.ten_bit;  // YV12: two planes of half the width
  const int rows = s.height + s.height / 2;
  for (int y = 0; y < rows; ++y) {
    const std::uint8_t* row = picture + static_cast<std::ptrdiff_t>(s.pitch) * y;
    if (y >= s.height && halves) {  // a row of memory holds two of a plane
      hash = HashBytes(hash, row, static_cast<std::size_t>(samples / 2));
      row += s.pitch / 2;
      hash = HashBytes(hash, row, static_cast<std::size_t>(samples / 2));
    } else {
      hash = HashBytes(hash, row, static_cast<std::size_t>(samples));
    }
  }
  return hash;
}

class ReplayingCoder final : public Coder {
 public:
  ReplayingCoder(const Settings& settings, std::unique_ptr<Coder> coder, CodedBefore& before)
      : settings_(settings), coder_(std::move(coder)), before_(before) {}

  const std::vector<std::uint8_t>& header() const override { return coder_->header(); }
  int delay() const override { return coder_->delay(); }
  std::optional<CodedUnit> Flush() override { return coder_->Flush(); }

  std::optional<CodedUnit> Code(const std::uint8_t* picture, const PictureRequest& request) override {
    if (delay() > 0) return coder_->Code(picture, request);
    const bool begins = request.force_keyframe || since_keyframe_ == 0 ||
                        (settings_.keyframe_frames > 0 && since_keyframe_ >= settings_.keyframe_frames);
    if (begins) Begin();
    key_ = HashPicture(key_, picture, settings_);
    ClientSyntax syntax = request.syntax;
    syntax.idr_id = 0;  // keyframes that follow each other differ in it, and no others need to
    key_ = HashBytes(key_, reinterpret_cast<const std::uint8_t*>(&syntax), sizeof syntax);
    ++since_keyframe_;
    if (mode_ != Mode::kCoding)
      if ((unit_ = before_.Find(key_))) {
        mode_ = Mode::kPlaying;
        return CodedUnit{unit_->data.data(), static_cast<std::uint32_t>(unit_->data.size()), request.timestamp,
                         unit_->picture_type};
      }
    PictureRequest asked = request;
    asked.force_keyframe = begins || mode_ == Mode::kPlaying;
    mode_ = Mode::kCoding;
    const auto unit = coder_->Code(picture, asked);
    if (unit) before_.Keep(key_, {{unit->data, unit->data + unit->bytes}, unit->picture_type});
    return unit;
  }

 private:
  enum class Mode { kOpen, kPlaying, kCoding };  // since the last keyframe

  void Begin() {
    key_ = HashBytes(first_, reinterpret_cast<const std::uint8_t*>(&settings_), sizeof settings_);
    first_ = false;  // its first picture says what made the stream
    since_keyframe_ = 0;
    mode_ = Mode::kOpen;
  }

  const Settings settings_;
  const std::unique_ptr<Coder> coder_;
  CodedBefore& before_;
  std::uint64_t key_ = 0;
  bool first_ = true;
  int since_keyframe_ = 0;
  Mode mode_ = Mode::kOpen;
  std::shared_ptr<const CodedBefore::Unit> unit_;  // the last one given again
};

}  // namespace

std::shared_ptr<const CodedBefore::Unit> CodedBefore::Find(std::uint64_t key) const {
  std::lock_guard lock(mutex_);
  const auto found = units_.find(key);
  return found == units_.end() ? nullptr : found->second;
}

void CodedBefore::Keep(std::uint64_t key, Unit unit) {
  std::lock_guard lock(mutex_);
  if (units_.contains(key)) return;
  bytes_ += unit.data.size();
  units_[key] = std::make_shared<const Unit>(std::move(unit));
  order_.push_back(key);
  while (bytes_ > most_bytes_ && !order_.empty()) {
    bytes_ -= units_.at(order_.front())->data.size();
    units_.erase(order_.front());
    order_.pop_front();
  }
}

std::size_t CodedBefore::bytes() const {
  std::lock_guard lock(mutex_);
  return bytes_;
}

std::unique_ptr<Coder> MakeReplayingCoder(const Settings& settings, std::unique_ptr<Coder> coder, CodedBefore& before) {
  return std::make_unique<ReplayingCoder>(settings, std::move(coder), before);
}

}  // namespace standin
