// SPDX-License-Identifier: Apache-2.0
#include "va_session.h"

#include <time.h>

#include <algorithm>
#include <csignal>
#include <cstdio>
#include <cstring>
#include <utility>

namespace standin {

namespace {

template <typename T>
void Copy(const std::vector<std::uint8_t>& data, T& to) {
  std::memcpy(&to, data.data(), std::min(data.size(), sizeof to));
}

std::int64_t Now() {
  timespec now{};
  clock_gettime(CLOCK_MONOTONIC, &now);
  return now.tv_sec * 1'000'000'000 + now.tv_nsec;
}

int H264Profile(VAProfile profile) {
  return profile == VAProfileH264High ? 100 : profile == VAProfileH264Main ? 77 : 66;
}

}  // namespace

SharedMemory& VaSurface::Memory() {
  if (!memory) memory.emplace(SharedMemory::Create(bytes()));
  return *memory;
}

void VaSession::TakeMisc(const VAEncMiscParameterBuffer& misc) {
  const void* data = misc.data;
  switch (misc.type) {
    case VAEncMiscParameterTypeRateControl: std::memcpy(&rates_, data, sizeof rates_); break;
    case VAEncMiscParameterTypeHRD: std::memcpy(&buffer_, data, sizeof buffer_); break;
    case VAEncMiscParameterTypeFrameRate:
      frame_rate_ = static_cast<const VAEncMiscParameterFrameRate*>(data)->framerate;
      break;
    case VAEncMiscParameterTypeQualityLevel:
      quality_level_ = static_cast<const VAEncMiscParameterBufferQualityLevel*>(data)->quality_level;
      break;
    default: break;
  }
}

void VaSession::TakeParameters(const VaBuffer& buffer) {
  const bool sequence = buffer.type == VAEncSequenceParameterBufferType,
             picture = buffer.type == VAEncPictureParameterBufferType;
  switch (codec()) {
    case Codec::kH264:
      sequence  ? Copy(buffer.data, h264_sequence_)
      : picture ? Copy(buffer.data, h264_picture_)
                : Copy(buffer.data, h264_slice_);
      break;
    case Codec::kHevc:
      if (picture) Copy(buffer.data, hevc_picture_);
      if (!picture && !sequence) Copy(buffer.data, hevc_slice_);
      break;
    case Codec::kAv1:
      if (picture) Copy(buffer.data, av1_picture_);
      break;
  }
}

void VaSession::Take(const VaBuffer& buffer) {
  switch (buffer.type) {
    case VAEncSequenceParameterBufferType:
    case VAEncPictureParameterBufferType:
    case VAEncSliceParameterBufferType: TakeParameters(buffer); break;
    case VAEncMiscParameterBufferType:
      TakeMisc(*reinterpret_cast<const VAEncMiscParameterBuffer*>(buffer.data.data()));
      break;
    case VAEncPackedHeaderParameterBufferType: {
      VAEncPackedHeaderParameterBuffer header{};
      Copy(buffer.data, header);
      next_is_slice_ = header.type == VAEncPackedHeaderSlice;
      break;
    }
    case VAEncPackedHeaderDataBufferType:
      if (!next_is_slice_) headers_.insert(headers_.end(), buffer.data.begin(), buffer.data.end());
      break;
    default: break;
  }
}

bool VaSession::IsKeyframe() const {
  constexpr unsigned kAv1Key = 0;  // AV1 6.8.2, frame_type
  switch (codec()) {
    case Codec::kH264: return h264_picture_.pic_fields.bits.idr_pic_flag;
    case Codec::kHevc: return hevc_picture_.pic_fields.bits.idr_pic_flag;
    case Codec::kAv1: return av1_picture_.picture_flags.bits.frame_type == kAv1Key;
  }
  return false;
}

AskedType VaSession::Type() const {
  constexpr unsigned kBidirectional = 1;  // H.264 7.4.3, slice_type modulo 5
  if (codec() != Codec::kH264) return AskedType::kAny;
  return h264_slice_.slice_type % 5 == kBidirectional ? AskedType::kBidirectional : AskedType::kPredicted;
}

VABufferID VaSession::CodedBuffer() const {
  switch (codec()) {
    case Codec::kH264: return h264_picture_.coded_buf;
    case Codec::kHevc: return hevc_picture_.coded_buf;
    case Codec::kAv1: return av1_picture_.coded_buf;
  }
  return VA_INVALID_ID;
}

int VaSession::ConstantQp() const {
  switch (codec()) {
    case Codec::kH264: return h264_picture_.pic_init_qp + h264_slice_.slice_qp_delta;
    case Codec::kHevc: return hevc_picture_.pic_init_qp + hevc_slice_.slice_qp_delta;
    case Codec::kAv1: return av1_picture_.base_qindex;
  }
  return -1;
}

void VaSession::SetRates(Settings& s) const {
  constexpr double kKilo = 1000;
  s.constant_qp = s.target_quality = -1;
  if (config_.rate_control == VA_RC_CQP) {
    s.constant_qp = ConstantQp();
    return;
  }
  s.maximum_kbps = static_cast<std::int32_t>(rates_.bits_per_second / kKilo);
  const unsigned percent = rates_.target_percentage > 0 ? rates_.target_percentage : 100;
  s.average_kbps = static_cast<std::int32_t>(rates_.bits_per_second * (percent / 100.0) / kKilo);
  s.buffer_kbit = buffer_.buffer_size > 0 ? static_cast<std::int32_t>(buffer_.buffer_size / kKilo) : s.maximum_kbps;
  if (config_.rate_control == VA_RC_QVBR) s.target_quality = static_cast<std::int32_t>(rates_.quality_factor);
}

Settings VaSession::MakeSettings() const {
  constexpr std::int32_t kNever = 1 << 30;
  constexpr int kSlowest = 7, kUsual = 4;  // quality levels go from 1, the best, to 7
  Settings s{};
  s.codec = codec();
  s.width = surface_->width;
  s.height = surface_->height;
  s.pitch = surface_->pitch;
  s.rate_numerator = static_cast<std::int32_t>(frame_rate_ & 0xffff);
  s.rate_denominator = static_cast<std::int32_t>(std::max(1u, frame_rate_ >> 16));
  s.preset = quality_level_ > 0 ? kSlowest + 1 - static_cast<int>(std::min(7u, quality_level_)) : kUsual;
  SetRates(s);
  s.semi_planar = 1;
  s.client_headers = client_headers_;
  s.client_order = codec() == Codec::kH264;
  s.b_frames = b_frames_;
  s.repeat_headers = !client_headers_;
  s.keyframe_frames = kNever;  // by itself: the client says when
  s.profile_idc = H264Profile(config_.profile);
  s.ten_bit = surface_->ten_bit;
  s.cabac = h264_picture_.pic_fields.bits.entropy_coding_mode_flag;
  s.transform_8x8 = h264_picture_.pic_fields.bits.transform_8x8_mode_flag;
  return s;
}

ClientSyntax VaSession::MakeSyntax() const {
  const auto& sequence = h264_sequence_.seq_fields.bits;
  const auto& picture = h264_picture_.pic_fields.bits;
  ClientSyntax syntax{};
  syntax.parameter_set = h264_picture_.pic_parameter_set_id;
  syntax.frame_num = h264_picture_.frame_num;
  syntax.frame_num_bits = sequence.log2_max_frame_num_minus4 + 4;
  syntax.idr = picture.idr_pic_flag;
  syntax.idr_id = h264_slice_.idr_pic_id;
  syntax.order_count_type = sequence.pic_order_cnt_type;
  syntax.order_count = h264_slice_.pic_order_cnt_lsb;
  syntax.order_count_bits = sequence.log2_max_pic_order_cnt_lsb_minus4 + 4;
  syntax.reference = picture.reference_pic_flag != 0;
  syntax.references = h264_picture_.num_ref_idx_l0_active_minus1 + 1u;
  syntax.cabac = picture.entropy_coding_mode_flag;
  syntax.transform_8x8 = picture.transform_8x8_mode_flag;
  syntax.deblocking_control = picture.deblocking_filter_control_present_flag;
  syntax.initial_qp = h264_picture_.pic_init_qp;
  syntax.chroma_qp_offset = h264_picture_.chroma_qp_index_offset;
  syntax.second_chroma_qp_offset = h264_picture_.second_chroma_qp_index_offset;
  return syntax;
}

VAStatus VaSession::Initialise() {
  if (codec() == Codec::kH264) b_frames_ = std::max(1, static_cast<int>(h264_sequence_.ip_period)) - 1;
  if (!Send(socket_.get(), {.kind = Kind::kInitialise, .status = {}, .settings = MakeSettings()}))
    return VA_STATUS_ERROR_OPERATION_FAILED;
  const auto answer = Receive(socket_.get());
  if (!answer) return VA_STATUS_ERROR_OPERATION_FAILED;
  initialised_ = answer->message.status == Status::kOk;
  delay_ = answer->message.header.delay;
  return initialised_ ? VA_STATUS_SUCCESS : VA_STATUS_ERROR_INVALID_PARAMETER;
}

bool VaSession::Share(std::uint32_t id, const SharedMemory& memory) {
  if (shared_[id]) return true;
  shared_[id] = true;
  return Send(socket_.get(),
              {.kind = Kind::kAddBuffer, .status = {}, .buffer = {id, static_cast<std::uint32_t>(memory.bytes())}},
              memory.fd());
}

VAStatus VaSession::End(std::map<VABufferID, VaBuffer>& buffers) {
  const auto coded = buffers.find(CodedBuffer());
  if (!surface_ || coded == buffers.end()) return VA_STATUS_ERROR_INVALID_BUFFER;
  if (!initialised_)
    if (const VAStatus status = Initialise(); status != VA_STATUS_SUCCESS) return status;
  VaBuffer& output = coded->second;
  if (!Share(surface_->id, surface_->Memory()) || !Share(output.id, *output.memory))
    return VA_STATUS_ERROR_OPERATION_FAILED;
  output.headers = headers_;
  output.pending = true;
  output.status = VA_STATUS_SUCCESS;
  surface_->coded = coded->first;
  Message message{.kind = Kind::kEncode, .status = {}, .encode = {}};
  message.encode.input = surface_->id;
  message.encode.submitted_ns = Now();
  message.encode.force_keyframe = IsKeyframe();
  message.encode.asked_type = Type();
  message.encode.syntax = MakeSyntax();
  output.number = pictures_++;
  outputs_.push_back(output.id);
  return SubmitInOrderOfDisplay(message) ? VA_STATUS_SUCCESS : VA_STATUS_ERROR_OPERATION_FAILED;
}

// A client gives B-frames after the picture that they precede. The device's coder wants pictures as they are shown: so
// that one waits until the next of its kind, or until the client waits for it.
bool VaSession::SubmitInOrderOfDisplay(const Message& message) {
  if (b_frames_ == 0) return SendToDevice(message);
  // One that comes after its group was sent cannot be coded.
  if (message.encode.asked_type == AskedType::kBidirectional) return held_ && SendToDevice(message);
  const std::optional<Message> before = std::exchange(held_, message);
  held_number_ = pictures_ - 1;
  return !before || SendToDevice(*before);
}

// What the device codes next goes to the next output in the order of coding, which is the client's.
bool VaSession::SendToDevice(Message message) {
  message.encode.output = outputs_.front();
  outputs_.pop_front();
  ++sent_;
  return Send(socket_.get(), message);
}

// The client waits for a picture. Near its end it gives too few after it for the coder to let go of it by itself.
void VaSession::AskFor(int number) {
  const auto satisfied = [&] { return sent_ > number + delay_; };
  if (held_ && (held_number_ <= number || (pictures_ > kShortStream && !satisfied())))
    SendToDevice(*std::exchange(held_, std::nullopt));
  if (satisfied()) return;
  Send(socket_.get(), {.kind = Kind::kFlush, .status = {}, .pictures = static_cast<std::uint32_t>(number + 1)});
}

VAStatus VaSession::Wait(VaBuffer& coded, std::map<VABufferID, VaBuffer>& buffers) {
  if (coded.pending && b_frames_ > 0) AskFor(coded.number);
  while (coded.pending) {
    const auto received = Receive(socket_.get());
    if (!received) {
      coded.pending = false;
      return coded.status = VA_STATUS_ERROR_OPERATION_FAILED;
    }
    const Message& message = received->message;
    if (message.status == Status::kCrash) std::raise(SIGSEGV);  // a fault of the profile
    for (auto& [handle, buffer] : buffers) {
      if (!buffer.pending || buffer.id != message.encode.output) continue;
      buffer.pending = false;
      buffer.bytes = message.encode.bytes;
      buffer.status = message.status == Status::kOk ? VA_STATUS_SUCCESS : VA_STATUS_ERROR_ENCODING_ERROR;
      overruns_ += static_cast<int>(message.encode.overrun);
    }
  }
  return coded.status;
}

void VaSession::Close() {
  if (overruns_ * 10 > pictures_)
    std::fputs("the simulated card was slower than its profile says, since this machine codes too slowly\n", stderr);
  // Waits until the place is free again: the next session must find it so.
  if (Send(socket_.get(), {.kind = Kind::kClose, .status = {}, .device = {}}))
    for (auto answer = Receive(socket_.get()); answer && answer->message.kind != Kind::kClose;)
      answer = Receive(socket_.get());
}

}  // namespace standin
