// SPDX-License-Identifier: Apache-2.0
#include "kettle/uplink/test_publish.h"

#include "kettle/units/error.h"

namespace kettle {

TestPublish::TestPublish(const IngestUrl& url, const StreamKey& key, const TestStream& stream, double patience_seconds)
    : stream_(stream) {
  if (url.scheme == "srt") {
    if (stream.coded().codec == "av1")
      FailInput("{}: SRT's transport stream carries H.264 or HEVC, no AV1; AV1 goes over rtmp://", url.str());
    packing_.emplace(stream.coded());
  }
  line_ = StartPublish(url, key, patience_seconds);
  line_->LimitUnsent(64 << 10);  // what waits, waits here
}

std::string TestPublish::Opening() {
  return packing_ ? "" : line_->Wrap(stream_.Metadata()) + line_->Wrap(stream_.Header());
}

std::string TestPublish::Picture(std::int64_t number, std::size_t bytes) {
  if (!packing_) return line_->Wrap(stream_.Picture(number, bytes));
  const CodedPicture picture = stream_.Filled(number, bytes);
  return packing_->Pack(picture.data, picture.decode_seconds, picture.show_seconds, picture.keyframe);
}

}  // namespace kettle
