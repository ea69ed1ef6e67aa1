// Names that would run as code where text is pasted into a script: they are drawn and written as they stand.

#include <gmock/gmock.h>
#include <sys/stat.h>

#include <chrono>
#include <cmath>

#include "inchtide/base/errors.hpp"
#include "inchtide/exchange/csv.hpp"
#include "inchtide/report/chart.hpp"
#include "inchtide/report/table.hpp"
#include "support/messages.hpp"
#include "support/process.hpp"

namespace inchtide::report {
namespace {

using test::Folder;
using test::message_of;
using testing::HasSubstr;

// Every way we know to get a command run, each naming the file that it would leave.
std::vector<std::string> hostile(const std::string& trace) {
  const auto touch = "touch " + trace;
  return {"`" + touch + "`",
          "$(" + touch + ")",
          "x'; system '" + touch + "'; y='",
          "x\"; system \"" + touch + "\"; y=\"",
          "a\nsystem '" + touch + "'",
          "a\n!" + touch,
          "EOD\nsystem '" + touch + "'\n$x << EOD",
          "'.system('" + touch + "').'",
          "\".system(\"" + touch + "\").\"",
          "'`" + touch + "`'",
          "\\`" + touch + "\\`",
          "back\\",
          "@trace ; " + touch,
          "% s %s %n %",
          "{/Bold x}",
          "a\0b",
          "\xFF\xFE not UTF-8",
          "\x1B]0;title\x07"};
}

// A chart of each shape that is drawn, with a text in every place.
std::vector<Chart> charts_saying(const std::string& text) {
  const std::vector<Day> days{*parse_day("2024-02-29"), *parse_day("2024-03-01")};
  Chart plain;
  plain.title = plain.subtitle = text;
  plain.x = {text, Scale::percent};
  plain.y = {text, Scale::number};
  const std::vector<double> x{0, 0.1, 0.2};
  plain.series = {Line{text, x, {0, 0.05, 0.07}}, Points{text, {0.1, 0.2}, {0.02, 0.03}, {text, text}},
                  Band{text, x, {0, 0.01, 0.02}, {0.01, 0.06, 0.08}}};
  Chart boxes = plain;
  boxes.series = {Boxes{text, {0, 1}, {1, 2}}};
  boxes.x = {text, Scale::number, {text, text}};
  Chart stacked = plain;
  stacked.series = {Line{text, days, {1, 2}}, PriceBars{text, days, {1, 2}, {3, 3}, {1, 1}, {2, 2}}};
  stacked.x = {text, Scale::day};
  stacked.below = {{{text, Scale::number}, {Line{text, days, {1, 2}}, Columns{text, days, {1, 2}}}}};
  Chart heat;
  heat.title = heat.subtitle = text;
  heat.heat = HeatMap{{text, text}, {1, 0.5, 0.5, 1}};
  return {plain, boxes, stacked, heat};
}

TEST(HostileNames, RunNothingInAnyFigureOrFormat) {
  const Folder folder;
  const Folder target;
  const auto trace = (folder / "trace").string();
  for (const auto& text : hostile(trace)) {
    for (const auto& chart : charts_saying(text)) {
      for (const char* ending : {"png", "svg", "pdf"}) {
        ASSERT_NO_THROW(draw(chart, target / (std::string("figure.") + ending))) << text;
      }
    }
    ASSERT_FALSE(std::filesystem::exists(trace)) << text;
  }
  EXPECT_TRUE(folder.is_empty());
}

TEST(HostileNames, OfFilesAreFilesOfThoseNames) {
  const Folder folder;
  for (const auto& text : hostile("trace")) {
    if (text.find('/') != std::string::npos) continue;
    const auto path = folder / (text + ".svg");
    draw(charts_saying("x").front(), path);
    EXPECT_THAT(test::text_of(path), HasSubstr("</svg>")) << text;
  }
  EXPECT_FALSE(std::filesystem::exists(folder / "trace"));
  EXPECT_FALSE(std::filesystem::exists("trace"));
}

TEST(HostileNames, StandInTheFigureAsTheyAre) {
  const Folder folder;
  draw(charts_saying("50% `x` it's \"y\" \\n {z}").front(), folder / "a.svg");
  const auto svg = test::text_of(folder / "a.svg");
  EXPECT_THAT(svg, HasSubstr("50% `x` it's"));
  EXPECT_THAT(svg, HasSubstr("\\n {z}"));
}

TEST(HostileNames, AUsersOwnGnuplotSettingsAreNotRead) {
  const Folder home;
  home.write(".gnuplot", "system 'touch " + (home / "trace").string() + "'\n");
  const std::string before = std::getenv("HOME") == nullptr ? "" : std::getenv("HOME");
  setenv("HOME", home.path().c_str(), 1);
  draw(charts_saying("x").front(), home / "a.png");
  setenv("HOME", before.c_str(), 1);
  EXPECT_FALSE(std::filesystem::exists(home / "trace"));
}

// Another program under gnuplot's name.
std::string complaint_with(const std::string& program, std::chrono::milliseconds patience = std::chrono::seconds(60)) {
  const Folder folder, target;
  const auto path = folder.write("gnuplot", "#!/bin/sh\n" + program + "\n");
  ::chmod(path.c_str(), 0755);
  const std::string before = std::getenv("PATH");
  setenv("PATH", (folder.path().string() + ":" + before).c_str(), 1);
  const auto message = message_of([&] { draw(charts_saying("x").front(), target / "a.png", patience); });
  setenv("PATH", before.c_str(), 1);
  EXPECT_TRUE(target.is_empty());
  return message;
}

TEST(Draw, HalfAPictureIsAFailure) {
  EXPECT_THAT(complaint_with("printf '\\211PNG half'"), HasSubstr("cut short"));
  EXPECT_THAT(complaint_with("exit 0"), HasSubstr("cut short"));
  EXPECT_THAT(complaint_with("echo no room left >&2; exit 3"), HasSubstr("no room left"));
  EXPECT_THAT(complaint_with("kill -9 $$"), HasSubstr("without a word"));
}

TEST(Draw, WhatHangsIsStopped) {
  const auto begin = std::chrono::steady_clock::now();
  EXPECT_THAT(complaint_with("exec sleep 100", std::chrono::milliseconds(200)), HasSubstr("stopped after 0.2 s"));
  EXPECT_LT(std::chrono::steady_clock::now() - begin, std::chrono::seconds(50));
}

TEST(Csv, NoCellIsAFormulaAndAllAreReadBack) {
  const Folder folder;
  const std::vector<std::string> names = {"=cmd|' /C calc'!A0", "+1", "-1+2", "@SUM(A1)", "\t=1", "'=1",       "''=1",
                                          "'quoted'",           "-",  "=",    "plain",    "it's", "a,\"b\"\nc"};
  Table table{"names", "", {{"Code"}, {"n", Format::number2}}, {}, {}};
  for (const auto& name : names) table.add({name, -1.5});
  const auto path = folder.write("names.csv", to_csv(table));
  for (const auto& start : {"\n=c", "\n+", "\n-1+", "\n@", "\n\t", "\n\"="}) {
    EXPECT_THAT(to_csv(table), testing::Not(HasSubstr(start)));
  }
  std::vector<std::string> back, figures;
  exchange::read_csv(
      path, [](exchange::CsvRow) {},
      [&](std::size_t, exchange::CsvRow row) {
        back.emplace_back(row[0]);
        figures.emplace_back(row[1]);
      });
  EXPECT_EQ(back, names);
  EXPECT_THAT(figures, testing::Each("-1.5")) << "figures are no text";
}

TEST(Workbook, RefusesWhatASheetWouldLose) {
  const Folder folder;
  Table wide{"wide", "", {}, {}, {}};
  for (int k = 0; k < 16385; ++k) wide.columns.push_back({"c"});
  EXPECT_THAT(message_of([&] { write_workbook({wide}, folder / "a.xlsx"); }),
              testing::AllOf(HasSubstr("16385 columns, a sheet holds 16384"), HasSubstr("Write it as CSV")));
  Table longest{"long", "", {{"Code"}}, {}, {}};
  longest.add({std::string(32768, 'x')});
  EXPECT_THROW(write_workbook({longest}, folder / "a.xlsx"), InputError);
  Table tall{"tall", "", {{"n", Format::count}}, {}, {}};
  tall.rows.assign(1048576, {1.0});
  EXPECT_THROW(write_workbook({tall}, folder / "a.xlsx"), InputError);
  EXPECT_TRUE(folder.is_empty());
}

}  // namespace
}  // namespace inchtide::report
