// SPDX-License-Identifier: Apache-2.0
// What the stand-ins' programs have in common: options, help, and errors as one line with an exit code.
#pragma once

#include <fmt/format.h>

#include <boost/program_options.hpp>
#include <iostream>

#include "kettle/units/error.h"

namespace standin {

// False if the help was asked for, and printed. Throws kettle::Error(kInput) for an option that is not right.
inline bool ReadOptions(int argc, char** argv, const boost::program_options::options_description& all,
                        const char* example) {
  namespace po = boost::program_options;
  po::variables_map map;
  try {
    po::store(po::command_line_parser(argc, argv).options(all).positional({}).run(), map);
    po::notify(map);
  } catch (const po::error_with_option_name& error) {
    kettle::FailInput("{} cannot be used like this; see --help", error.get_option_name());
  } catch (const po::error&) {
    kettle::FailInput("these options are not understood; see --help");
  }
  if (map.count("help")) std::cout << all << "\nExample:\n  " << example << '\n';
  return map.count("help") == 0;
}

inline int RunProgram(const char* name, int (*run)(int, char**), int argc, char** argv) {
  try {
    return run(argc, argv);
  } catch (const kettle::Error& error) {
    fmt::print(stderr, "{}: {}\n", name, error.what());
    return error.fault() == kettle::Fault::kInput ? 2 : 3;
  } catch (const std::exception& error) {
    fmt::print(stderr, "{}: {}\n", name, error.what());
    return 3;
  }
}

}  // namespace standin
