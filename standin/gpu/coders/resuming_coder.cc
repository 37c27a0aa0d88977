// SPDX-License-Identifier: Apache-2.0
#include "resuming_coder.h"

#include <stdexcept>
#include <vector>

namespace standin {

namespace {

class ResumingCoder final : public Coder {
 public:
  ResumingCoder(const Settings& settings, std::function<std::unique_ptr<Coder>()> make)
      : bytes_(static_cast<std::size_t>(settings.pitch) * static_cast<std::size_t>(settings.height) * 3 / 2),
        make_(std::move(make)),
        coder_(make_()) {}

  const std::vector<std::uint8_t>& header() const override { return coder_->header(); }
  int delay() const override { return coder_->delay(); }

  std::optional<CodedUnit> Code(const std::uint8_t* picture, const PictureRequest& request) override {
    if (flushed_) Resume();
    Keep(picture, request);
    const auto unit = coder_->Code(picture, request);
    return unit && IsNew() ? unit : std::nullopt;
  }

  std::optional<CodedUnit> Flush() override {
    flushed_ = true;
    while (const auto unit = coder_->Flush())
      if (IsNew()) return unit;
    return std::nullopt;
  }

 private:
  struct Picture {
    std::vector<std::uint8_t> samples;
    PictureRequest request;
  };

  void Keep(const std::uint8_t* picture, const PictureRequest& request) {
    if (long_) return;
    long_ = kept_.size() == static_cast<std::size_t>(kShortStream);
    if (long_)
      kept_.clear();
    else
      kept_.push_back({{picture, picture + bytes_}, request});
  }

  void Resume() {
    if (long_) throw std::runtime_error("a picture after the end");
    coder_ = make_();
    flushed_ = false;
    coded_ = 0;
    for (const Picture& picture : kept_)
      if (coder_->Code(picture.samples.data(), picture.request)) IsNew();
  }

  bool IsNew() {
    if (++coded_ <= given_) return false;
    given_ = coded_;
    return true;
  }

  const std::size_t bytes_;
  const std::function<std::unique_ptr<Coder>()> make_;
  std::unique_ptr<Coder> coder_;
  std::vector<Picture> kept_;  // the first ones
  bool long_ = false, flushed_ = false;
  int coded_ = 0, given_ = 0;  // by this coder; to the client
};

}  // namespace

std::unique_ptr<Coder> MakeResumingCoder(const Settings& settings, std::function<std::unique_ptr<Coder>()> make) {
  return std::make_unique<ResumingCoder>(settings, std::move(make));
}

}  // namespace standin
