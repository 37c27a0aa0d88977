// SPDX-License-Identifier: Apache-2.0
#include "kettle/rehearsal/sender.h"

#include <algorithm>
#include <chrono>
#include <utility>

#include "kettle/realtime/lane.h"
#include "kettle/units/error.h"

namespace kettle {

Sender::Sender(const SenderRequest& request, const Clock& clock)
    : request_(request), clock_(clock), queue_(request.rule) {
  Connect();
  thread_ = std::thread([this] { Run(); });
}

Sender::~Sender() {
  {
    const std::scoped_lock lock(mutex_);
    ending_ = true;
  }
  changed_.notify_all();
  thread_.join();
}

void Sender::Connect() {
  std::unique_ptr<IngestConnection> publisher = StartPublish(request_.url, request_.key, request_.patience_seconds);
  publisher->LimitHeld(request_.held_bytes);
  const std::scoped_lock lock(mutex_);
  simulated_ = simulated_ || publisher->simulated();
  publisher_ = std::move(publisher);
  writing_.clear();
  on_its_way_.clear();
  // The handshake of TCP counts as one. What was given is acknowledged, as it was answered, or soon will be.
  const PublishState begun = publisher_->state();
  not_ours_bytes_ = std::max<std::int64_t>(0, begun.acknowledged_bytes - begun.given_bytes);
  opened_ = false;
  alive_bytes_ = begun.acknowledged_bytes;
  alive_seconds_ = now();
  state_.connected = true;
}

void Sender::SetOpening(std::vector<RtmpMessage> messages) {
  const std::scoped_lock lock(mutex_);
  opening_ = std::move(messages);
}

void Sender::Drop(const SentFrame& frame) {
  if (!frame.video) {
    ++state_.dropped_sounds;
    return;
  }
  ++state_.dropped;
  dropped_.push_back(frame.number);
}

void Sender::Enqueue(FlvPacker::Packed packed) {
  {
    const std::scoped_lock lock(mutex_);
    Outgoing out;
    out.seconds = now();
    out.size_bytes = static_cast<int>(packed.message.body.size());
    out.video = packed.picture.has_value();
    out.keyframe = packed.picture && packed.picture->keyframe;
    out.number = packed.picture ? packed.picture->number : -1;
    out.shown_seconds = packed.shown_seconds;
    out.message = std::move(packed.message);
    longest_wait_seconds_ = std::max(longest_wait_seconds_, Waiting());
    queue_.Push(std::move(out), [this](const SentFrame& gone) { Drop(gone); });
  }
  changed_.notify_all();
}

SenderState Sender::state() const {
  const std::scoped_lock lock(mutex_);
  SenderState state = state_;
  state.acknowledged_bytes = earlier_bytes_;
  if (publisher_) {
    const PublishState sent = publisher_->state();
    state.acknowledged_bytes += sent.acknowledged_bytes;
    state.round_trip_ms = sent.round_trip_ms;
  }
  return state;
}

bool Sender::simulated() const {
  const std::scoped_lock lock(mutex_);
  return simulated_ || (publisher_ && publisher_->simulated());
}

double Sender::TakeLongestWait() {
  const std::scoped_lock lock(mutex_);
  return std::max(std::exchange(longest_wait_seconds_, 0), Waiting());
}

void Sender::Settle() {
  const PublishState sent = publisher_->state();
  if (sent.acknowledged_bytes != alive_bytes_) alive_seconds_ = now();
  alive_bytes_ = sent.acknowledged_bytes;
  while (!on_its_way_.empty() && on_its_way_.front().end_byte <= sent.acknowledged_bytes - not_ours_bytes_)
    on_its_way_.pop_front();
}

void Sender::CheckAlive() {
  if (!Ready() && on_its_way_.empty()) alive_seconds_ = now();  // nothing was to be acknowledged
  if (now() - alive_seconds_ > request_.dead_seconds)
    FailInput("{}: nothing has arrived there for {:g} s", request_.url.str(), request_.dead_seconds);
}

void Sender::NoteGiven() {
  if (!on_its_way_.empty() && on_its_way_.back().end_byte == kNotYet)
    on_its_way_.back().end_byte = publisher_->state().given_bytes;
}

void Sender::LoseConnection(const std::string& why) {
  const std::scoped_lock lock(mutex_);
  Settle();
  for (const OnItsWay& picture : on_its_way_) Drop({.number = picture.number});
  on_its_way_.clear();
  earlier_bytes_ += publisher_->state().acknowledged_bytes;
  simulated_ = simulated_ || publisher_->simulated();
  publisher_.reset();
  needs_keyframe_ = true;
  state_.connected = false;
  state_.trouble = why;
  ++state_.losses;
}

bool Sender::Write() {
  if (!opened_ && !opening_.empty()) {
    for (const RtmpMessage& message : opening_) writing_ += publisher_->Wrap(message);
    opened_ = true;
  }
  // A new connection can decode nothing before that.
  if (needs_keyframe_) needs_keyframe_ = !queue_.BeginAtKeyframe([this](const SentFrame& gone) { Drop(gone); });
  while (Ready()) {
    if (writing_.empty()) {
      const Outgoing& next = queue_.front();
      // A message leaves the queue with its first byte, not before: until then it can be dropped.
      std::string bytes = publisher_->Wrap(next.message);
      const std::size_t taken = publisher_->Send(bytes);
      if (taken == 0 && !publisher_->insists()) return false;
      if (next.video) on_its_way_.push_back({next.number});
      queue_.Pop();
      bytes.erase(0, taken);
      writing_ = std::move(bytes);
      if (writing_.empty()) NoteGiven();
      if (taken == 0) return false;
      continue;
    }
    const std::size_t taken = publisher_->Send(writing_);
    if (taken == 0) return false;
    writing_.erase(0, taken);
    if (writing_.empty()) NoteGiven();
  }
  return true;
}

void Sender::WaitForTheLine() {
  const double since = now();
  publisher_->WaitToSend(0.01);
  const std::scoped_lock lock(mutex_);
  state_.blocked_seconds += now() - since;
}

void Sender::Run() {
  NameThread("sender " + request_.url.scheme);
  while (true) {
    bool connected = false;
    {
      std::unique_lock lock(mutex_);
      connected = publisher_ != nullptr;
      if (connected && !Ready()) {
        if (ending_) break;
        changed_.wait_for(lock, std::chrono::milliseconds(50));
      }
      if (ending_ && now() > give_up_seconds_) break;
    }
    try {
      if (!connected) {
        {
          std::unique_lock lock(mutex_);
          changed_.wait_for(lock, std::chrono::duration<double>(request_.retry_seconds), [&] { return ending_; });
          if (ending_) break;
        }
        Connect();
        continue;
      }
      bool all = true;
      {
        const std::scoped_lock lock(mutex_);
        longest_wait_seconds_ = std::max(longest_wait_seconds_, Waiting());
        all = Write();
        Settle();
        CheckAlive();
      }
      if (!all) WaitForTheLine();
    } catch (const std::exception& error) {
      if (connected) LoseConnection(error.what());
    }
  }
}

void Sender::Finish(double patience_seconds) {
  {
    const std::scoped_lock lock(mutex_);
    ending_ = true;
    give_up_seconds_ = now() + patience_seconds;
  }
  changed_.notify_all();
  thread_.join();
  thread_ = std::thread([] {});
  const std::scoped_lock lock(mutex_);
  while (!queue_.empty()) Drop(queue_.Pop());  // what the line did not take in the end
  try {
    if (publisher_) publisher_->Finish(1);
    // What the kernel has taken whole still arrives; a message that was broken off does not.
    std::erase_if(on_its_way_, [](const OnItsWay& picture) { return picture.end_byte != kNotYet; });
  } catch (const std::exception& error) {
    state_.trouble = error.what();
    ++state_.losses;
    Settle();
  }
  for (const OnItsWay& picture : on_its_way_) Drop({.number = picture.number});
  on_its_way_.clear();
}

std::vector<std::int64_t> Sender::Dropped() const {
  std::vector<std::int64_t> dropped = dropped_;
  std::sort(dropped.begin(), dropped.end());
  return dropped;
}

}  // namespace kettle
