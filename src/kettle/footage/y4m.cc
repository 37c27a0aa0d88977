// SPDX-License-Identifier: Apache-2.0
#include "kettle/footage/y4m.h"

#include <fcntl.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cstdio>
#include <cstring>
#include <sstream>

#include "kettle/store/file.h"
#include "kettle/units/error.h"

namespace kettle {

namespace {

constexpr std::string_view kFrameMark = "FRAME\n";

std::size_t PictureBytes(FrameSize size) { return static_cast<std::size_t>(size.pixels()) * 3 / 2; }

}  // namespace

struct Y4mWriter::State {
  std::filesystem::path path, temporary;
  FrameSize size;
  std::FILE* file = nullptr;

  void Write(const void* data, std::size_t bytes) {
    if (std::fwrite(data, 1, bytes, file) != bytes)
      FailMachine("cannot write {}: {}", path.string(), std::strerror(errno));
  }
};

Y4mWriter::Y4mWriter(const std::filesystem::path& path, FrameSize size, FrameRate rate)
    : state_(std::make_unique<State>()) {
  state_->path = path;
  state_->temporary = UnfinishedName(path);
  state_->size = size;
  state_->file = std::fopen(state_->temporary.c_str(), "wbe");
  if (!state_->file) FailMachine("cannot write {}: {}", path.string(), std::strerror(errno));
  const std::string header = fmt::format("YUV4MPEG2 W{} H{} F{}:{} Ip A1:1 C420mpeg2 XYSCSS=420MPEG2\n", size.width,
                                         size.height, rate.numerator, rate.denominator);
  state_->Write(header.data(), header.size());
}

Y4mWriter::~Y4mWriter() {
  if (!state_->file) return;
  std::fclose(state_->file);
  std::error_code ignored;
  std::filesystem::remove(state_->temporary, ignored);
}

void Y4mWriter::Write(const AVFrame& picture) {
  state_->Write(kFrameMark.data(), kFrameMark.size());
  for (int plane = 0; plane < 3; ++plane) {
    const int shift = plane == 0 ? 0 : 1;
    for (int row = 0; row < state_->size.height >> shift; ++row)
      state_->Write(picture.data[plane] + static_cast<std::ptrdiff_t>(row) * picture.linesize[plane],
                    static_cast<std::size_t>(state_->size.width >> shift));
  }
}

void Y4mWriter::Finish() {
  if (std::fclose(std::exchange(state_->file, nullptr)) != 0) {
    const int error = errno;
    std::filesystem::remove(state_->temporary);
    FailMachine("cannot write {}: {}", state_->path.string(), std::strerror(error));
  }
  Publish(state_->temporary, state_->path);
}

struct Y4mFile::Mapping {
  std::uint8_t* data = nullptr;
  std::size_t bytes = 0;
  ~Mapping() {
    if (data) munmap(data, bytes);
  }
};

Y4mFile::Y4mFile(const std::filesystem::path& path) : mapping_(std::make_shared<Mapping>()) {
  const int fd = open(path.c_str(), O_RDONLY | O_CLOEXEC);
  if (fd < 0) FailMachine("cannot read {}: {}", path.string(), std::strerror(errno));
  struct stat status {};
  fstat(fd, &status);
  mapping_->bytes = static_cast<std::size_t>(status.st_size);
  void* memory = mapping_->bytes == 0 ? MAP_FAILED : mmap(nullptr, mapping_->bytes, PROT_READ, MAP_SHARED, fd, 0);
  close(fd);
  if (memory == MAP_FAILED) FailInput("{}: not a Y4M file", path.string());
  mapping_->data = static_cast<std::uint8_t*>(memory);

  const std::string_view text(reinterpret_cast<const char*>(mapping_->data),
                              std::min<std::size_t>(mapping_->bytes, 256));
  const auto end = text.find('\n');
  if (!text.starts_with("YUV4MPEG2 ") || end == text.npos) FailInput("{}: not a Y4M file", path.string());
  std::istringstream header{std::string(text.substr(10, end - 10))};
  for (std::string field; header >> field;) {
    const std::string value = field.substr(1);
    if (field[0] == 'W') size_.width = std::atoi(value.c_str());
    if (field[0] == 'H') size_.height = std::atoi(value.c_str());
    if (field[0] == 'C' && !value.starts_with("420")) FailInput("{}: only 4:2:0 Y4M is read", path.string());
    long long numerator = 0, denominator = 0;
    if (field[0] == 'F' && std::sscanf(value.c_str(), "%lld:%lld", &numerator, &denominator) == 2)
      rate_ = FrameRate::FromFraction(numerator, denominator);
  }
  header_bytes_ = end + 1;
  frame_bytes_ = kFrameMark.size() + PictureBytes(size_);
  if (size_.width <= 0 || size_.height <= 0 || rate_.numerator <= 0 || rate_.denominator <= 0)
    FailInput("{}: its Y4M header names no size or rate", path.string());
  frames_ = static_cast<int>((mapping_->bytes - header_bytes_) / frame_bytes_);
  if (frames_ == 0 || header_bytes_ + static_cast<std::size_t>(frames_) * frame_bytes_ != mapping_->bytes)
    FailInput("{}: the Y4M file is incomplete", path.string());
}

FramePtr Y4mFile::Frame(int index) const {
  FramePtr frame = NewFrame();
  frame->format = AV_PIX_FMT_YUV420P;
  frame->width = size_.width;
  frame->height = size_.height;
  frame->color_range = AVCOL_RANGE_MPEG;
  frame->color_primaries = AVCOL_PRI_BT709;
  frame->color_trc = AVCOL_TRC_BT709;
  frame->colorspace = AVCOL_SPC_BT709;
  std::uint8_t* data =
      mapping_->data + header_bytes_ + static_cast<std::size_t>(index) * frame_bytes_ + kFrameMark.size();
  auto* keeper = new std::shared_ptr<Mapping>(mapping_);
  const auto release = [](void* opaque, std::uint8_t*) { delete static_cast<std::shared_ptr<Mapping>*>(opaque); };
  frame->buf[0] = av_buffer_create(data, PictureBytes(size_), release, keeper, AV_BUFFER_FLAG_READONLY);
  if (!frame->buf[0]) {
    delete keeper;
    FailMachine("out of memory");
  }
  av_image_fill_arrays(frame->data, frame->linesize, data, AV_PIX_FMT_YUV420P, size_.width, size_.height, 1);
  return frame;
}

}  // namespace kettle
