// SPDX-License-Identifier: Apache-2.0
// Every reader of what others wrote, as a function of bytes: fuzzed by ./dev fuzz, and given the corpora by ./dev test.
// A target may refuse its input with kettle::Error; anything else that it throws, and any crash, is a finding.
#pragma once

#include <map>
#include <string>
#include <string_view>

namespace kettle::fuzz {

using Target = void (*)(std::string_view bytes);

// By name, which is also the name of its folder below tests/fuzz/corpus.
const std::map<std::string, Target>& Targets();

// Changes to the datagrams between an SRT caller and a listener, four bytes each.
void Srt(std::string_view bytes);

}  // namespace kettle::fuzz
