#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <nlohmann/json.hpp>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/version.hpp"
#include "inchtide/report/chart.hpp"
#include "inchtide/report/estimate.hpp"
#include "inchtide/report/frontier.hpp"
#include "inchtide/report/prices.hpp"
#include "inchtide/report/table.hpp"
#include "inchtide/report/weights.hpp"
#include "support/process.hpp"
#include "support/walks.hpp"

namespace inchtide::report {
namespace {

using testing::HasSubstr;
using testing::Not;
using testing::StartsWith;

Table sample() {
  Table table{"sample",
              "A sample",
              {{"Asset"},
               {"Return", Format::percent},
               {"Sharpe", Format::number3},
               {"Wealth", Format::money, "HLC"},
               {"Day", Format::day}},
              {},
              {"a note"}};
  table.add({std::string("KELPFARM"), 0.123456789, 1.5, 1234567.8, *parse_day("2024-02-29")});
  table.add({std::string("a, \"b\""), -1e-9, std::monostate{}, -950.0, *parse_day("2024-03-01")});
  return table;
}

TEST(Table, AsTextHasAlignedColumnsAndNoScientificNotation) {
  EXPECT_EQ(to_text(sample()),
            "A sample\n"
            "                             Wealth\n"
            "Asset     Return  Sharpe      [HLC]  Day\n"
            "--------  ------  ------  ---------  ----------\n"
            "KELPFARM  12.35%   1.500  1,234,568  2024-02-29\n"
            "a, \"b\"     0.00%       -       -950  2024-03-01\n"
            "  a note\n");
}

TEST(Table, AsCsvKeepsRoundTripPrecision) {
  EXPECT_EQ(to_csv(sample()),
            "Asset,Return,Sharpe,Wealth [HLC],Day\n"
            "KELPFARM,0.123456789,1.5,1234567.8,2024-02-29\n"
            "\"a, \"\"b\"\"\",-1e-09,,-950,2024-03-01\n");
}

TEST(Table, AsJsonHasColumnsAndRows) {
  const auto json = to_json(sample());
  EXPECT_EQ(json["columns"][3]["unit"], "HLC");
  EXPECT_EQ(json["rows"][0][1].get<double>(), 0.123456789);
  EXPECT_TRUE(json["rows"][1][2].is_null());
  EXPECT_EQ(json["rows"][1][4], "2024-03-01");
}

TEST(Table, WidthsCountCharactersAndNotBytes) {
  Table table{"x", "", {{"Name"}, {"n", Format::count}}, {}, {}};
  table.add({std::string("Søren"), 1.0});
  EXPECT_THAT(to_text(table), HasSubstr("Søren  1\n"));
}

TEST(Table, ATextThatIsTooLongIsFolded) {
  Table table{"x", "", {{"Asset"}, {"Why"}, {"n", Format::count}}, {}, {"a note that goes on and on, and on"}};
  table.add({std::string("KELPFARM"), std::string("prices are missing on three days in a row"), 3.0});
  EXPECT_EQ(to_text(table, {}, {.width = 44}),
            "Asset     Why                          n\n"
            "--------  ---------------------------  -\n"
            "KELPFARM  prices are missing on three  3\n"
            "          days in a row\n"
            "  a note that goes on and on, and on\n");
  EXPECT_THAT(to_text(table, {}, {.width = 30}), HasSubstr("  a note that goes on and\n    on, and on\n"));
}

TEST(Table, ColumnsWithoutRoomGoOnBelowBehindWhatARowIsKnownBy) {
  Table table{"x",
              "Title",
              {{"A"}, {"B"}, {"first", Format::number2}, {"second", Format::number2}, {"third", Format::number2}},
              {},
              {}};
  table.add({std::string("a"), std::string("b"), 1.0, 2.0, 3.0});
  EXPECT_EQ(to_text(table, {}, {.width = 20}),
            "Title\n"
            "A  B  first  second\n"
            "-  -  -----  ------\n"
            "a  b   1.00    2.00\n"
            "\n"
            "A  B  third\n"
            "-  -  -----\n"
            "a  b   3.00\n");
}

TEST(Table, LongNamesOfRowsLeaveRoomForFigures) {
  Table table{"x", "", {{"Run"}, {"first", Format::number2}, {"second", Format::number2}}, {}, {}};
  table.add({std::string("maximum-sharpe, quarterly with bands, twice the costs"), 1.0, 2.0});
  EXPECT_EQ(to_text(table, {}, {.width = 60}),  // 45 are left to the name
            "Run                                          first  second\n"
            "-------------------------------------------  -----  ------\n"
            "maximum-sharpe, quarterly with bands, twice   1.00    2.00\n"
            "the costs\n");
  EXPECT_EQ(to_text(table, {}, {.width = 42}),  // it keeps 28
            "Run                          first  second\n"
            "---------------------------  -----  ------\n"
            "maximum-sharpe, quarterly     1.00    2.00\n"
            "with bands, twice the costs\n");
}

TEST(Table, WhatAllNamesShareIsSaidOnceWhereThereIsNoRoom) {
  Table table{"x", "", {{"Run"}, {"first", Format::number2}}, {}, {"a note"}};
  table.add({std::string("equal, 1m, 1 x costs, window all"), 1.0});
  table.add({std::string("equal, never, 1 x costs, window 2y"), 2.0});
  table.add({std::string("equal, never, 1 x costs, window 4y"), 3.0});
  EXPECT_EQ(to_text(table, {}, {.width = 34}),
            "Run               first\n"
            "----------------  -----\n"
            "1m, window all     1.00\n"
            "never, window 2y   2.00\n"
            "never, window 4y   3.00\n"
            "  In every row: equal, 1 x costs\n"
            "  a note\n");
  EXPECT_THAT(to_text(table, {}, {.width = 60}), HasSubstr("equal, 1m, 1 x costs, window all     1.00\n"));
  EXPECT_THAT(to_text(table, {}, {}), HasSubstr("equal, 1m, 1 x costs, window all     1.00\n")) << "as wide as it is";
  EXPECT_THAT(to_text(table, {}, {.width = 34, .rows = 2}),
              HasSubstr("In every row that is shown:\n    equal, 1 x costs\n"));
  // One row has all in common with itself; names of other shapes, or with nothing in common, stand whole.
  auto one = table;
  one.rows.resize(1);
  EXPECT_THAT(to_text(one, {}, {.width = 34}), Not(HasSubstr("In every row")));
  table.add({std::string("cautious"), 4.0});
  EXPECT_THAT(to_text(table, {}, {.width = 34}), Not(HasSubstr("In every row")));
}

TEST(Table, RowsThatAreCutAreCounted) {
  Table table{"x", "", {{"n", Format::count}}, {}, {}};
  for (int k = 0; k < 1500; ++k) table.add({double(k)});
  EXPECT_EQ(to_text(table, {}, {.rows = 2, .rest = "ask for them"}), "n\n-\n0\n1\n  1,498 more rows: ask for them\n");
}

// A cost of three hundredths is not 0; a column is to the unit or to the hundredth, never both.
TEST(Table, MoneyIsToTheHundredthWhereAllOfAColumnIsSmall) {
  Table table{"x", "", {{"Run"}, {"Cost", Format::money}, {"Value", Format::money}, {"Fee", Format::money}}, {}, {}};
  table.add({"first", 0.034, 27.5, 3.0});
  table.add({"second", 999.0, 12345.6, 0.0});
  EXPECT_EQ(format_of(table, 0), Format::text);
  const auto text = to_text(table);
  EXPECT_THAT(text, AllOf(HasSubstr("0.03"), HasSubstr("999.00"), HasSubstr("12,346"), Not(HasSubstr("27.5")),
                          Not(HasSubstr("3.00"))));
}

TEST(Table, RefusesRowsOfAnotherWidth) {
  auto table = sample();
  EXPECT_THROW(table.add({std::string("x")}), std::logic_error);
}

TEST(Shown, SmallAndMissingFigures) {
  EXPECT_EQ(shown(1e-12, Format::percent), "0.00%");
  EXPECT_EQ(shown(-0.0004, Format::number3), "0.000");
  EXPECT_EQ(shown(std::nan(""), Format::number2), "-");
  EXPECT_EQ(shown(1e15, Format::money), "1,000,000,000,000,000");
  EXPECT_EQ(shown(0.034, Format::money), "0.03");
  EXPECT_EQ(shown(-27.0, Format::money), "-27");
  EXPECT_EQ(shown(1234.56, Format::money), "1,235");
  EXPECT_EQ(shown(0.00042, Format::fine), "0.000420");
  EXPECT_EQ(shown(-0.0067, Format::fine), "-0.00670");
  EXPECT_EQ(shown(85.7391, Format::fine), "85.739");
  EXPECT_EQ(shown(0.0, Format::fine), "0.000");
  EXPECT_EQ(shown(-999.6, Format::count), "-1,000");
}

Chart small_chart() {
  Chart chart;
  chart.title = "It's a \"chart\"";
  chart.x = {"Volatility per year", Scale::percent};
  chart.y = {"Return per year", Scale::percent};
  chart.series = {Line{"line", std::vector<double>{0, 0.1, 0.2}, {0, 0.05, 0.07}},
                  Points{"points", {0.1}, {0.02}, {"KELPFARM"}}};
  return chart;
}

TEST(Draw, WritesPngSvgAndPdfByTheEnding) {
  const test::Folder folder;
  draw(small_chart(), folder / "a.png");
  draw(small_chart(), folder / "new/a.svg");
  draw(small_chart(), folder / "a.pdf");
  EXPECT_THAT(test::text_of(folder / "a.png"), StartsWith("\x89PNG"));
  EXPECT_THAT(test::text_of(folder / "new/a.svg"),
              testing::AllOf(HasSubstr("<svg"), HasSubstr("KELPFARM"), HasSubstr("It's a")));
  EXPECT_THAT(test::text_of(folder / "a.pdf"), StartsWith("%PDF"));
  EXPECT_EQ(std::distance(std::filesystem::directory_iterator(folder.path()), {}), 3) << "nothing else stays behind";
}

TEST(Draw, RefusesOtherEndingsAndEmptySeries) {
  const test::Folder folder;
  EXPECT_THROW(draw(small_chart(), folder / "a.gif"), InputError);
  auto chart = small_chart();
  std::get<Line>(chart.series[0]).x = std::vector<double>();
  EXPECT_THROW(draw(chart, folder / "a.png"), InputError);
  EXPECT_TRUE(folder.is_empty());
}

TEST(Draw, AMissingGnuplotIsAClearMessageAndLeavesNothing) {
  const test::Folder folder;
  const std::string path = std::getenv("PATH");
  setenv("PATH", folder.path().c_str(), 1);
  std::string message;
  try {
    draw(small_chart(), folder / "a.png");
  } catch (const OutsideFailure& error) {
    message = error.what();
  }
  setenv("PATH", path.c_str(), 1);
  EXPECT_THAT(message, HasSubstr("gnuplot is not installed"));
  EXPECT_THAT(message, HasSubstr("apt-get install gnuplot-nox"));
  EXPECT_TRUE(folder.is_empty());
}

Basis basis_with_rate(double risk_free) {
  Estimate estimate;
  estimate.assets = {"HOLLBOND", "HOLLBANK"};
  estimate.expected_return = Eigen::Vector2d(0.03, 0.08);
  estimate.covariance = Covariance::dense(Eigen::Vector2d(0.0025, 0.04).asDiagonal());
  Settings settings;
  settings.risk_free = risk_free;
  return basis_of(estimate, {}, settings);
}

Chapter frontier_with_rate(double risk_free, const TracingOptions& how = {}) {
  const auto basis = basis_with_rate(risk_free);
  return frontier_chapter(tracing_of(basis, how), basis, nullptr, {}, {.estimate = "two.json"});
}

TEST(Chapters, FrontierLeavesOutZeroWeightsAndMissingPortfolios) {
  const auto json = frontier_with_rate(0.01).result;
  EXPECT_EQ(json["corners"][0]["weights"].dump(), R"({"HOLLBANK":1.0})");
  EXPECT_EQ(json["corners"].back()["lambda"], 0);
  EXPECT_NEAR(json["minimum_variance"]["weights"]["HOLLBOND"].get<double>(), 0.04 / 0.0425, 1e-12);
  EXPECT_GT(json["maximum_sharpe"]["sharpe"].get<double>(), 0);
  EXPECT_TRUE(frontier_with_rate(0.09).result["maximum_sharpe"].is_null());
}

TEST(Chapters, HaveTheSameEnvelope) {
  const auto json = Json::parse(to_json(frontier_with_rate(0.09)));
  EXPECT_EQ(json["format"], 1);
  EXPECT_EQ(json["command"], "frontier");
  EXPECT_EQ(json["inputs"]["estimate"], "two.json");
  EXPECT_THAT(json["warnings"][0], HasSubstr("There is no maximum-Sharpe portfolio"));
  EXPECT_EQ(json["inchtide"], version);
}

TEST(Chapters, CornersNameWhatComesAndGoes) {
  const auto table = frontier_with_rate(0.01).tables.front();
  ASSERT_EQ(table.rows.size(), 2u);
  EXPECT_EQ(std::get<std::string>(table.rows[0][5]), "highest return, HOLLBOND in");
  EXPECT_EQ(std::get<std::string>(table.rows[1][5]), "minimum variance");
}

TEST(Chapters, FrontierChartHoldsTheCapitalMarketLineOnlyWhereThereIsOne) {
  const auto names = [](const Chapter& chapter) {
    std::vector<std::string> result;
    for (const auto& series : chapter.charts.front().series) result.push_back(name_of(series));
    return result;
  };
  EXPECT_THAT(names(frontier_with_rate(0.01)), testing::Contains("capital market line from 1%"));
  EXPECT_THAT(names(frontier_with_rate(0.09)), testing::Not(testing::Contains(HasSubstr("capital"))));
}

// The figures of the line are those of the closed form for two uncorrelated assets: return 0.03 w + 0.08 (1 - w),
// variance 0.0025 w^2 + 0.04 (1 - w)^2.
TEST(Chapters, FrontierIsDrawnAsItBends) {
  const auto chart = frontier_with_rate(0.01).charts.front();
  const auto& line = std::get<Line>(chart.series[1]);
  ASSERT_EQ(line.name, "efficient frontier");
  const auto& x = std::get<std::vector<double>>(line.x);
  ASSERT_EQ(x.size(), 13u);  // two corners and eleven points between
  for (std::size_t k = 0; k < x.size(); ++k) {
    const double bonds = (0.08 - line.y[k]) / 0.05, bank = 1 - bonds;
    EXPECT_NEAR(x[k], std::sqrt(0.0025 * bonds * bonds + 0.04 * bank * bank), 1e-14);
  }
}

TEST(Chapters, ASentenceAndAFullTextStandForEachResult) {
  const auto basis = basis_with_rate(0.01);
  const auto frontier = trace_frontier(basis.estimate, Limits{});
  EXPECT_EQ(in_a_line(frontier, 0.01), "2 corners, from 3.29% a year at 4.85% volatility to 8.00% at 20.00%");
  EXPECT_THAT(in_full(frontier, 0.01), HasSubstr("What changes there"));
  const auto even = evaluate(basis.estimate, {}, Eigen::Vector2d(0.5, 0.5), "even", 0.01);
  // sqrt(0.25 x 0.0425) = 0.10308; (0.055 - 0.01) / 0.10308 = 0.4366
  EXPECT_EQ(in_a_line(even),
            "even: 5.50% a year at 10.31% volatility, Sharpe 0.44, 2 held: HOLLBOND 50.0%, HOLLBANK 50.0%");
  EXPECT_THAT(in_full(even),
              testing::AllOf(HasSubstr("Effective holdings"), HasSubstr("Where the variance comes from")));
  EXPECT_EQ(in_a_line(basis.estimate), "Estimate from a file, 2 assets; variances have the denominator T-1");
}

// The colours of a line in a chart are those of nothing else that it could be taken for.
TEST(Chapters, OverlaysLookLikeNoBar) {
  Sources sources;
  auto& bars = sources.bars.emplace_back(test::walk("KELPFARM", 1));
  bars.of(PriceField::open) = bars.of(PriceField::high) = bars.of(PriceField::low) = bars.of(PriceField::close);
  for (std::size_t t = 0; t < bars.days.size(); ++t) {
    bars.of(PriceField::high)[t] += 0.5;
    bars.of(PriceField::low)[t] -= 0.5;
    bars.of(PriceField::open)[t] += t % 2 == 0 ? 0.2 : -0.2;
  }
  const Settings settings;
  const auto universe = universe_of(sources, settings, Purpose::looking);
  InspectionOptions how;
  for (const char* text : {"sma:20", "ema:50", "bands:20:2", "sma:200"}) {
    how.overlays.push_back(Overlay::parse(text, "here"));
  }
  const auto chapter = inspect_chapter(inspection_of(universe, settings, how), universe, settings, {});
  const auto chart = std::ranges::find(chapter.charts, "bars", &Chart::name);
  ASSERT_NE(chart, chapter.charts.end());
  std::vector<std::string> of_bars, of_lines;
  for (const auto& series : chart->series) {
    if (const auto* drawn = std::get_if<PriceBars>(&series)) of_bars.push_back(drawn->colour);
    if (const auto* line = std::get_if<Line>(&series)) of_lines.push_back(line->colour);
  }
  ASSERT_EQ(of_bars.size(), 2u);
  ASSERT_EQ(of_lines.size(), 6u);
  for (const auto& colour : of_lines) EXPECT_THAT(of_bars, testing::Not(testing::Contains(colour)));
}

}  // namespace
}  // namespace inchtide::report
