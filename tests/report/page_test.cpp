// The page as a file: what it holds, and that nothing of a name becomes markup.

#include "inchtide/report/page.hpp"

#include <gmock/gmock.h>

#include <regex>

#include "inchtide/base/errors.hpp"
#include "support/messages.hpp"

namespace inchtide::report {
namespace {

using test::message_of;
using testing::HasSubstr;
using testing::Not;

std::vector<Chapter> small_study(const std::string& name) {
  Chapter estimate{.command = "estimate", .sentence = name}, frontier{.command = "frontier"};
  estimate.result = {{"assets", {name}},  {"expected_return", {0.05}}, {"covariance", {{0.04}}},
                     {"risk_free", 0.02}, {"from", "2024-01-02"},      {"to", "2024-12-31"}};
  frontier.result = {{"corners", {{{"expected_return", 0.05}, {"volatility", 0.2}, {"weights", {{name, 1.0}}}}}}};
  return {estimate, frontier};
}

std::string page_named(const std::string& name) {
  const auto chapters = small_study(name);
  return page_of({.title = name, .chapters = chapters});
}

TEST(Page, StandsAloneUnderItsOwnPolicy) {
  if (!has_page()) GTEST_SKIP() << "built without npm";
  const auto page = page_named("TIDEMILL");
  EXPECT_THAT(page, HasSubstr("default-src 'none'; script-src 'sha256-"));
  EXPECT_THAT(page, HasSubstr("<title>TIDEMILL</title>"));
  EXPECT_LT(page.size(), 820'000u) << "script and style";
  EXPECT_FALSE(std::regex_search(page, std::regex("<(script|link|img|iframe)[^>]*(src|href)=")));
  EXPECT_THAT(std::string(page_notices()), HasSubstr("Apache License"));
}

TEST(Page, NoNameBecomesMarkup) {
  if (!has_page()) GTEST_SKIP() << "built without npm";
  const std::string plain = page_named("A");
  for (const std::string name : {"</title><script>alert(1)</script>", "</script><b>", "\"><img src=x onerror=alert(1)>",
                                 "&lt;&amp;", "<!--", "]]>"}) {
    const auto page = page_named(name);
    const auto count = [](const std::string& text, const std::string& of) {
      std::size_t times = 0;
      for (auto at = text.find(of); at != std::string::npos; at = text.find(of, at + 1)) ++times;
      return times;
    };
    for (const char* tag : {"<script", "</script", "<img", "<b>", "<!--", "</title", "onerror="}) {
      EXPECT_EQ(count(page, tag) - (std::string(tag) == "onerror=" && name.find(tag) != std::string::npos ? 1 : 0),
                count(plain, tag))
          << name << " " << tag;
    }
  }
}

/// Lines over the same days, each as far above the one before as the day is along.
Chapter lines_over_days(std::size_t lines, std::size_t days) {
  Chart chart{.name = "lines", .title = "Lines", .subtitle = "of days"};
  chart.x = {"", Scale::day};
  std::vector<Day> x;
  for (std::size_t k = 0; k < days; ++k) x.push_back(Day{} + std::chrono::days{k});
  for (std::size_t line = 0; line < lines; ++line) {
    std::vector<double> y;
    for (std::size_t k = 0; k < days; ++k) y.push_back(double(line * k));
    chart.series.emplace_back(Line{"line", x, std::move(y)});
  }
  Chapter chapter{.command = "describe"};
  chapter.charts = {std::move(chart)};
  return chapter;
}

TEST(PageChart, WhatSeriesShareIsThereOnce) {
  auto chapter = lines_over_days(3, 4);
  std::get<Line>(chapter.charts[0].series[1]).x = std::vector<Day>(4, Day{});
  const auto chart = view_of(chapter)["charts"][0];
  EXPECT_EQ(chart["series"][0]["x"], Json({0, 1, 2, 3}));
  EXPECT_EQ(chart["series"][1]["x"], Json({0, 0, 0, 0}));
  EXPECT_EQ(chart["series"][2]["x"], 0) << "the number of the first that is along the same days";
  EXPECT_EQ(chart["series"][2]["y"], Json({0.0, 2.0, 4.0, 6.0}));
  EXPECT_EQ(chart["subtitle"], "of days");
}

TEST(PageChart, HundredsOfLinesAreDrawnOneDayInSeveralAndItIsSaid) {
  const auto chart = view_of(lines_over_days(400, 2000))["charts"][0];  // 800,000 figures
  EXPECT_EQ(chart["subtitle"], "of days; one day in 3 is drawn");
  const auto& days = chart["series"][0]["x"];
  ASSERT_EQ(days.size(), 668u);  // 0, 3, ..., 1998, and the last
  EXPECT_EQ(days[1], 3);
  EXPECT_EQ(days[666], 1998);
  EXPECT_EQ(days[667], 1999);
  EXPECT_EQ(chart["series"][2]["y"][1], 6.0);
  EXPECT_EQ(chart["series"][2]["y"][667], 3998.0);
}

TEST(Page, AsksForTheChaptersThatItComputesFrom) {
  if (!has_page()) {
    EXPECT_THAT(message_of([] { (void)page_named("A"); }), HasSubstr("Node.js and npm"));
    return;
  }
  auto chapters = small_study("A");
  chapters.pop_back();
  EXPECT_THAT(message_of([&] { (void)page_of({.title = "A", .chapters = chapters}); }),
              HasSubstr("no chapter 'frontier'"));
}

}  // namespace
}  // namespace inchtide::report
