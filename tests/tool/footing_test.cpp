// What every command says of the footing of its figures: interval, window, findings.

#include <gmock/gmock.h>

#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <random>

#include "inchtide/base/day.hpp"
#include "support/tool.hpp"

namespace inchtide {
namespace {

using test::demo;
using test::Folder;
using test::mandate;
using test::result_of;
using test::run_tool;
using testing::AllOf;
using testing::HasSubstr;
using testing::Not;

const std::vector<std::string> commands = {"describe", "relate", "estimate --draws 0", "frontier", "weigh"};

/// Weekdays of 2018 to 2024 with a price each, or only those that end a quarter.
std::string prices(int seed, bool quarterly) {
  std::mt19937_64 random{std::uint64_t(seed)};
  std::normal_distribution<double> normal(0.0003, 0.01);
  std::string text = "date,close\n";
  double price = 100;
  using namespace std::chrono;
  using namespace std::chrono_literals;
  for (sys_days day = 2018y / January / 1; day < sys_days{2025y / January / 1}; day += days{1}) {
    if (weekday{day}.iso_encoding() > 5) continue;
    price *= std::exp(normal(random));
    sys_days next = day + days{1};
    while (weekday{next}.iso_encoding() > 5) next += days{1};
    const year_month_day ymd{day}, then{next};
    const bool ends = ymd.month() != then.month() && unsigned(ymd.month()) % 3 == 0;
    if (quarterly && !ends) continue;
    text +=
        fmt::format("{:04}-{:02}-{:02},{:.6f}\n", int(ymd.year()), unsigned(ymd.month()), unsigned(ymd.day()), price);
  }
  return text;
}

TEST(Footing, AQuarterlyFundAmongDailySharesIsNotAnnualisedAsIfItWereMonthly) {
  const Folder folder;
  for (int seed : {1, 2, 3, 4}) folder.write(fmt::format("p/S{}.csv", seed), prices(seed, false));
  folder.write("p/FUND.csv", prices(9, true));
  const auto from = " --prices " + (folder / "p").string();
  const auto by_quarter = result_of("describe" + from);
  EXPECT_THAT(run_tool("describe" + from).err, HasSubstr("Returns are quarterly, not monthly"));
  const auto alone = result_of("describe" + from + " --assets S1,S2,S3,S4 --every 1q --from 2018-03-30");
  for (int i : {0, 1, 2, 3}) {  // after FUND
    EXPECT_NEAR(by_quarter["assets"][i + 1]["mean_arithmetic"].get<double>(),
                alone["assets"][i]["mean_arithmetic"].get<double>(), 1e-12);
  }
  EXPECT_NEAR(
      by_quarter["assets"][0]["mean_arithmetic"].get<double>(),
      result_of("describe --every 1q --prices " + (folder / "p/FUND.csv").string())["assets"][0]["mean_arithmetic"]
          .get<double>(),
      1e-12);
  for (const auto& command : commands) {
    for (const char* every : {" --every 1m", " --every 1d --align any", " --every 1w --align any"}) {
      const auto said = run_tool(command + from + every);
      EXPECT_EQ(said.code, 1) << command << every;
      EXPECT_THAT(said.err,
                  AllOf(HasSubstr("FUND: it has prices in "), HasSubstr("take a longer interval (--every 1q)")))
          << command;
    }
  }
  EXPECT_THAT(run_tool("inspect" + from).out, HasSubstr("no price in "));
}

TEST(Footing, PeriodsPerYearAreMeasuredPrintedAndCanBeSet) {
  const auto said = run_tool("describe" + mandate + "--every 1d");
  EXPECT_THAT(said.out, HasSubstr("Volatility: x root 252"));
  const auto set = result_of("estimate" + mandate + "--draws 0 --every 1d --periods-per-year 250");
  const auto usual = result_of("estimate" + mandate + "--draws 0 --every 1d");
  EXPECT_EQ(set["periods_per_year"], 250);
  EXPECT_EQ(usual["periods_per_year"], 252);
  EXPECT_NEAR(set["covariance"][0][0].get<double>() / usual["covariance"][0][0].get<double>(), 250.0 / 252, 1e-12);
}

TEST(Footing, AWindowThatIsCutIsSaidEverywhere) {
  for (const auto& command : commands) {
    EXPECT_THAT(run_tool(command + mandate).err,
                HasSubstr("BEACONET begins on 2020-02-03: 2.1 of 8.0 years are not used"));
    EXPECT_THAT(run_tool(command + mandate + "--short-histories leave-out").err, Not(HasSubstr("are not used")));
  }
  EXPECT_THAT(run_tool("rehearse" + mandate).err, HasSubstr("BEACONET begins on"));
}

TEST(Footing, ABenchmarkNeverShortens) {
  const Folder folder;
  for (int seed : {1, 2}) folder.write(fmt::format("p/S{}.csv", seed), prices(seed, false));
  const auto whole = prices(9, false);
  folder.write("p/INDEX.csv", "date,close\n" + whole.substr(whole.find("2021-01-04")));
  const auto from = " --prices " + (folder / "p").string();
  const auto with = result_of("describe" + from + " --benchmark INDEX"),
             without = result_of("describe" + from + " --assets S1,S2");
  EXPECT_EQ(with["assets"], without["assets"]);
  EXPECT_EQ(with["benchmark"]["observations"], 47);
  const auto said = run_tool("relate" + from + " --benchmark INDEX");
  EXPECT_EQ(said.code, 0) << said.err;
  EXPECT_THAT(said.err, Not(HasSubstr("are not used")));
}

TEST(Footing, ShortenHoldsUnderAnyToo) {
  const Folder folder;
  folder.write("p/S1.csv", prices(1, false));
  const auto whole = prices(2, false);
  folder.write("p/LATE.csv", "date,close\n" + whole.substr(whole.find("2021-01-04")));
  const auto from = " --prices " + (folder / "p").string();
  const auto any = result_of("describe" + from + " --align any"), common = result_of("describe" + from);
  EXPECT_EQ(any["assets"], common["assets"]);
  EXPECT_THAT(run_tool("describe" + from + " --align any").err,
              HasSubstr("LATE begins on 2021-01-04: 3.0 of 7.0 years"));
  const auto kept = result_of("describe" + from + " --align any --short-histories keep");
  EXPECT_EQ(kept["assets"][1]["observations"], 83) << "the others keep their window";
}

TEST(Footing, FindingsAreCountedInOneLineAndStrictRefusesThem) {
  const Folder folder;
  auto raw = prices(1, false);
  const auto at = raw.find("2021-06-15,") + 11;
  raw.insert(at, "9");  // a misprint: a digit too many
  folder.write("p/S1.csv", raw);
  folder.write("p/S2.csv", prices(2, false));
  const auto from = " --prices " + (folder / "p").string();
  for (const auto& command : commands) {
    EXPECT_THAT(run_tool(command + from).err,
                HasSubstr("The prices have 1 warning (S1 on 2021-06-15: spike). Look at it (inchtide inspect)"))
        << command;
    const auto strict = run_tool(command + from + " --strict");
    EXPECT_EQ(strict.code, 1) << command;
    EXPECT_THAT(strict.err, HasSubstr("strictness was asked for"));
    EXPECT_EQ(run_tool(command + from + " --drop-misprints --strict").code, 0) << command;
  }
}

TEST(Footing, ASpanHasSoManyReturnsWhateverTheWeekdayOfItsAnniversary) {
  const Folder folder;
  folder.write("p/S1.csv", prices(1, false));
  const auto from = " --prices " + (folder / "p").string();
  const auto count = [&](const std::string& options) {
    return result_of("describe" + from + options)["assets"][0]["observations"].get<int>();
  };
  // The prices end on Tuesday the 31st of December 2024; two years before is a Saturday.
  for (const char* to :
       {"", " --to 2023-12-15", " --to 2023-12-29", " --to 2023-10-31", " --to 2023-04-28", " --to 2023-06-01"}) {
    EXPECT_EQ(count(fmt::format(" --last 2y{}", to)), 24) << to;
    EXPECT_EQ(count(fmt::format(" --last 18m{}", to)), 18) << to;
    EXPECT_EQ(count(fmt::format(" --last 4q --every 1q{}", to)), 4) << to;
  }
  folder.write("p/S2.csv", prices(2, false));
  EXPECT_EQ(result_of("relate" + from + " --windows 3y --to 2023-12-15")["windows"][0]["observations"], 36);
}

TEST(BadFiles, AmongThePricesCostNoOtherAndAreListed) {
  const Folder folder;
  std::string days[3] = {"date,close\n", "date,close\n", "date,close\n"};
  for (int month = 1; month <= 12; ++month) {
    for (int a = 0; a < 3; ++a) {
      days[a] += fmt::format("2024-{:02}-{:02},{}\n", month, 28, 10 + a + std::sin(month * (a + 1)));
    }
  }
  folder.write("p/KELPFARM.csv", days[0]);
  folder.write("p/TIDEMILL.csv", days[1]);
  folder.write("p/HOLLIN40.csv", days[2]);
  const auto clean = result_of("estimate --prices " + (folder / "p").string() + " --benchmark HOLLIN40");
  folder.write("p/BEACONET.csv", "date,close\n2024-01-28,10\n2024-02-28,ten\n");
  folder.write("p/COLDQUAY.csv", "date,volume\n2024-01-28,10\n2024-02-28,11\n");
  folder.write("p/DREDGECO.csv", "date,close\n2024-01-28,10\n");
  folder.write("p/FERRYLNK.csv", std::string("date,close\n2024-01-28,\xff\xfe\n\0", 26));
  std::filesystem::create_symlink(folder / "nowhere", folder / "p/GALEWORK.csv");
  std::filesystem::create_symlink("HARBREIT.csv", folder / "p/HARBREIT.csv");  // to itself
  std::filesystem::create_directory(folder / "p/HOLLBANK.csv");
  const std::vector<std::string> bad = {"BEACONET", "COLDQUAY", "DREDGECO", "FERRYLNK",
                                        "GALEWORK", "HARBREIT", "HOLLBANK"};
  const auto prices = " --prices " + (folder / "p").string() + " --benchmark HOLLIN40";
  for (const char* command : {"inspect", "describe", "relate", "estimate", "frontier", "weigh", "rehearse"}) {
    const std::string split = std::string(command) == "rehearse" ? " --split 2024-09-01" : "";
    const auto said = run_tool(command + prices + split + " --json " + (folder / "o.json").string());
    EXPECT_EQ(said.code, 4) << command << said.err;
    for (const auto& asset : bad) EXPECT_THAT(said.err, HasSubstr(asset + " is passed over: ")) << command;
    const auto written = nlohmann::json::parse(test::text_of(folder / "o.json"));
    EXPECT_EQ(written["inputs"]["passed_over"].size(), bad.size()) << command;
    if (std::string(command) == "estimate") {
      EXPECT_EQ(written["result"]["covariance"], clean["covariance"]);
    }
  }
  EXPECT_THAT(run_tool("describe" + prices).err, HasSubstr("BEACONET.csv, line 3, column close"));
  // One that is asked for is passed over too; a benchmark cannot be.
  EXPECT_EQ(run_tool("describe" + prices + " --assets KELPFARM,BEACONET").code, 4);
  EXPECT_EQ(run_tool("describe" + prices + " --assets KELPFARM,TIDEMILL").code, 0);  // what nobody asked for
  const auto none_left = run_tool("describe" + prices + " --assets BEACONET");
  EXPECT_EQ(none_left.code, 1);
  EXPECT_THAT(none_left.err, HasSubstr("BEACONET.csv, line 3, column close"));
  const auto benchmark = run_tool("describe --prices " + (folder / "p").string() + " --benchmark BEACONET");
  EXPECT_EQ(benchmark.code, 1);
  EXPECT_THAT(benchmark.err, HasSubstr("BEACONET.csv, line 3, column close"));
  EXPECT_THAT(run_tool("describe" + prices + " --assets BEACON").err, HasSubstr("no prices of 'BEACON'"));
  // A single file is all there is.
  EXPECT_EQ(run_tool("describe --prices " + (folder / "p/BEACONET.csv").string()).code, 1);
}

TEST(Rehearse, WalksOverASuspensionAndSaysWhatItDoesNotCharge) {
  const Folder folder;
  std::string days[2] = {"date,close\n", "date,close\n"};
  int row = 0;
  for (Day day{std::chrono::year{2022} / 1 / 7}; day < Day{std::chrono::year{2025} / 1 / 1};
       day += std::chrono::days{7}) {
    ++row;
    days[0] += fmt::format("{},{}\n", to_string(day), 10 + std::sin(row));
    const bool suspended = row > 120 && row <= 130;
    if (!suspended) days[1] += fmt::format("{},{}\n", to_string(day), 20 + std::cos(3 * row));
  }
  folder.write("p/KELPFARM.csv", days[0]);
  folder.write("p/TIDEMILL.csv", days[1]);
  folder.write("w.csv", "asset,weight\nKELPFARM,90%\nTIDEMILL,40%\n");
  const auto said = run_tool("rehearse --prices " + (folder / "p").string() + " --split 2023-06-01 --weights " +
                             (folder / "w.csv").string() + " --json " + (folder / "o.json").string());
  EXPECT_EQ(said.code, 0) << said.err;
  EXPECT_THAT(said.err, HasSubstr("borrows 30.00% of wealth, for nothing in this walk"));
  EXPECT_THAT(said.out, HasSubstr("Figures per year from 52 rows a year, as counted"));
  const auto written = nlohmann::json::parse(test::text_of(folder / "o.json"));
  EXPECT_EQ(written["result"]["runs"][0]["rows_per_year"], 52);
  EXPECT_EQ(written["result"]["days"].size(), 84u);
}

}  // namespace
}  // namespace inchtide
