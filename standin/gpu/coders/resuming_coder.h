// SPDX-License-Identifier: Apache-2.0
#pragma once

#include <functional>
#include <memory>

#include "coder.h"

namespace standin {

// A coder of `make` that takes pictures after it was flushed too, as long as the stream is short: it codes the first
// ones once more, and gives of them what it has not given. Near its end a client waits for a picture before it gives
// those that the coder wants to see first; in a short stream that is soon. Throws as `make` does.
std::unique_ptr<Coder> MakeResumingCoder(const Settings& settings, std::function<std::unique_ptr<Coder>()> make);

}  // namespace standin
