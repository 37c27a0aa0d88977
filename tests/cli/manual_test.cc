// SPDX-License-Identifier: Apache-2.0
// Man pages and completion hold what --help holds: they come out of the same tables.
#include <regex>
#include <set>

#include "command_table.h"
#include "program.h"

namespace kettle {
namespace {

using testing::HasSubstr;

class ManualTest : public test::ProgramTest {
 protected:
  static std::string Page(const std::string& name) { return Get(std::filesystem::path(KETTLE_MANUAL) / name); }

  std::set<std::string> OptionsInHelp(const app::Command& command) const {
    std::string help = Run(command.name + " --help all").out;
    if (command.takes_show) help += Run("--help show").out;
    std::set<std::string> options;
    const std::regex option("^  (?:-h \\[ )?--([a-z-]+)", std::regex::multiline);
    for (std::sregex_iterator it(help.begin(), help.end(), option), end; it != end; ++it) options.insert((*it)[1]);
    return options;
  }

  // What Tab offers after these words, sorted by bash.
  std::string Completed(const std::string& words) const {
    Put("complete.sh", "source '" KETTLE_MANUAL "/fast-kettle.bash'\nCOMP_WORDS=(" + words +
                           ")\nCOMP_CWORD=$((${#COMP_WORDS[@]} - 1))\n_fast_kettle\necho \"${COMPREPLY[@]}\"\n");
    const std::string command = "cd '" + path("").string() + "' && bash complete.sh >offered.txt";
    EXPECT_EQ(std::system(command.c_str()), 0);
    return Get(path("offered.txt"));
  }
};

TEST_F(ManualTest, EveryOptionOfHelpIsInManAndCompletion) {
  const std::string completion = Page("fast-kettle.bash"), overview = Page("fast-kettle.1");
  for (const app::Command& command : app::Commands()) {
    SCOPED_TRACE(command.name);
    const std::string page = Page("fast-kettle-" + command.name + ".1");
    EXPECT_THAT(overview, HasSubstr("fast\\-kettle\\-" + command.name));
    const std::set<std::string> options = OptionsInHelp(command);
    EXPECT_GE(options.size(), 3u);
    for (std::string option : options) {
      EXPECT_THAT(completion, HasSubstr("--" + option));
      option = std::regex_replace(option, std::regex("-"), "\\-");
      EXPECT_THAT(page, HasSubstr("\\-\\-" + option));
    }
  }
}

TEST_F(ManualTest, TabCompletesWhatMayFollow) {
  EXPECT_EQ(Completed("fast-kettle pl"), "plan\n");
  EXPECT_EQ(Completed("fast-kettle bench --encoder x2"), "x264 x265\n");
  EXPECT_EQ(Completed("fast-kettle plan --destination quay"), "quayside\n");
  EXPECT_EQ(Completed("fast-kettle demo --stand-in-gpu mod"), "modest\n");
  EXPECT_EQ(Completed("fast-kettle footage ''"), "list inspect render capture\n");
  EXPECT_EQ(Completed("fast-kettle footage render har"), "harbour\n");
  EXPECT_EQ(Completed("fast-kettle rehearse --container frag"), "fragmented-mp4\n");
  Put("my plan.json", "{}");
  EXPECT_EQ(Completed("fast-kettle rehearse my"), "my plan.json\n");
}

}  // namespace
}  // namespace kettle
