// Figures that people read: charts that lie flat, lines that end in their names, whiskers. Read back from SVG.

#include <gmock/gmock.h>

#include <cmath>
#include <regex>

#include "inchtide/report/chart.hpp"
#include "inchtide/report/estimate.hpp"
#include "support/messages.hpp"
#include "support/process.hpp"

namespace inchtide::report::figures {
namespace {

struct Word {
  double x, y;
  std::string text;
};

/// The texts of a picture, with where they stand.
std::vector<Word> words_of(const Chart& chart) {
  const test::Folder folder;
  const auto path = folder / "f.svg";
  draw(chart, path);
  const auto svg = test::text_of(path);
  const std::regex placed(R"(<g transform="translate\(([-0-9.]+),([-0-9.]+)\)[^"]*"[^>]*>\s*<text>([^<]*)<)");
  std::vector<Word> words;
  for (auto at = std::sregex_iterator(svg.begin(), svg.end(), placed); at != std::sregex_iterator(); ++at) {
    words.push_back({std::stod((*at)[1]), std::stod((*at)[2]), (*at)[3]});
  }
  return words;
}

std::vector<Word> found(const std::vector<Word>& words, const std::string& text) {
  std::vector<Word> some;
  std::ranges::copy_if(words, std::back_inserter(some), [&](const Word& word) { return word.text == text; });
  return some;
}

TEST(Figures, LinesEndInTheirNamesAndNoTwoLieOnEachOther) {
  Chart chart{.name = "growth", .title = "Growth"};
  chart.x = {"Day", Scale::number};
  chart.y = {"Growth", Scale::percent};
  chart.key = Chart::Key::ends;
  const std::vector<double> ends = {0.100, 0.101, 0.5, 0.099, -0.2, -0.2};
  for (std::size_t k = 0; k < ends.size(); ++k) {
    chart.series.emplace_back(Line{"REED" + std::to_string(k), std::vector<double>{0, 1}, {0, ends[k]}});
  }
  const auto words = words_of(chart);
  std::vector<Word> names;
  for (std::size_t k = 0; k < ends.size(); ++k) {
    const auto of_one = found(words, "REED" + std::to_string(k));
    ASSERT_EQ(of_one.size(), 1u) << "there is no key besides";
    names.push_back(of_one[0]);
    EXPECT_GT(names[k].x, 1280 * 0.8) << "beside the end of its line";
  }
  for (std::size_t k = 0; k < names.size(); ++k) {
    for (std::size_t other = 0; other < k; ++other) EXPECT_GE(std::abs(names[k].y - names[other].y), 11) << k << other;
  }
  EXPECT_LT(names[2].y, names[1].y);  // up is less
  EXPECT_LT(names[1].y, names[0].y);
  EXPECT_LT(names[0].y, names[3].y);
}

TEST(Figures, LongNamesLieFlatAndTheFirstIsOnTop) {
  Chart chart{.name = "bars", .title = "Bars"};
  chart.y = {"Per year", Scale::percent};
  chart.y_from_zero = true;
  chart.x.categories = {"never", "quarterly with bands", "monthly"};
  chart.series = {Boxes{.name = "cost", .x = {0, 1, 2}, .y = {0.1, -0.2, 0.3}, .width = 0.7}};
  EXPECT_FALSE(chart.flat);
  const auto flat = flat_if_long(chart);
  ASSERT_TRUE(flat.flat);
  const auto words = words_of(flat);
  const auto never = found(words, "never"), bands = found(words, "quarterly with bands"),
             monthly = found(words, "monthly");
  ASSERT_EQ(never.size(), 1u);
  ASSERT_EQ(bands.size(), 1u);
  ASSERT_EQ(monthly.size(), 1u);
  EXPECT_LT(never[0].y, bands[0].y);
  EXPECT_LT(bands[0].y, monthly[0].y);
  EXPECT_FALSE(found(words, "30%").empty()) << "figures lie across";
  chart.x.categories[1] = "yearly";
  EXPECT_FALSE(flat_if_long(chart).flat);
}

TEST(Figures, ExpectedReturnsAreDotsOnALineAnAsset) {
  Estimation estimation;
  auto& estimate = estimation.estimated.estimate;
  estimate.assets = {"TIDEMILL", "KELPFARM", "HOLLBOND"};
  estimate.expected_return = Eigen::Vector3d(0.08, 0.05, 0.02);
  estimate.covariance = Covariance::dense(Eigen::Vector3d(0.04, 0.03, 0.01).asDiagonal());
  estimation.estimated.standard_errors = estimation.estimated.sample_means = estimate.expected_return;
  estimation.estimated.own = {"KELPFARM"};
  estimation.expected = {{"geometric", Eigen::Vector3d(0.07, 0.04, 0.02)}};
  const auto chapter = estimate_chapter(estimation, {}, {}, {});
  ASSERT_EQ(chapter.charts.size(), 1u);
  const auto& chart = chapter.charts[0];
  EXPECT_EQ(chart.name, "expected");
  EXPECT_TRUE(chart.flat);
  EXPECT_EQ(chart.x.categories, estimate.assets);
  std::vector<std::string> names;
  for (const auto& series : chart.series) names.push_back(name_of(series));
  EXPECT_THAT(names, testing::ElementsAre("geometric", "the study's", "own figure"));
  const auto& own = std::get<Points>(chart.series.back());
  EXPECT_EQ(own.x, std::vector<double>{1});
  EXPECT_EQ(own.y, std::vector<double>{0.05});
  const auto words = words_of(chart);
  EXPECT_LT(found(words, "TIDEMILL").at(0).y, found(words, "HOLLBOND").at(0).y);
}

/// A chart of each shape that leaves settings behind in what draws it.
std::vector<Chart> one_of_each_shape() {
  const std::vector<Day> days{*parse_day("2024-02-29"), *parse_day("2024-03-01"), *parse_day("2024-03-04")};
  Chart plain{.name = "plain", .title = "Plain"};
  plain.x = {"Risk", Scale::percent};
  plain.y = {"Return", Scale::percent};
  plain.series = {Points{"points", {0.1, 0.2}, {0.02, 0.03}, {"KELPFARM", "TIDEMILL"}}};
  Chart ends{.name = "ends", .title = "Ends"};
  ends.x = {"Day", Scale::day};
  ends.key = Chart::Key::ends;
  ends.series = {Line{"one", days, {1, 2, 3}}, Line{"other", days, {3, 2, 1}}};
  Chart stacked = ends;
  stacked.key = Chart::Key::top_left;
  stacked.below = {{{"Below", Scale::number}, {Columns{"columns", days, {5, 6, 7}}}}};
  Chart boxes{.name = "boxes", .title = "Boxes"};
  boxes.x.categories = {"never", "monthly"};
  boxes.y_from_zero = true;
  boxes.key = Chart::Key::below;
  boxes.series = {Boxes{.name = "cost", .x = {0, 1}, .y = {0.1, -0.2}, .width = 0.7, .hatched = true}};
  Chart flat = boxes;
  flat.flat = true;
  flat.theme = Theme::dark;
  Chart strip{
      .name = "days", .title = "Days", .x = {"", Scale::number, {"A", "B"}}, .y = {"", Scale::day}, .flat = true};
  strip.series = {Whiskers{"prices", {0, 1}, {17'000, 18'000}, {19'000, 19'000}}};
  Chart heat{.name = "heat", .title = "Heat"};
  heat.heat = HeatMap{{"A", "B"}, {1, -0.6, -0.6, 1}};
  Chart tight = plain;
  tight.tight = tight.x_from_zero = true;
  return {plain, ends, stacked, boxes, flat, strip, heat, tight};
}

TEST(Figures, DrawnByOneProcessLookAsDrawnAlone) {
  const auto charts = one_of_each_shape();
  const test::Folder folder;
  std::vector<std::string> alone;
  for (const auto& chart : charts) {
    draw(chart, folder / "alone.png");
    alone.push_back(test::text_of(folder / "alone.png"));
  }
  std::vector<std::size_t> which{charts.size() - 1};  // each after each other one
  for (std::size_t i = 0; i < charts.size(); ++i) {
    for (std::size_t j = i + 1; j < charts.size(); ++j) which.insert(which.end(), {i, j});
  }
  std::vector<ChartFile> all;
  for (std::size_t k = 0; k < which.size(); ++k) {
    all.push_back({charts[which[k]], folder / ("together" + std::to_string(k) + ".png")});
  }
  for (const auto& failure : draw_all(all)) ASSERT_FALSE(failure);
  for (std::size_t k = 0; k < which.size(); ++k) {
    const auto before = k == 0 ? std::string("nothing") : charts[which[k - 1]].name;
    EXPECT_TRUE(test::text_of(all[k].path) == alone[which[k]]) << charts[which[k]].name << " after " << before;
  }
}

TEST(Figures, OneThatCannotBeDrawnCostsNoOther) {
  auto charts = one_of_each_shape();
  std::get<Points>(charts[0].series[0]).y = {NAN, NAN};
  const test::Folder folder;
  const auto failures = draw_all({{charts[1], folder / "a.png"},
                                  {charts[0], folder / "b.png"},
                                  {charts[2], folder / "c.gif"},
                                  {charts[3], folder / "d.png"}});
  ASSERT_EQ(failures.size(), 4u);
  EXPECT_FALSE(failures[0]);
  EXPECT_FALSE(failures[3]);
  const auto words = [&](std::size_t k) { return test::message_of([&] { std::rethrow_exception(failures[k]); }); };
  ASSERT_TRUE(failures[1] && failures[2]);
  EXPECT_THAT(words(1), testing::HasSubstr("the series 'points' has no points"));
  EXPECT_THAT(words(2), testing::HasSubstr(".gif"));
  EXPECT_THAT(test::text_of(folder / "a.png"), testing::StartsWith("\x89PNG"));
  EXPECT_THAT(test::text_of(folder / "d.png"), testing::StartsWith("\x89PNG"));
  EXPECT_EQ(std::distance(std::filesystem::directory_iterator(folder.path()), {}), 2);
}

TEST(Figures, AStripOfDaysHasAnAxisOfDaysAndGrowsWithItsAssets) {
  const auto days = [](const char* text) { return double(parse_day(text)->time_since_epoch().count()); };
  Chart chart{.name = "days", .title = "Days", .y = {"", Scale::day}, .flat = true};
  Whiskers spans{.name = "prices"};
  for (int k = 0; k < 60; ++k) {
    chart.x.categories.push_back("REED" + std::to_string(k));
    spans.x.push_back(k);
    spans.low.push_back(days("2019-07-01"));
    spans.high.push_back(days("2024-06-30"));
  }
  chart.series = {spans, Points{"holes", {3}, {days("2022-01-03")}}};
  const auto words = words_of(chart);
  EXPECT_EQ(found(words, "2022-01").size(), 1u) << "the axis counts days";
  EXPECT_TRUE(found(words, "2018-01").empty());
  for (int k = 1; k < 60; ++k) {
    const auto above = found(words, "REED" + std::to_string(k - 1)), here = found(words, "REED" + std::to_string(k));
    ASSERT_EQ(here.size(), 1u) << k;
    EXPECT_GE(here[0].y - above.at(0).y, 12) << "names do not lie on each other";
  }
}

}  // namespace
}  // namespace inchtide::report::figures
