// SPDX-License-Identifier: Apache-2.0
// Standard output and standard error that outlive their reader: a terminal that is closed, a pipe that ends, a full
// disk. What cannot be written any more is thrown away, and the measurement goes on to its results.
#pragma once

namespace kettle::app {

// Puts them in place of stdout, which is written line by line, and stderr. From now on nothing that prints fails. A
// pipe that nobody reads any more (fast-kettle watch | head) ends the run as Ctrl-C does.
void OpenLastingOutputs();

// Writes what waits for standard output. False if some of what was printed there was lost, but for a closed pipe.
bool EndOutput();

}  // namespace kettle::app
