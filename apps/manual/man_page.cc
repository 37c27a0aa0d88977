// SPDX-License-Identifier: Apache-2.0
#include "man_page.h"

#include <fmt/format.h>

#include <sstream>

#include "command_options.h"

namespace kettle::app {

namespace {

// Text as roff shows it: hyphens are minus signs, and no line begins a macro.
std::string Roff(const std::string& text) {
  std::string roff;
  for (const char c : text) {
    if (c == '\\')
      roff += "\\e";
    else if (c == '-')
      roff += "\\-";
    else if ((c == '.' || c == '\'') && (roff.empty() || roff.back() == '\n'))
      roff += std::string("\\&") + c;
    else
      roff += c;
  }
  return roff;
}

std::string Heading(const std::string& name, const std::string& summary) {
  std::string upper;
  for (const char c : name) upper += static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
  return fmt::format(".TH {} 1 \"\" \"Fast Kettle {}\" \"User Commands\"\n.SH NAME\n{} \\- {}\n", Roff(upper), kVersion,
                     Roff(name), Roff(summary));
}

// As it stands: lines that are aligned by hand.
std::string Verbatim(const std::string& text) { return ".nf\n" + Roff(text) + "\n.fi\n"; }

std::string OptionGroups(const Command& command) {
  Request request;
  ShowOverrides values;
  std::string text;
  for (const auto& group : OptionsOf(command, request, values)) {
    std::ostringstream title;
    title << group;
    const std::string name = title.str().substr(0, title.str().find(":\n"));
    text += ".SH " + std::string(name == "Options" ? "OPTIONS" : "\"" + Roff(name) + "\"") + "\n";
    for (const auto& option : group.options()) {
      std::string spelled = Roff("--" + option->long_name());
      const std::string argument = option->format_parameter();
      if (option->long_name() == "help") spelled = "\\-h\\fR, \\fB\\-\\-help";
      text += fmt::format(".TP\n\\fB{}\\fR{}\n{}\n", spelled, argument.empty() ? "" : " \\fI" + Roff(argument) + "\\fR",
                          option->description().empty() ? "\\&" : Roff(option->description()));
    }
  }
  return text;
}

constexpr const char* kExitCodes =
    ".SH \"EXIT STATUS\"\n.TP\n0\nDone.\n.TP\n1\nThe answer is no: it does not keep pace, or no plan "
    "holds.\n.TP\n2\nWrong "
    "usage or input.\n.TP\n3\nSomething on the machine failed.\n.TP\n130\nInterrupted; what was finished is kept.\n";

}  // namespace

std::string ProgramPage() {
  std::string text = Heading("fast-kettle", "finds and proves the settings for a live stream and its recording") +
                     ".SH SYNOPSIS\n\\fBfast\\-kettle\\fR \\fICOMMAND\\fR [\\fIOPTIONS\\fR]\n.SH DESCRIPTION\n" +
                     Roff(
                         "Measures this machine, chooses size, frame rate, encoder and preset for a live stream and "
                         "its recording, and "
                         "proves in real time that both keep pace beside the game.\n") +
                     ".SH COMMANDS\nIn the order in which people use them.\n";
  for (const Command& command : Commands())
    text += fmt::format(".TP\n\\fB{}\\fR\n{}; see \\fBfast\\-kettle\\-{}\\fR(1).\n", Roff(command.name),
                        Roff(command.summary), Roff(command.name));
  text += kExitCodes;
  text +=
      ".SH ENVIRONMENT\n.TP\n\\fBNO_COLOR\\fR\nIf it is not empty, output has no "
      "colours.\n.TP\n\\fBXDG_CACHE_HOME\\fR\n"
      "Test pictures are kept in its folder \\fIfast\\-kettle\\fR; otherwise in \\fI~/.cache/fast\\-kettle\\fR.\n"
      ".SH FILES\n.TP\n\\fIkettle\\-out/\\fR\nWhere results go unless \\fB\\-\\-out\\fR says otherwise.\n"
      ".SH \"SEE ALSO\"\n";
  for (const Command& command : Commands())
    text += fmt::format("{}\\fBfast\\-kettle\\-{}\\fR(1)", &command == &Commands().front() ? "" : ",\n",
                        Roff(command.name));
  return text + "\n";
}

std::string CommandPage(const Command& command) {
  return Heading("fast-kettle-" + command.name, command.summary) + ".SH SYNOPSIS\n\\fBfast\\-kettle " +
         Roff(command.name) + "\\fR " + Roff(command.synopsis) + "\n.SH DESCRIPTION\n" +
         (command.verbs.empty() ? Roff(command.detail) + "\n" : Verbatim(command.detail)) + OptionGroups(command) +
         kExitCodes + ".SH EXAMPLES\n" + Verbatim("  " + command.example) +
         ".SH \"SEE ALSO\"\n\\fBfast\\-kettle\\fR(1)\n";
}

}  // namespace kettle::app
