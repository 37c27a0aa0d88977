// SPDX-License-Identifier: Apache-2.0
#include "replaying_coder.h"

#include <deque>
#include <optional>
#include <vector>

#include "hash.h"

namespace standin {

namespace {

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
  ReplayingCoder(const Settings& settings, std::function<std::unique_ptr<Coder>()> make, CodedBefore& before)
      : settings_(settings),
        make_(std::move(make)),
        before_(before),
        coder_(make_()),
        header_(coder_->header()),
        delay_(coder_->delay()) {}

  const std::vector<std::uint8_t>& header() const override { return header_; }
  int delay() const override { return delay_; }

  // What was coded before comes out as late as what is coded now.
  std::optional<CodedUnit> Code(const std::uint8_t* picture, const PictureRequest& request) override {
    const bool keyframe = request.force_keyframe || since_keyframe_ == 0 ||
                          (settings_.keyframe_frames > 0 && since_keyframe_ >= settings_.keyframe_frames);
    if (keyframe) BeginAtKeyframe();
    AddToKey(picture, request);
    ++since_keyframe_;
    open_.push_back({picture, request});
    if (mode_ == Mode::kCoding) Ask(open_.back(), false);
    if (keyframe || open_.size() > static_cast<std::size_t>(settings_.b_frames))
      CloseGroup();
    else
      Hold(open_.back());
    return pictures_++ < delay_ ? std::nullopt : Next();
  }

  std::optional<CodedUnit> Flush() override {
    CloseGroup();
    Drain();
    return Next();
  }

 private:
  enum class Mode { kOpen, kPlaying, kCoding };  // since the last keyframe
  struct Picture {
    const std::uint8_t* samples;
    PictureRequest request;
  };
  // Pictures that the coder was asked for, by order of display, and what came of them, in coded order.
  struct Asked {
    std::int64_t first = 0;  // the number of its first picture
    std::vector<std::uint64_t> timestamps;
    std::optional<std::uint64_t> key;  // once it is closed
    CodedBefore::Group units;
    bool mixed = false;  // with those of a later one
  };
  struct Ready {
    std::shared_ptr<const CodedBefore::Unit> unit;
    std::uint64_t timestamp;
  };

  void BeginAtKeyframe() {
    CloseGroup();
    key_ = HashBytes(first_, reinterpret_cast<const std::uint8_t*>(&settings_), sizeof settings_);
    first_ = false;  // its first picture says what made the stream
    since_keyframe_ = 0;
    mode_ = Mode::kOpen;
  }

  void AddToKey(const std::uint8_t* picture, const PictureRequest& request) {
    key_ = HashPicture(key_, picture, settings_);
    ClientSyntax syntax = request.syntax;
    syntax.idr_id = 0;  // keyframes that follow each other differ in it, and no others need to
    key_ = HashBytes(key_, reinterpret_cast<const std::uint8_t*>(&syntax), sizeof syntax);
  }

  // The client's memory is its own again after this call.
  void Hold(Picture& picture) {
    if (mode_ == Mode::kCoding) return;
    const auto rows = static_cast<std::size_t>(settings_.height + settings_.height / 2);
    held_.emplace_back(picture.samples, picture.samples + static_cast<std::size_t>(settings_.pitch) * rows);
    picture.samples = held_.back().data();
  }

  // No more pictures belong to it: it is played, or coded.
  void CloseGroup() {
    if (open_.empty()) return;
    if (mode_ != Mode::kCoding) PlayOrAsk();
    if (!asked_.empty()) {
      asked_.back().key = key_;
      KeepWhole();
    }
    open_.clear();
    held_.clear();
  }

  void PlayOrAsk() {
    if (const auto group = before_.Find(key_)) {
      Drain();
      for (const auto& unit : *group) ready_.push_back({unit, open_[unit->place].request.timestamp});
      mode_ = Mode::kPlaying;
      return;
    }
    mode_ = Mode::kCoding;
    // The coder has not seen what came before: an intra picture begins anew.
    for (std::size_t i = 0; i < open_.size(); ++i) Ask(open_[i], i == 0);
  }

  void Ask(const Picture& picture, bool force_keyframe) {
    if (!coder_) coder_ = make_();
    if (asked_.empty() || asked_.back().key) {
      asked_.emplace_back();
      asked_.back().first = number_;
    }
    asked_.back().timestamps.push_back(picture.request.timestamp);
    PictureRequest request = picture.request;
    request.force_keyframe = force_keyframe;
    request.timestamp = static_cast<std::uint64_t>(number_++);
    Take(coder_->Code(picture.samples, request));
  }

  // A unit that comes before all of an earlier group's have come: that group is not what it was taken for, and is not
  // kept.
  void Take(const std::optional<CodedUnit>& coded) {
    if (!coded) return;
    const auto number = static_cast<std::int64_t>(coded->timestamp);
    auto asked = asked_.begin();
    while (number >= asked->first + static_cast<std::int64_t>(asked->timestamps.size())) asked++->mixed = true;
    const auto place = static_cast<std::size_t>(number - asked->first);
    CodedBefore::Unit unit{{coded->data, coded->data + coded->bytes}, coded->picture_type, place};
    asked->units.push_back(std::make_shared<const CodedBefore::Unit>(std::move(unit)));
    ready_.push_back({asked->units.back(), asked->timestamps.at(place)});
    KeepWhole();
  }

  void KeepWhole() {
    while (!asked_.empty() && asked_.front().key && asked_.front().units.size() == asked_.front().timestamps.size()) {
      Asked& whole = asked_.front();
      if (!whole.mixed) before_.Keep(*whole.key, std::move(whole.units));
      asked_.pop_front();
    }
  }

  // What the coder holds back; one that was asked for it takes no further pictures.
  void Drain() {
    if (asked_.empty()) return;
    while (const auto unit = coder_->Flush()) Take(unit);
    asked_.clear();
    coder_.reset();
  }

  std::optional<CodedUnit> Next() {
    if (ready_.empty()) return std::nullopt;
    const Ready next = ready_.front();
    ready_.pop_front();
    given_ = next.unit;
    return CodedUnit{given_->data.data(), static_cast<std::uint32_t>(given_->data.size()), next.timestamp,
                     given_->picture_type};
  }

  const Settings settings_;
  const std::function<std::unique_ptr<Coder>()> make_;
  CodedBefore& before_;
  std::unique_ptr<Coder> coder_;  // null: one is made when it is needed
  const std::vector<std::uint8_t> header_;
  const int delay_;

  std::uint64_t key_ = 0;
  bool first_ = true;
  int since_keyframe_ = 0;
  std::int64_t pictures_ = 0;  // taken
  Mode mode_ = Mode::kOpen;
  std::vector<Picture> open_;                    // the group that is not closed
  std::vector<std::vector<std::uint8_t>> held_;  // copies of its pictures
  std::int64_t number_ = 0;                      // of the next picture that a coder is asked for
  std::deque<Asked> asked_;
  std::deque<Ready> ready_;
  std::shared_ptr<const CodedBefore::Unit> given_;  // the last one
};

}  // namespace

std::unique_ptr<Coder> MakeReplayingCoder(const Settings& settings, std::function<std::unique_ptr<Coder>()> make,
                                          CodedBefore& before) {
  return std::make_unique<ReplayingCoder>(settings, std::move(make), before);
}

}  // namespace standin
