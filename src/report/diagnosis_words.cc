// SPDX-License-Identifier: Apache-2.0
// What a diagnosis says: the causes of lost frames, and what to do.
#include "report/sentence.h"

namespace kettle {

const MessageWords& DiagnosisWords() {
  static const MessageWords words = {
      // What to do about lost frames
      {"cure.cap-game", "cap the game's frame rate, or plan again with the game running"},
      {"cure.cap-game-or", "cap the game's frame rate, or {step}"},
      {"cure.close-program", "close \"{program}\" while you are live"},
      {"cure.close-programs", "close other programs while you are live"},
      {"cure.failed-recording", "check the GPU's driver, or plan again with [recording] device = \"cpu\""},
      {"cure.failed-stream", "check the GPU's driver, or plan again with [stream] device = \"cpu\""},
      {"cure.faster-disk",
       "record to a faster disk, or lower the recording's bit rate; fast-kettle survey measures the disk"},
      {"cure.free-space", "free space on the disk, or record to another one"},
      {"cure.lighter-for-game",
       "give the recording a smaller picture, record the stream's own encode, or cap the game"},
      {"cure.lighter-recording", "give the recording a lower frame rate or size, and plan again"},
      {"cure.lighter-stream", "give the stream a lower frame rate or size, and plan again"},
      {"cure.lower-bit-rate", "lower the bit rate"},
      {"cure.lower-to", "lower to {step} ({kbps:.0f} kbit/s less)"},
      {"cure.lowest-measured",
       "improve it (at its worst it carried {carried_kbps:.0f} kbit/s) and lower to {step} ({kbps:.0f} kbit/s less), "
       "the lowest that the plan measured"},
      {"cure.move-recording", "move the recording to the {to}"},
      {"cure.only-that-way",
       "your uplink carried the rest, so it is the way to {ingest} that broke: choose another of its ingests"},
      {"cure.other-ingest",
       "the connection to the ingest broke: try another ingest; fast-kettle uplink --to compares them"},
      {"cure.own-processors", "this is a virtual machine that shares its processors: give it its own"},
      {"cure.paused-capture",
       "something pauses the capture, and it is not a lack of CPU: a machine that sleeps, a disk that the footage "
       "waits for, a driver; rehearse again"},
      {"cure.record-stream", "record the stream's own encode instead"},
      {"cure.take", "take {step} ({fps:.0f} frames a second more)"},
      {"cure.take-to-free", "take {step}: it leaves more of the processors free"},
      {"cure.unknown", "rehearse again: the counters show no cause"},
      {"cure.uplink-outage",
       "your uplink had an outage that no bit rate survives: use a cable instead of wireless, or another provider"},
      // What the counters show of lost frames
      {"loss.connection-gone", "the connection to the ingest was gone"},
      {"loss.delayed-frames", "delayed frames arrived all at once; only {full}"},
      {"loss.disk-full", "the disk was full"},
      {"loss.encoder-failed", "the encoder gave up at {seconds:.1f} s: {error}"},
      {"loss.engine-busy", "the GPU's encode engine was {percent:.0f} % busy"},
      {"loss.engine-too-slow", "the GPU's encode engine was too slow ({full})"},
      {"loss.game", "{full}; the game took {cores:.2f}, usually {usual_cores:.2f}"},
      {"loss.in-use", "{cores:.2f} of {all_cores:g} processors were in use"},
      {"loss.in-use-with-game", "{cores:.2f} of {all_cores:g} processors were in use, {game_cores:.2f} by the game"},
      {"loss.late-with-room", "the capture was late although only {full}"},
      {"loss.other-program", "{full}; \"{program}\" took {cores:.2f}"},
      {"loss.queue-full", "the encoder's queue was full; {full}"},
      {"loss.recording-stopped", "the recording stopped: {error}"},
      {"loss.recording-took-more", "{full}; the recording's encoder took {recording:.2f}, the stream's {stream:.2f}"},
      {"loss.short-lived-programs", "{full}; {cores:.2f} by other programs, each only briefly"},
      {"loss.slow-disk",
       "packets waited {waited:.1f} s for the disk; its longest write took {longest_write_ms:.0f} ms"},
      {"loss.starved-capture", "{full}: nothing was left for the capture"},
      {"loss.stolen-time", "{full}, {cores:.2f} of them by other machines on this host"},
      {"loss.unexplained", "frames were dropped although the uplink carried them"},
      {"loss.uplink", "{kbps:.0f} of the {sent_kbps:.0f} kbit/s sent got through; frames waited up to {waited:.1f} s"},
      // What was seen of a broadcast from outside
      {"watch.do-disk", "record to another disk, or lower the recording's bit rate"},
      {"watch.do-encoder",
       "its encoder takes more than there is: choose a faster preset, a smaller picture or a lower frame rate; "
       "fast-kettle "
       "plan finds which"},
      {"watch.do-game", "cap {game}'s frame rate, or choose a faster preset; a lower bit rate does not help"},
      {"watch.do-line", "lower the stream's bit rate, or free the line: stop other uploads, use a cable"},
      {"watch.do-other", "close {program} while you stream; a lower bit rate does not help"},
      {"watch.do-stolen",
       "this is a virtual machine whose host gives its processors to others: ask for some of its own"},
      {"watch.full",
       "no processor was idle, and its threads waited {percent:.0f} % of the time that they could have run; it took "
       "{cores:.1f} of {all:g} cores"},
      {"watch.full-game", "{full}, {game} {taken:.1f}"},
      {"watch.full-other", "{full}, {program} {taken:.1f}"},
      {"watch.full-stolen", "{full}; the hypervisor gave {stolen:.1f} to others"},
      {"watch.near-engine", "the GPU's encode engine is {percent:.0f} % used"},
      {"watch.near-line", "{seconds:.1f} s of the stream wait to be sent"},
      {"watch.near-processors", "processors {percent:.0f} % used"},
      {"watch.near-thread", "its thread {thread} uses {percent:.0f} % of one core"},
      {"watch.other-cores", "planned: {planned:.1f} cores; it takes {taken:.1f}"},
      {"watch.other-rate", "planned: {planned:.0f} kbit/s; it sends {sent:.0f}"},
      {"watch.queue",
       "{seconds:.1f} s of the stream waited to be sent; {kbps:.0f} kbit/s went out where {usual:.0f} is usual; "
       "{repeated:.0f} segments were sent again"},
      {"watch.recording-stopped", "its recording did not grow for {seconds:.0f} s, where {usual:.1f} MB/s is usual"},
      {"watch.thread-at-limit", "its thread {thread} used one whole processor, and cannot use more"},
      {"watch.throttled", "the processors were throttled for heat {count:.0f} times"},
  };
  return words;
}

}  // namespace kettle
