// SPDX-License-Identifier: Apache-2.0
#include "page/report_page.h"

#include <openssl/evp.h>

#include <nlohmann/json.hpp>
#include <regex>
#include <set>

#include "kettle/store/output_folder.h"
#include "page/page.h"
#include "support.h"

namespace kettle {
namespace {

using testing::HasSubstr;
using testing::Not;

const char* const kSvg =
    "<?xml version=\"1.0\"?>\n<svg viewBox=\"0 0 1200 720\" xmlns=\"http://www.w3.org/2000/svg\">"
    "<title>Gnuplot</title><g id=\"gnuplot_canvas\"><defs><circle id='gpDot' r='1'/></defs>"
    "<use xlink:href='#gpDot'/></g></svg>";

Page MadeUp() {
  Page page;
  page.title = "Saltmarsh <Regatta> & \"friends\"";
  page.answer = "HOLDS: stream and recording keep pace.";
  page.version = "9.9";
  PageSection section{"settings", "The settings", ""};
  section.tables.push_back(
      {"", {{"Setting"}, {"Stream", true}}, {{{"preset", "veryfast"}, true}, {{"size", "1280x720"}}}, "A note.", true});
  section.figures = {{"trade", kSvg, "One \"title\"", "below it"}, {"line", kSvg, "Another", ""}};
  page.sections = {section, {"empty", "Nothing here", "intro"}};
  return page;
}

std::vector<std::string> All(const std::string& html, const std::string& pattern) {
  std::vector<std::string> found;
  const std::regex regex(pattern);
  for (std::sregex_iterator it(html.begin(), html.end(), regex), end; it != end; ++it) found.push_back((*it)[1]);
  return found;
}

TEST(Html, WhatUsersWroteIsTextAndNoMarkup) {
  const std::string html = Html(MadeUp());
  EXPECT_THAT(html, HasSubstr("<h1>Saltmarsh &lt;Regatta&gt; &amp; &quot;friends&quot;</h1>"));
  EXPECT_THAT(html, Not(HasSubstr("<Regatta>")));
}

TEST(Html, EveryIdIsThereOnce) {
  const std::vector<std::string> ids = All(Html(MadeUp()), "\\sid=[\"']([^\"']+)[\"']");
  EXPECT_GE(ids.size(), 1u);
  EXPECT_EQ(std::set<std::string>(ids.begin(), ids.end()).size(), ids.size());
  for (const std::string& target : All(Html(MadeUp()), "href=[\"']#([^\"']+)[\"']"))
    EXPECT_THAT(ids, testing::Contains(target));
}

TEST(Html, NeedsNothingFromANetwork) {
  for (const std::string& address : All(Html(MadeUp()), "(https?://[^\"' ]+)"))
    EXPECT_THAT(address, HasSubstr("www.w3.org"));  // a namespace's name, which nobody fetches
  EXPECT_THAT(All(Html(MadeUp()), "(<link|<script src|@import)"), testing::IsEmpty());
}

TEST(Html, FiguresHaveTheirWordsForWhoDoesNotSeeThem) {
  const std::string html = Html(MadeUp());
  EXPECT_THAT(html, HasSubstr("alt=\"One &quot;title&quot;. below it\""));
  EXPECT_THAT(html, HasSubstr("alt=\"Another\""));
}

// A stranger's folder may hold an SVG with a script in it.
TEST(Html, AFigureIsAnImageThatRunsNothing) {
  Page page = MadeUp();
  page.sections[0].figures = {{"line", "<svg onload=\"alert(1)\"><script>alert(2)</script></svg>", "A line", ""}};
  const std::string html = Html(page);
  EXPECT_THAT(html, Not(HasSubstr("alert")));
  EXPECT_THAT(html, Not(HasSubstr("<svg")));
  EXPECT_THAT(html, HasSubstr("<img src=\"data:image/svg+xml;base64,"));
}

TEST(Html, ABrowserMayRunItsOneScriptOnly) {
  const std::string html = Html(MadeUp());
  const auto from = html.find("<script>") + 8, to = html.find("</script>");
  ASSERT_NE(to, html.npos);
  std::string digest(32, 0), text(45, 0);
  const std::string script = html.substr(from, to - from);
  EVP_Digest(script.data(), script.size(), reinterpret_cast<unsigned char*>(digest.data()), nullptr, EVP_sha256(),
             nullptr);
  EVP_EncodeBlock(reinterpret_cast<unsigned char*>(text.data()), reinterpret_cast<unsigned char*>(digest.data()), 32);
  text.pop_back();
  EXPECT_THAT(html, HasSubstr("default-src 'none'; img-src data:; style-src 'unsafe-inline'; script-src 'sha256-" +
                              text + "'"));
  EXPECT_EQ(All(html, "(<script)").size(), 1u);
}

TEST(Html, ASectionWithNothingInItIsLeftOut) { EXPECT_THAT(Html(MadeUp()), Not(HasSubstr("Nothing here"))); }

TEST(Html, TablesTellTheirColumnsAndRows) {
  const std::string html = Html(MadeUp());
  EXPECT_THAT(html, HasSubstr("<table data-sortable>"));
  EXPECT_THAT(html, HasSubstr("<th scope=\"col\" class=\"number\">Stream</th>"));
  EXPECT_THAT(html,
              HasSubstr("<tr class=\"taken\"><th scope=\"row\">preset</th><td class=\"number\">veryfast</td></tr>"));
  EXPECT_THAT(html, HasSubstr("A note."));
}

TEST(Html, AStripIsCutFromOnePicture) {
  Page page = MadeUp();
  StripLayout layout{"The worst second",
                     "at 3350 kbit/s",
                     {{"source", "1280x720"}, {"chosen", "x264"}},
                     843,
                     870,
                     {{0, 0, 24, 112, 398, 224, "frame 42"}, {1, 0, 437, 112, 398, 224, "PSNR 31.7 dB"}}};
  page.sections[0].strip = PageStrip{layout, std::string(300, '\x7f')};
  const std::string html = Html(page);
  EXPECT_EQ(All(html, "(data:image/png;base64,)").size(), 1u);
  EXPECT_THAT(html, HasSubstr("aria-label=\"chosen, PSNR 31.7 dB\""));
  EXPECT_THAT(html, HasSubstr("aspect-ratio: 398 / 224"));
}

class ReportPageTest : public test::FolderTest {};

TEST_F(ReportPageTest, AFolderWithoutResultsHasNothingToReport) {
  EXPECT_THAT(test::Complaint(Fault::kInput, [&] { ReportPage({path("")}, "9.9"); }), HasSubstr("nothing to report"));
}

TEST_F(ReportPageTest, WhatIsNotWholeIsSaid) {
  WriteResult(path(""), "plan", {{"title", "half"}}, MakeProvenance("9.9", "0123456789abcdef"));
  EXPECT_THAT(test::Complaint(Fault::kInput, [&] { ReportPage({path("")}, "9.9"); }), HasSubstr("incomplete"));
}

TEST_F(ReportPageTest, OfSeveralFoldersTheFirstThatHasItCounts) {
  std::filesystem::create_directories(path("a"));
  std::filesystem::create_directories(path("b"));
  const Provenance provenance = MakeProvenance("9.9", "0123456789abcdef");
  WriteResult(path("a"), "uplink", {{"carried_kbps", 9900}}, provenance);
  WriteResult(path("b"), "uplink", {{"carried_kbps", 1234}}, provenance);
  WriteResult(path("b"), "figures", {{"figures", {{"line", {{"title", "Your uplink carries 9.9 Mbit/s"}}}}}},
              provenance);
  Put("b/line.svg", kSvg);
  const std::string html = ReportPage({path("a"), path("b")}, "9.9");
  EXPECT_THAT(html, HasSubstr("9900"));
  EXPECT_THAT(html, Not(HasSubstr("1234")));
  EXPECT_THAT(html, HasSubstr("Your uplink carries 9.9 Mbit/s"));
}

}  // namespace
}  // namespace kettle
