// SPDX-License-Identifier: Apache-2.0
#include "flv_file.h"

#include "kettle/rtmp/amf.h"
#include "kettle/rtmp/bytes.h"
#include "kettle/units/error.h"

namespace standin {

using kettle::PutBig;

FlvFile::FlvFile(const std::filesystem::path& path) : file_(path, std::ios::binary) {
  if (!file_) kettle::FailMachine("{}: cannot be written", path.string());
  std::string header("FLV\x01\x05", 5);
  PutBig(header, 9, 4);
  PutBig(header, 0, 4);
  file_ << header;
}

void FlvFile::Write(const kettle::RtmpMessage& message) {
  std::string body = message.body;
  if (message.type == kettle::RtmpType::kData) {  // the command is for the server, not for the file
    const std::string command = kettle::WriteAmf({"@setDataFrame"});
    if (body.starts_with(command)) body.erase(0, command.size());
  }
  std::string tag(1, static_cast<char>(message.type));
  PutBig(tag, body.size(), 3);
  PutBig(tag, message.timestamp_ms & 0xFFFFFF, 3);
  PutBig(tag, message.timestamp_ms >> 24, 1);
  PutBig(tag, 0, 3);
  tag += body;
  PutBig(tag, 11 + body.size(), 4);
  file_ << tag << std::flush;
}

}  // namespace standin
