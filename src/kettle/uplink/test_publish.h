// SPDX-License-Identifier: Apache-2.0
// A publish of a test stream: what a measurement sends through and watches.
#pragma once

#include <memory>
#include <optional>
#include <string>

#include "kettle/coded/transport_stream.h"
#include "kettle/publish/ingest_connection.h"
#include "kettle/uplink/test_stream.h"

namespace kettle {

class TestPublish {
 public:
  // Connects and starts the publish. Throws Error(kInput) with one line. The stream must outlive it.
  TestPublish(const IngestUrl& url, const StreamKey& key, const TestStream& stream, double patience_seconds);

  IngestConnection& line() { return *line_; }
  std::string Opening();  // what goes before the first picture
  // As TestStream::Picture, on the line.
  std::string Picture(std::int64_t number, std::size_t bytes);

 private:
  const TestStream& stream_;
  std::optional<TransportStream> packing_;  // SRT's: it tells what it holds with each keyframe
  std::unique_ptr<IngestConnection> line_;
};

}  // namespace kettle
