// `inspect` and what the other commands make of its choices, as a process.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <sstream>

#include "support/tool.hpp"

namespace inchtide::test {
namespace {

using nlohmann::json;
using testing::AllOf;
using testing::HasSubstr;

const std::string prices = " --prices " + demo + "/prices ";
const std::string tagged = prices + " --currency HLC --tags " + demo + "/tags.csv ";

// A CSV file as rows of cells.
std::vector<std::vector<std::string>> rows_of(const fs::path& file) {
  std::vector<std::vector<std::string>> rows;
  std::istringstream lines(text_of(file));
  for (std::string line; std::getline(lines, line);) {
    rows.emplace_back();
    std::istringstream cells(line);
    for (std::string cell; std::getline(cells, cell, ',');) rows.back().push_back(cell);
  }
  return rows;
}

TEST(Window, TradingDaysCountFromADayOrBackFromTheLast) {
  const Folder folder;
  const auto window = [&](const std::string& options) {
    EXPECT_EQ(run_tool("inspect" + prices + "--assets KELPFARM --quiet --csv " + folder.path().string() + options).code,
              0);
    const auto rows = rows_of(folder / "prices.csv");
    return fmt::format("{} {} {}", rows.size() - 1, rows[1][0], rows.back()[0]);
  };
  // 2019-03-04 was a Monday; ten weekdays without a holiday of Hollin end on Friday the 15th.
  EXPECT_EQ(window(" --from 2019-03-02 --trading-days 10"), "10 2019-03-04 2019-03-15");
  EXPECT_EQ(window(" --trading-days 5"), "5 2025-12-22 2025-12-31");  // 24 to 26 December are holidays
  EXPECT_EQ(window(" --last 30d").substr(3, 10), "2025-12-01");
  EXPECT_EQ(run_tool("inspect" + prices + "--trading-days 99999").code, 1);
  EXPECT_EQ(run_tool("inspect" + prices + "--trading-days 5 --to 2020-01-01").code, 2);
}

TEST(Files, AsTheyComeAreReadAndWhatIsOddInThemIsSaid) {
  const Folder folder;
  std::string text = "date,AA,BB,\n";
  for (int k = 0; k < 120; ++k) {  // each day of the calendar; AA keeps Friday's price, BB changes its unit
    const Day day = *parse_day("2024-01-01") + std::chrono::days{k};  // a Monday
    const int trading = k / 7 * 5 + std::min(k % 7, 4);
    const double aa = 50 + std::sin(1.7 * trading), bb = (20 + 0.5 * std::sin(2.3 * k)) * (k < 60 ? 1 : 100);
    text += fmt::format("{} 00:00:00,{:.4f},{},\n", to_string(day), aa, k == 30 ? "n/a" : fmt::format("{:.4f}", bb));
  }
  const auto file = folder.write("all.csv", text + ",,,\n\n").string();
  std::vector<std::string> kinds;
  const auto result = result_of("inspect --prices " + file);
  for (const auto& finding : result["findings"]) {
    kinds.push_back(finding["asset"].get<std::string>() + " " + finding["kind"].get<std::string>());
  }
  EXPECT_THAT(kinds, testing::UnorderedElementsAre("AA weekends", "BB unit", "BB holes"));
  EXPECT_THAT(run_tool("inspect --prices " + file).out, HasSubstr("without a price on 1 day, the"));
}

TEST(Window, EveryKDaysOrWeeksWorksForAnyK) {
  const Folder folder;
  const auto days = [&](const std::string& every) {
    EXPECT_EQ(run_tool("inspect" + prices + "--assets KELPFARM --last-period keep --quiet --csv " +
                       folder.path().string() + " --every " + every)
                  .code,
              0);
    return rows_of(folder / "prices.csv").size() - 1;
  };
  EXPECT_EQ(days("1d"), 2047u);
  EXPECT_EQ(days("7d"), 1 + 2046u / 7 + 1) << "the first day, whole blocks after it, and the last one, kept";
  EXPECT_EQ(days("1y"), 8u);
  EXPECT_EQ(days("5q"), 7u);  // 32 quarters fall into blocks of five counted from year 0
  const auto weeks = days("1w"), fortnights = days("2w"), threes = days("3w");
  EXPECT_EQ(weeks, 418u);  // 2018-01-01 to 2026-01-04: 418 weeks, none without trading
  EXPECT_TRUE(fortnights == 209 || fortnights == 210) << fortnights;  // they may begin within the first
  EXPECT_NEAR(double(threes), 418 / 3.0, 1);
}

TEST(Window, AnUnfinishedLastPeriodIsKeptOrDroppedAndSaid) {
  const auto command = "describe" + prices + "--assets KELPFARM --to 2025-12-15";
  const auto dropped = run_tool(command), kept = run_tool(command + " --last-period keep");
  EXPECT_THAT(dropped.err, HasSubstr("The last month had not ended on 2025-12-15, so it is not used"));
  EXPECT_THAT(kept.err, HasSubstr("is used as it stands, as chosen"));
  EXPECT_EQ(result_of(command + " --last-period keep")["assets"][0]["observations"],
            result_of(command)["assets"][0]["observations"].get<int>() + 1);
  EXPECT_EQ(run_tool(command + " --last-period maybe").code, 2);
}

TEST(Fields, AnySubsetIsShownAndWritten) {
  const Folder folder;
  const auto said = run_tool("inspect" + tagged + "--wide --assets KELPFARM,COLDQUAY --fields close,volume --csv " +
                             folder.path().string());
  EXPECT_EQ(said.code, 0);
  EXPECT_THAT(
      said.out,
      HasSubstr("The last 10 of 2,047 rows. All are in tables written to files (--csv), or to a spreadsheet (--xlsx)"));
  const auto wide = rows_of(folder / "fields.csv");
  EXPECT_EQ(wide[0], (std::vector<std::string>{"date", "COLDQUAY close", "COLDQUAY volume", "KELPFARM close",
                                               "KELPFARM volume"}));
  const auto file = rows_of(demo + "/prices/COLDQUAY.csv");
  const auto& first = file[1];  // date, open, high, low, close, adjusted_close, volume
  EXPECT_EQ(first[0], "2018-01-02");
  EXPECT_EQ(std::stod(wide[1][1]), std::stod(first[4]));
  EXPECT_EQ(wide[1][2], first[6]);
  // Monthly: the last close and the sum of the volumes of each month.
  ASSERT_EQ(run_tool("inspect" + tagged +
                     "--assets COLDQUAY --fields close,volume,high --every 1m --quiet --shape long "
                     "--to 2018-02-28 --csv " +
                     folder.path().string())
                .code,
            0);
  const auto months = rows_of(folder / "fields.csv");
  double volume = 0, high = 0;
  std::string close;
  for (const auto& row : rows_of(demo + "/prices/COLDQUAY.csv")) {
    if (!row[0].starts_with("2018-01")) continue;
    volume += std::stod(row[6]);
    high = std::max(high, std::stod(row[2]));
    close = row[4];
  }
  ASSERT_EQ(months.size(), 3u);
  EXPECT_EQ(months[0], (std::vector<std::string>{"asset", "date", "close", "volume", "high"}));
  EXPECT_EQ(months[1][1], "2018-01-31");
  EXPECT_EQ(std::stod(months[1][2]), std::stod(close));
  EXPECT_EQ(std::stod(months[1][3]), volume);
  EXPECT_EQ(std::stod(months[1][4]), high);
  EXPECT_EQ(run_tool("inspect" + prices + "--fields clsoe").code, 1);
  const auto on_day = result_of("inspect" + tagged + "--assets COLDQUAY --on 2018-01-06 --fields open,high");
  EXPECT_EQ(on_day["prices"][0]["field"], "open");
  EXPECT_EQ(on_day["prices"][0]["day"], "2018-01-05");  // the 6th was a Saturday
}

TEST(Fields, AreChosenPerAssetWithAWarningWhereTheyAreMissing) {
  const Folder folder;
  folder.write("p/A.csv", "date,close,adjusted_close\n2024-01-30,10,9\n2024-01-31,11,9.9\n2024-02-29,12,10.8\n");
  folder.write("p/B.csv", "date,close\n2024-01-30,20\n2024-01-31,21\n2024-02-29,22\n");
  const auto command = "inspect --prices " + (folder / "p").string();
  const auto mixed = run_tool(command);
  EXPECT_THAT(mixed.err, HasSubstr("Prices of different kinds meet: close of B; adjusted close of A"));
  const auto closes = run_tool(command + " --field close");
  EXPECT_EQ(closes.err, "");
  EXPECT_THAT(run_tool(command + " --field A=close --field B=high").err,
              HasSubstr("Another field than the one chosen is used where that is missing: B (close for high)"));
  EXPECT_THAT(run_tool(command + " --field hgih").err,
              HasSubstr("there is no price field 'hgih'. Did you mean 'high'?"));
}

TEST(Written, TablesReadBackAsTheSamePrices) {
  const Folder folder;
  const auto command = "inspect" + tagged + "--assets KELPFARM,TIDEMILL,DREDGECO --align any --quiet --csv ";
  for (const std::string shape : {"wide", "long"}) {
    ASSERT_EQ(run_tool(command + (folder / shape).string() + " --shape " + shape).code, 0);
    const auto figures = [](const std::string& source) {
      return result_of("describe --every 1w --align any --assets KELPFARM,TIDEMILL,DREDGECO --prices " +
                       source)["assets"];
    };
    EXPECT_EQ(figures((folder / shape / "prices.csv").string()), figures(demo + "/prices")) << shape;
  }
}

TEST(Written, RebasedAndGrowthBeginTogether) {
  const Folder folder;
  ASSERT_EQ(run_tool("inspect" + tagged + "--assets KELPFARM,BEACONET --quiet --csv " + folder.path().string()).code,
            0);
  const auto rebased = rows_of(folder / "rebased.csv"), growth = rows_of(folder / "growth.csv"),
             level = rows_of(folder / "prices.csv");
  EXPECT_EQ(rebased[1], (std::vector<std::string>{"2020-02-03", "100", "100"}));
  EXPECT_EQ(growth[1], (std::vector<std::string>{"2020-02-03", "0", "0"}));
  const double grown = std::stod(level.back()[1]) / std::stod(level[1][1]);
  EXPECT_NEAR(std::stod(rebased.back()[1]), 100 * grown, 1e-10);
  EXPECT_NEAR(std::stod(growth.back()[1]), grown - 1, 1e-12);
}

TEST(Written, ASpreadsheetHoldsEveryTable) {
  const Folder folder;
  const auto book = (folder / "deep/study.xlsx").string();
  ASSERT_EQ(run_tool("inspect" + tagged + "--assets KELPFARM --last 1m --quiet --xlsx " + book).code, 0);
  const auto sheets = run("unzip -p " + book + " xl/workbook.xml").out;
  for (const char* name : {"coverage", "findings", "prices", "rebased", "growth"}) {
    EXPECT_THAT(sheets, HasSubstr(fmt::format("<sheet name=\"{}\"", name)));
  }
  // The third sheet's last row: 31 December 2025 is day 46022 of spreadsheets.
  const auto cells = run("unzip -p " + book + " xl/worksheets/sheet3.xml").out;
  EXPECT_THAT(cells, HasSubstr("<v>46022</v>"));
  const auto last = rows_of(demo + "/prices/KELPFARM.csv").back()[5];
  EXPECT_THAT(cells, HasSubstr(fmt::format("<v>{}</v>", std::stod(last))));
  EXPECT_EQ(run_tool("inspect" + prices + "--quiet --xlsx " + (folder / "a.ods").string()).code, 1);
  ASSERT_EQ(
      run_tool("weigh" + tagged + "--assets KELPFARM,HOLLBOND --quiet --xlsx " + (folder / "w.xlsx").string()).code, 0);
  EXPECT_THAT(run("unzip -p " + (folder / "w.xlsx").string() + " xl/styles.xml").out, HasSubstr("0.00%"));
}

TEST(Strict, MakesAWarningAnError) {
  const auto said = run_tool("inspect" + prices + "--assets OYSTERCO --strict");
  EXPECT_EQ(said.code, 1);
  EXPECT_THAT(said.err, HasSubstr("1 warning among the findings, and --strict was asked for"));
  EXPECT_THAT(said.out, HasSubstr("likely a misprint"));
  EXPECT_EQ(run_tool("inspect" + prices + "--assets OYSTERCO --strict --drop-misprints").code, 0);
  EXPECT_EQ(run_tool("inspect" + prices + "--assets KELPFARM --strict").code, 0);
}

TEST(Strict, ASplitInRawClosesIsFoundAndAnActionsFileMendsIt) {
  const auto raw = "inspect" + tagged + "--assets BEACONET --field close ";
  EXPECT_EQ(run_tool(raw + "--strict").code, 1);
  const auto finding = result_of(raw)["findings"][0];
  EXPECT_EQ(finding["kind"], "split");
  EXPECT_EQ(finding["day"], "2024-06-17");
  EXPECT_EQ(run_tool(raw + "--strict --actions " + demo + "/actions.csv").code, 0);
  EXPECT_THAT(run_tool("inspect" + tagged + "--assets KELPFARM --field close --actions " + demo + "/actions.csv").out,
              HasSubstr("No split or dividend is given for KELPFARM"));
  // Dividends and the split worked in by us give the source's own adjusted closes (which it rounds to four decimals).
  const Folder folder;
  // One on another day doesn't mend it.
  const auto late = folder.write("late.csv", "asset,date,split\nBEACONET,2024-06-18,2\n");
  EXPECT_EQ(run_tool(raw + "--strict --actions " + late.string()).code, 1);
  const auto written = [&](const std::string& options) {
    EXPECT_EQ(
        run_tool("inspect" + tagged + "--assets BEACONET,COLDQUAY --quiet --csv " + folder.path().string() + options)
            .code,
        0);
    return rows_of(folder / "prices.csv");
  };
  const auto ours = written(" --field close --actions " + demo + "/actions.csv"), theirs = written("");
  ASSERT_EQ(ours.size(), theirs.size());
  for (std::size_t row = 1; row < ours.size(); ++row) {
    for (std::size_t column : {1u, 2u}) {
      ASSERT_NEAR(std::stod(ours[row][column]), std::stod(theirs[row][column]), 2e-4) << ours[row][0];
    }
  }
  EXPECT_THAT(run_tool("inspect" + prices + "--assets KELPFARM --field close --actions " +
                       folder.write("a.csv", "asset,date,split\nNOBODY,2024-01-02,2\n").string())
                  .err,
              HasSubstr("they name assets without prices: NOBODY"));
}

TEST(ShortHistories, AreShortenedLeftOutOrKeptAsChosen) {
  const auto command = "inspect" + tagged + "--assets KELPFARM,TIDEMILL,BEACONET --short-histories ";
  EXPECT_THAT(run_tool(command + "shorten").out, AllOf(HasSubstr("What to do about short histories"),
                                                       HasSubstr("leave-out  2,047     2,047  2018-01-02")));
  EXPECT_EQ(result_of(command + "shorten")["common_days"], 1515);
  EXPECT_EQ(result_of(command + "keep")["common_days"], 2047);
  const auto left = run_tool(command + "leave-out");
  EXPECT_THAT(left.err, HasSubstr("Left out for their short histories, as chosen: BEACONET"));
  EXPECT_EQ(result_of(command + "leave-out")["common_days"], 2047);
  EXPECT_EQ(
      result_of("describe" + tagged + "--assets KELPFARM,BEACONET --short-histories keep")["assets"][1]["observations"],
      95);
}

TEST(Overlays, AreColumnsFromTheFirstRowOfTheWindowOn) {
  const Folder folder;
  ASSERT_EQ(run_tool("inspect" + prices +
                     "--assets KELPFARM --last 2m --overlay sma:20,stochastic --overlay macd "
                     "--quiet --csv " +
                     folder.path().string())
                .code,
            0);
  const auto table = rows_of(folder / "overlays.csv");
  EXPECT_EQ(table[0],
            (std::vector<std::string>{"date", "KELPFARM adjusted close", "KELPFARM sma 20", "KELPFARM stochastic 14 3",
                                      "KELPFARM stochastic 14 3 smoothed", "KELPFARM macd 12 26 9",
                                      "KELPFARM macd 12 26 9 signal", "KELPFARM macd 12 26 9 difference"}));
  for (std::size_t row = 1; row < table.size(); ++row) {
    for (const auto& cell : table[row]) EXPECT_NE(cell, "") << "the rows before the window warm the overlays up";
  }
  // The average of the last twenty closes of the file, by hand.
  const auto file = rows_of(demo + "/prices/KELPFARM.csv");
  double sum = 0;
  for (std::size_t row = file.size() - 20; row < file.size(); ++row) sum += std::stod(file[row][5]);
  EXPECT_NEAR(std::stod(table.back()[2]), sum / 20, 1e-9);
  EXPECT_THAT(run_tool("inspect" + prices + "--overlay smaa --figure bars.png").err, HasSubstr("Did you mean 'sma'?"));
}

TEST(Figures, OfPricesAreDrawnInBothThemes) {
  const Folder folder;
  const auto draw = [&](const std::string& options, const std::string& figure) {
    const auto file = (folder / "f.svg").string();
    EXPECT_EQ(run_tool("inspect" + prices + options + " --quiet --figure " + figure + ":" + file).code, 0) << figure;
    return text_of(file);
  };
  EXPECT_THAT(draw("--assets KELPFARM,TIDEMILL", "growth"), HasSubstr("Cumulative growth"));
  EXPECT_THAT(draw("--assets KELPFARM,TIDEMILL", "prices"), HasSubstr("TIDEMILL"));
  const std::string options = "--assets KELPFARM --last 6m --overlay bands,momentum";
  const auto light = draw(options, "bars"), dark = draw(options + " --theme dark", "bars");
  const std::string ground = R"(<rect x="0" y="0" width="1280" height="800" fill=)";
  EXPECT_THAT(light, AllOf(HasSubstr("open, high, low and close, adjusted"), HasSubstr("bands 20 2 upper"),
                           HasSubstr("Momentum"), HasSubstr("Volume, 000s"), HasSubstr(ground + "\"#ffffff\"")));
  EXPECT_THAT(dark, AllOf(HasSubstr("bands 20 2 upper"), HasSubstr(ground + "\"#1e2a32\"")));
  EXPECT_THAT(
      run_tool("inspect" + prices + "--assets KELPFARM,TIDEMILL --quiet --figure bars:" + (folder / "x.png").string())
          .err,
      HasSubstr("bars are drawn for one asset. Name it (--assets)"));
  EXPECT_FALSE(fs::exists(folder / "x.png"));
}

TEST(Styles, OfFilesAreChosenByOption) {
  const Folder folder;
  folder.write("p/A.csv", "date;close\n31.01.2024;1.234,5\n29.02.2024;1.240,0\n29.03.2024;1.250,0\n");
  const auto command = "describe --prices " + (folder / "p").string();
  EXPECT_THAT(run_tool(command).err, HasSubstr("A.csv, line 2, column date: '31.01.2024' is not an ISO day"));
  EXPECT_THAT(run_tool(command + " --dates day-first").err,
              HasSubstr("Say that it is a comma, as in 1.234,56 (--decimal comma)"));
  EXPECT_EQ(result_of(command + " --dates day-first --decimal comma")["assets"][0]["observations"], 2);
  EXPECT_THAT(run_tool(command + " --dates dayfirst").err, HasSubstr("Did you mean 'day-first'?"));
}

TEST(Rates, AreCarriedForAsManyDaysAsTheMandateSays) {
  const Folder folder;
  folder.write("p/A.csv", "date,price\n2024-01-30,10\n2024-01-31,11\n2024-02-29,12\n2024-03-28,13\n");
  folder.write("tags.csv", "code,currency\nA,MRD\n");
  folder.write("r/MRD.csv", "date,rate\n2024-01-30,2\n2024-02-26,2\n2024-03-20,2\n");
  const auto dropped = [&](int days) {
    const auto mandate = folder.write(
        "m.toml",
        fmt::format(
            "[universe]\nprices = \"p\"\ntags = \"tags.csv\"\nrates = \"r\"\ncurrency = \"HLC\"\nrate_carry = {}\n",
            days));
    return result_of("inspect --mandate " + mandate.string())["conversions"][0]["dropped"].get<int>();
  };
  EXPECT_EQ(dropped(1), 2);
  EXPECT_EQ(dropped(3), 1);
  EXPECT_EQ(dropped(8), 0);
}

// A share in another currency whose price doubles by a misprint for one day, and one that comes late.
std::string foreign_and_late(const Folder& folder) {
  std::string foreign = "date,open,close\n", late = "date,close\n", rates = "date,rate\n";
  for (int d = 1; d <= 12; ++d) {
    const auto day = fmt::format("2024-03-{:02}", d);
    foreign += fmt::format("{},{},{}\n", day, 10 + 0.1 * d, d == 6 ? 50 : 10 + 0.2 * d);
    if (d > 4) late += fmt::format("{},{}\n", day, 20 + d);
    rates += fmt::format("{},{}\n", day, 2 + 0.01 * d);
  }
  folder.write("p/FERRYLNK.csv", foreign);
  folder.write("p/KELPFARM.csv", late);
  folder.write("r/MRD.csv", rates);
  folder.write("tags.csv", "code,currency\nFERRYLNK,MRD\nKELPFARM,HLC\n");
  return " --mandate " + folder
                             .write("m.toml",
                                    "[universe]\nprices = \"p\"\ntags = \"tags.csv\"\nrates = \"r\"\ncurrency "
                                    "= \"HLC\"\nshort_histories = \"keep\"\n")
                             .string();
}

TEST(PricesOnADay, HaveTheirCurrencyAndAreTheSameWithAndWithoutFields) {
  const Folder folder;
  const auto mandate = foreign_and_late(folder);
  for (const char* clean : {"", " --drop-misprints"}) {
    for (const char* day : {"2024-03-05", "2024-03-06", "2024-03-10"}) {
      const auto on = fmt::format("inspect{}{} --on {}", mandate, clean, day);
      const auto plain = result_of(on)["prices"], fields = result_of(on + " --fields close")["prices"];
      EXPECT_EQ(plain, fields) << on;
      ASSERT_EQ(plain[0]["currency"], "HLC");
      const int d = std::stoi(std::string(day).substr(8));
      const int taken = d == 6 && *clean != '\0' ? 5 : d;
      EXPECT_EQ(plain[0]["day"], fmt::format("2024-03-{:02}", taken));
      EXPECT_NEAR(plain[0]["price"], (taken == 6 ? 50 : 10 + 0.2 * taken) * (2 + 0.01 * taken), 1e-9);
    }
  }
  const auto open = result_of("inspect" + mandate + " --on 2024-03-05 --fields open,close --assets FERRYLNK")["prices"];
  EXPECT_NEAR(open[0]["price"], 10.5 * 2.05, 1e-9);  // the open too
  EXPECT_THAT(run_tool("inspect" + mandate + " --on 2024-03-05").out, HasSubstr("HLC"));
}

TEST(PricesOnADay, OfAnAssetThatHasNoneCostNoOtherIts) {
  const Folder folder;
  const auto mandate = foreign_and_late(folder);
  const auto said = run_tool("inspect" + mandate + " --on 2024-03-03 --json " + (folder / "o.json").string());
  EXPECT_EQ(said.code, 4);
  EXPECT_THAT(said.err, HasSubstr("KELPFARM: it has no price on 2024-03-03 or before. Its prices begin on 2024-03-05"));
  EXPECT_THAT(said.out, HasSubstr("FERRYLNK"));
  const auto written = nlohmann::json::parse(text_of(folder / "o.json"))["result"];
  EXPECT_EQ(written["prices"].size(), 1u);
  EXPECT_EQ(written["without"].size(), 1u);
  const auto none = run_tool("inspect" + mandate + " --on 2024-02-03");
  EXPECT_EQ(none.code, 1);
  EXPECT_THAT(none.err, HasSubstr("The first price is that of FERRYLNK on 2024-03-01"));
}

TEST(Overlays, AreOverThePricesThatAreShown) {
  const Folder folder;
  const auto mandate = foreign_and_late(folder);
  run_tool("inspect" + mandate + " --assets FERRYLNK --drop-misprints --overlay sma:2 --shape long --csv " +
           (folder / "out").string());
  const auto rows = rows_of(folder / "out/overlays.csv");
  std::map<std::string, std::map<std::string, double>> value;  // by name and day
  for (std::size_t r = 1; r < rows.size(); ++r) {
    for (std::size_t c = 2; c < rows[r].size(); ++c) {
      if (!rows[r][c].empty()) value[rows[0][c]][rows[r][1]] = std::stod(rows[r][c]);
    }
  }
  const auto price = [](int d) { return (10 + 0.2 * d) * (2 + 0.01 * d); };
  EXPECT_NEAR(value["sma 2"]["2024-03-03"], (price(2) + price(3)) / 2, 1e-9);
  EXPECT_NEAR(value["sma 2"]["2024-03-07"], (price(5) + price(7)) / 2, 1e-9);  // the 6th is a misprint
  EXPECT_NEAR(value["close"]["2024-03-03"], price(3), 1e-9);
}

TEST(CoarserPrices, ByDaysAreTheSameWithAndWithoutFields) {
  const Folder folder;
  const auto mandate = foreign_and_late(folder);
  for (int k : {1, 2, 3, 5}) {
    const auto call = fmt::format(
        "inspect{} --assets KELPFARM --every {}d --last-period keep --shape long --fields close", mandate, k);
    run_tool(call + " --csv " + (folder / "out").string());
    const auto fields = rows_of(folder / "out/fields.csv"), plain = rows_of(folder / "out/prices.csv");
    ASSERT_EQ(fields.size(), plain.size()) << k;
    ASSERT_GT(fields.size(), 2u);
    for (std::size_t r = 1; r < fields.size(); ++r) EXPECT_EQ(std::stod(fields[r][2]), std::stod(plain[r][2])) << k;
  }
}

}  // namespace
}  // namespace inchtide::test
