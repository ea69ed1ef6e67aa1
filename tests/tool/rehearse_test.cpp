// Rehearsals by the command-line tool: what the mandate can set is set, and what comes out adds up.

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <nlohmann/json.hpp>
#include <set>

#include "support/tool.hpp"

namespace inchtide::test {
namespace {

using nlohmann::json;
using testing::AllOf;
using testing::HasSubstr;
using testing::Not;

TEST(Rehearse, WaitsForWhatIsClosedWhenItBegins) {
  const Folder folder;
  std::string text = "date,AA,BB\n";
  double last = 0, first = 0;
  for (int k = 0; k < 300; ++k) {  // AA has no price on the day before the split, nor on the split's
    const Day day = *parse_day("2021-01-01") + std::chrono::days{k};
    const double aa = 100 + 3.0 * (k * 4 % 11) / 11 + 0.1 * k, bb = 40 + 2.0 * (k * 5 % 13) / 13;
    const bool closed = k == 199 || k == 200;
    text += fmt::format("{},{},{:.4f}\n", to_string(day), closed ? "" : fmt::format("{:.4f}", aa), bb);
    if (k == 201) first = aa;
    last = aa;
  }
  const auto file = folder.write("all.csv", text).string();
  const auto split = to_string(*parse_day("2021-01-01") + std::chrono::days{200});
  const std::string words = "rehearse --prices " + file + " --every 1w --draws 0 --schedule never --split " + split;
  const auto only = folder.write("w.csv", "asset,weight\nAA,100%\n").string();
  const auto runs = result_of(words + " --aim minimum-variance --weights " + only)["runs"];
  const auto run = std::ranges::find(runs, "w", [](const json& one) { return one["aim"].get<std::string>(); });
  ASSERT_NE(run, runs.end());
  EXPECT_NEAR((*run)["growth"].get<double>(), last / first - 1, 1e-6) << "prices are written to four decimals";
  const auto log = run_tool(words + " --aim equal --log").out;
  EXPECT_THAT(log, testing::ContainsRegex("waits: closed +AA"));
  // Equal weights stand beside the others, and have both.
  const auto equal = std::ranges::find(runs, "equal", [](const json& one) { return one["aim"].get<std::string>(); });
  const auto alone = result_of(words + " --aim equal")["runs"][0];
  ASSERT_NE(equal, runs.end());
  EXPECT_EQ((*equal)["net"], alone["net"]);
}

TEST(Rehearse, RunsEveryPortfolioOnEverySchedule) {
  const auto result = result_of("rehearse" + mandate);
  const auto& runs = result["runs"];
  ASSERT_EQ(runs.size(), 3u * 8 - 2 + 1) << "cost-aware is for aims that weigh costs; the benchmark";
  EXPECT_EQ(result["days"][0], "2022-12-30");
  for (const auto& run : runs) {
    const auto& net = run["net"];
    ASSERT_EQ(result["days"].size(), net.size());
    EXPECT_EQ(net[0], 4e7);
    EXPECT_LE(run["max_drawdown"].get<double>(), 0);
    double years = 1;
    for (const auto& year : run["years"]) years *= 1 + year["growth"].get<double>();
    EXPECT_NEAR(years, 1 + run["growth"].get<double>(), 1e-12);
    EXPECT_NEAR(std::pow(1 + run["growth_per_year"].get<double>(), 1094 / 365.25), years, 1e-10);
    EXPECT_GE(run["cost_per_year"].get<double>(), -1e-14);
    std::size_t orders = 0;
    double paid = 0;
    for (const auto& trade : run["trades"]) {
      EXPECT_LE(trade["decided"].get<std::string>(), trade["traded"].get<std::string>());
      orders += trade["orders"].size();
      for (const auto& order : trade["orders"]) {
        EXPECT_NEAR(order["units"].get<double>() * order["price"].get<double>(), order["value"], 1e-6);
        for (const auto& part : order["costs"]) paid += part.get<double>();
      }
    }
    EXPECT_EQ(run["trades"].size(), run["trading_days"]);
    EXPECT_EQ(run["order_count"], orders);
    EXPECT_NEAR(run["costs_paid"].get<double>(), paid, 1e-3) << "of 40 million";
  }
  EXPECT_EQ(runs[0]["schedule"], "never");
  EXPECT_GT(runs[0]["turnover_per_year"], 0.3) << "the purchase";
  EXPECT_EQ(runs[1]["schedule"], "monthly");
  EXPECT_GT(runs[1]["costs_paid"], runs[0]["costs_paid"]);
  EXPECT_EQ(runs.back()["costs_paid"], 0);
  EXPECT_EQ(result["promised"].size(), 22u);
  for (const auto& one : result["promised"]) EXPECT_GT(one["volatility"].get<double>(), 0);
}

TEST(Rehearse, SaysWhatOfTheBestWasLuck) {
  const std::string few = "rehearse" + mandate + " --schedule never --schedule 1m --schedule 1y --aim equal ";
  const auto said = run_tool(few + "--baseline 1y --tried 7 --draws 200 --json -");
  const auto luck = json::parse(said.out)["result"]["luck"];
  EXPECT_EQ(luck["baseline"], "equal, 1y");
  EXPECT_EQ(luck["tries"], 10);
  EXPECT_EQ(luck["distinct"], 3);
  ASSERT_EQ(luck["p_values"].size(), 2u);
  double least = 1;
  for (const auto& [run, p] : luck["p_values"].items()) {
    if (!p.is_null()) least = std::min(least, p.get<double>());
  }
  EXPECT_EQ(luck["p_value"], least) << "the best's";
  EXPECT_TRUE(luck["p_values"].contains(luck["best"].get<std::string>()));
  EXPECT_EQ(luck["blocks"].size(), 2u);
  ASSERT_EQ(luck["timing"].size(), 2u);
  for (const auto& one : luck["timing"]) EXPECT_LT(one["lowest"].get<double>(), one["highest"].get<double>());
  EXPECT_THAT(luck["verdict"].get<std::string>(), HasSubstr("10 tries (3 of them rehearsed here)"));
  EXPECT_THAT(run_tool(few + "--draws 200 --baseline 1y").out,
              AllOf(HasSubstr("What was luck, beside equal, 1y"), HasSubstr("What the choice of the day alone does")));
  // The same draws for the same seed, others for another, none for none.
  EXPECT_EQ(result_of(few + "--baseline 1y --tried 7 --draws 200")["luck"], luck);
  EXPECT_NE(result_of(few + "--baseline 1y --tried 7 --draws 200 --seed 9")["luck"], luck);
  EXPECT_FALSE(result_of(few + "--draws 0").contains("luck"));
  const auto unknown = run_tool(few + "--baseline yeerly");
  EXPECT_EQ(unknown.code, 1);
  EXPECT_THAT(unknown.err, HasSubstr("no run, schedule or portfolio is called 'yeerly'"));
  // The mandate's baseline is none of these runs: that costs the question alone.
  const auto without = run_tool(few);
  EXPECT_EQ(without.code, 0);
  EXPECT_THAT(without.err,
              HasSubstr("What was luck cannot be told: baseline: no run, schedule or portfolio is called"));
  const auto alone = "rehearse --prices " + demo +
                     "/prices --assets TIDEMILL,KELPFARM --split 2022-01-01 --aim equal --schedule 1q --cost 10bp";
  EXPECT_THAT(run_tool(alone).err, Not(HasSubstr("luck")));
  EXPECT_THAT(run_tool(alone + " --draws 100").err, HasSubstr("What was luck cannot be told: luck: there is one run"));
}

TEST(Rehearse, ComparesSchedulesAtOtherLevelsOfCosts) {
  const std::string words = "rehearse" + mandate + " --aim equal --baseline quarterly --cost-levels ";
  const auto result = result_of(words);
  const auto& levels = result["cost_levels"];
  EXPECT_EQ(levels["aim"], "equal");
  EXPECT_EQ(levels["baseline"], "quarterly");
  const auto all = levels["levels"].get<std::vector<double>>();
  const auto once = std::size_t(std::ranges::find(all, 1.0) - all.begin());
  ASSERT_LT(once, all.size());
  ASSERT_EQ(levels["growth"].size(), 7u) << "cost-aware weighs costs anew";
  for (const auto& run : result["runs"]) {
    if (run["aim"] != "equal") continue;
    const auto& growth = levels["growth"][run["schedule"].get<std::string>()];
    EXPECT_NEAR(growth[once], run["growth_per_year"], 1e-13) << run["schedule"];
    EXPECT_GT(growth.front(), growth.back());
    for (const char* figure : {"volatility", "sharpe", "max_drawdown", "cost_per_year", "tracking_to_targets"}) {
      EXPECT_NEAR(levels[figure][run["schedule"].get<std::string>()][once], run[figure], 1e-12) << figure;
    }
  }
  for (const auto& one : levels["break_evens"]) EXPECT_LE(one["low"].get<double>(), one["high"].get<double>());
  EXPECT_THAT(run_tool(words).out,
              AllOf(HasSubstr("equal: growth per year by the level of trading costs"), HasSubstr("Grows most: ")));
  EXPECT_FALSE(result_of("rehearse" + mandate + " --aim equal --draws 0").contains("cost_levels"));
  // What a mandate wants beside its runs costs them nothing where it cannot be.
  const Folder folder;
  auto text = text_of(demo + "/mandate.toml");
  for (const char* file : {"prices", "tags.csv", "identifiers.csv", "rates"}) {
    const auto named = fmt::format("= \"{}\"", file);
    text.replace(text.find(named), named.size(), fmt::format("= \"{}/{}\"", demo, file));
  }
  text.insert(text.find("[rehearsal]\n") + 12, "cost_levels = true\n");
  const auto wants = folder.write("m.toml", text).string();
  EXPECT_TRUE(result_of("rehearse --mandate " + wants + " --aim equal").contains("cost_levels"));
  const auto without = run_tool("rehearse --mandate " + wants + " --aim equal --schedule never --schedule 1m");
  EXPECT_EQ(without.code, 0);
  EXPECT_THAT(without.err, HasSubstr("Other levels of costs cannot be told: baseline: no run, schedule or portfolio"));
  EXPECT_THAT(run_tool("rehearse" + mandate + " --aim equal --reestimate 1y --baseline quarterly --cost-levels").err,
              HasSubstr("weights that are chosen anew have no such line"));
}

TEST(Rehearse, PricesAfterTheSplitDoNotChangeTheWeightsChosen) {
  const Folder folder;
  fs::create_directories(folder / "prices");
  for (const char* asset : {"KELPFARM", "HOLLBOND", "GALEWORK"}) {
    std::istringstream file(text_of(demo + "/prices/" + asset + ".csv"));
    std::string line, text = "date,close\n";
    std::getline(file, line);
    while (std::getline(file, line)) {
      const auto comma = line.rfind(',', line.rfind(',') - 1);
      const auto price = std::stod(line.substr(comma + 1));
      const bool after = line.substr(0, 10) >= "2023-01-01";
      text += fmt::format("{},{}\n", line.substr(0, 10), after ? 2 * price : price);
    }
    folder.write(std::string("prices/") + asset + ".csv", text);
  }
  const std::string rest = " --split 2023-01-01 --cost 10bp --aim minimum-variance --schedule never";
  const auto changed =
      result_of("weigh --prices " + (folder / "prices").string() + " --split 2023-01-01 --aim minimum-variance");
  const auto original =
      result_of("weigh --prices " + demo +
                "/prices --assets KELPFARM,HOLLBOND,GALEWORK --split 2023-01-01 --aim minimum-variance");
  EXPECT_EQ(changed["portfolios"][0]["weights"].size(), original["portfolios"][0]["weights"].size());
  for (const auto& [asset, weight] : original["portfolios"][0]["weights"].items()) {
    EXPECT_NEAR(changed["portfolios"][0]["weights"][asset].get<double>(), weight.get<double>(), 1e-9);
  }
  // All closes double on one day, as in a split that nobody knows of: only who says that it is real may go on.
  const auto rehearse = "rehearse --prices " + (folder / "prices").string() + rest;
  EXPECT_THAT(run_tool(rehearse).err, HasSubstr("move like a split on 2023-01-02"));
  EXPECT_EQ(run_tool(rehearse + " --real-moves KELPFARM --real-moves HOLLBOND --real-moves GALEWORK").code, 0);
}

TEST(Rehearse, WithoutASplitSaysWhy) {
  const auto said = run_tool("rehearse --prices " + demo + "/prices --assets KELPFARM,HOLLBOND");
  EXPECT_EQ(said.code, 1);
  EXPECT_THAT(said.err, HasSubstr("the weights would be chosen by the very prices they are tested on"));
}

/// The demo's mandate of whole units in a folder of its own, with words put in place of others, and more behind.
using Changes = std::vector<std::pair<std::string, std::string>>;

struct Changed {
  explicit Changed(const Changes& changes, const std::string& more = "") {
    auto text = text_of(demo + "/whole-units.toml");
    for (const char* file : {"prices", "tags.csv", "rates", "actions.csv", "units.csv"}) {
      replace(text, fmt::format("= \"{}\"", file), fmt::format("= \"{}/{}\"", demo, file));
    }
    for (const auto& [from, to] : changes) replace(text, from, to);
    path = folder.write("m.toml", text + more).string();
  }
  static void replace(std::string& text, const std::string& from, const std::string& to) {
    const auto at = text.find(from);
    ASSERT_NE(at, std::string::npos) << from;
    text.replace(at, from.size(), to);
  }
  [[nodiscard]] json result(const std::string& words = "") const {
    return result_of("rehearse --mandate " + path + " " + words);
  }
  Folder folder;
  std::string path;
};

/// Orders of all runs but the benchmark's.
std::vector<json> orders_of(const json& result) {
  std::vector<json> orders;
  for (std::size_t k = 0; k + 1 < result["runs"].size(); ++k) {
    for (const auto& trade : result["runs"][k]["trades"]) {
      for (auto order : trade["orders"]) {
        order["withdrawal"] = trade["reason"] == "withdrawal";
        orders.push_back(order);
      }
    }
  }
  return orders;
}

std::vector<json> events_of(const json& run, const std::string& kind) {
  std::vector<json> events;
  for (const auto& event : run["log"]) {
    if (event["event"] == kind) events.push_back(event);
  }
  return events;
}

TEST(RehearseWholeUnits, TradesLotsFromTheUnitsHeldAndPaysOutItsDividends) {
  const Changed plain{Changes{}};
  const auto result = plain.result();
  const auto orders = orders_of(result);
  ASSERT_GT(orders.size(), 200u);
  for (const auto& order : orders) {
    const bool abroad = order["asset"].get<std::string>().starts_with("MARROW");
    const double lots = order["units"].get<double>() / (abroad ? 10 : 1);
    EXPECT_NEAR(lots, std::round(lots), 1e-6) << order;
    EXPECT_TRUE(order["withdrawal"] || std::abs(order["value"].get<double>()) >= 10'000) << order;
    const double commission = order["costs"].value("commission", 0.0);
    EXPECT_GE(commission, 90 - 1e-9);
    EXPECT_LE(commission, 4000 + 1e-9);
  }
  // The start is what units.csv comes to at the closes of the first day.
  EXPECT_EQ(result["days"][0], "2022-12-30");
  double wealth = 0;
  std::istringstream units(text_of(demo + "/units.csv"));
  std::string line;
  std::getline(units, line);
  while (std::getline(units, line)) {
    const auto comma = line.find(',');
    const auto asset = line.substr(0, comma);
    const double count = std::stod(line.substr(comma + 1));
    if (asset == "cash") {
      wealth += count;
      continue;
    }
    const auto history = text_of(demo + "/prices/" + asset + ".csv");
    const auto row = history.substr(history.find("2022-12-30"));
    std::vector<std::string> cells;
    std::istringstream cut(row.substr(0, row.find('\n')));
    for (std::string cell; std::getline(cut, cell, ',');) cells.push_back(cell);
    double price = std::stod(cells[4]);
    if (asset.starts_with("MARROW")) {
      const auto rates = text_of(demo + "/rates/MRD.csv");
      price *= std::stod(rates.substr(rates.find("2022-12-30") + 11));
    }
    wealth += count * price;
  }
  EXPECT_NEAR(result["runs"][0]["net"][0].get<double>(), wealth, 1e-3);
  // COLDQUAY pays each quarter, after withholding; BEACONET's shares are parted in 2024.
  const auto& equal = result["runs"][4];  // which holds all
  ASSERT_EQ(equal["aim"], "equal");
  EXPECT_GE(events_of(equal, "dividend").size(), 8u);
  EXPECT_GT(events_of(equal, "flow").size(), 30u);
  const auto splits = events_of(equal, "split");
  ASSERT_EQ(splits.size(), 1u);
  EXPECT_EQ(splits[0]["asset"], "BEACONET");
  EXPECT_EQ(splits[0]["day"], "2024-06-17");
  const Changed untaxed(Changes{{"withholding = \"15%\"", "withholding = \"0%\""}});
  const auto of_first = [](const json& from) {
    return events_of(from["runs"][0], "dividend")[0]["figure"].get<double>();
  };
  EXPECT_NEAR(of_first(result) / of_first(untaxed.result()), 0.85, 0.005);
}

TEST(RehearseSettings, EndsCashAnAssetAtItsHaircut) {
  const Changed goes_on(Changes{}, "\n[ends.KELPFARM]\nday = 2024-03-04\nhaircut = \"40%\"\n");
  EXPECT_THAT(run_tool("rehearse --mandate " + goes_on.path).err,
              HasSubstr("KELPFARM: it ends on 2024-03-04 and has a price on 2024-03-05"));
  // A history that is over: it is cashed on that day.
  Changed over(Changes{}, "\n[ends.KELPFARM]\nday = 2024-03-05\nhaircut = \"40%\"\n");
  const auto prices = over.folder / "prices";
  fs::copy(demo + "/prices", prices);
  const auto history = text_of(prices / "KELPFARM.csv");
  over.folder.write("prices/KELPFARM.csv", history.substr(0, history.find("2024-03-05")));
  auto text = text_of(over.path);
  Changed::replace(text, demo + "/prices", prices.string());
  over.folder.write("m.toml", text);
  const auto run = over.result("--schedule never")["runs"][0];
  const auto ends = events_of(run, "end");
  ASSERT_EQ(ends.size(), 1u);
  EXPECT_EQ(ends[0]["asset"], "KELPFARM");
  EXPECT_EQ(ends[0]["day"], "2024-03-05");
  const double held = ends[0]["figure"];
  EXPECT_GT(held, 100'000);
  // Without a haircut that day ends so much higher.
  Changed::replace(text, "haircut = \"40%\"", "haircut = \"0%\"");
  over.folder.write("m.toml", text);
  const auto whole = over.result("--schedule never");
  const auto& days = whole["days"];
  const auto row = std::size_t(std::find(days.begin(), days.end(), "2024-03-05") - days.begin());
  EXPECT_EQ(whole["runs"][0]["net"][row - 1], run["net"][row - 1]);
  EXPECT_NEAR(whole["runs"][0]["net"][row].get<double>() - run["net"][row].get<double>(), 0.4 * held, 1e-4);
}

TEST(RehearseSettings, ClosedForLongerThanAHolidayIsASuspensionOrAnEnd) {
  // DREDGECO is not traded for nine days in September 2021.
  const std::vector<std::pair<std::string, std::string>> earlier = {
      {"split = 2023-01-01", "split = 2021-07-01"},
      {"\"minimum-variance\", \"maximum-sharpe\"", "\"equal\""},
      {"check = \"1q\"", "check = \"1d\""},
      {"start = \"current\"", "start = \"cash\""}};
  const auto events = [&](const std::string& more, const char* kind) {
    auto changes = earlier;
    changes.emplace_back("cash_floor = \"0.5%\"", "cash_floor = \"0.5%\"\n" + more);
    const auto result = Changed(changes).result();
    std::set<std::string> days;
    for (const auto& event : events_of(result["runs"][0], kind)) {
      if (event["asset"] == "DREDGECO") days.insert(event["day"]);
    }
    return days;
  };
  const auto suspended = events("", "suspension");
  ASSERT_FALSE(suspended.empty());
  EXPECT_EQ(*suspended.begin(), "2021-09-13") << "from the sixth day on";
  EXPECT_EQ(*suspended.rbegin(), "2021-09-16");
  EXPECT_TRUE(events("holiday = 10", "suspension").empty());
  EXPECT_FALSE(events("holiday = 10", "wait").empty());
  auto changes = earlier;
  changes.emplace_back("cash_floor = \"0.5%\"", "cash_floor = \"0.5%\"\nended_after = 7");
  EXPECT_THAT(run_tool("rehearse --mandate " + Changed(changes).path).err,
              AllOf(HasSubstr("DREDGECO"), HasSubstr("2021-09-14"), HasSubstr("2021-09-17")));
}

TEST(RehearseSettings, ShortProceedsEarnOnlyWhereThatIsAskedFor) {
  const Folder folder;
  const auto weights = folder.write("w.csv", "asset,weight\nHOLLBOND,120%\nKELPFARM,-60%\n").string();
  const std::string words = "rehearse --prices " + demo + "/prices --assets KELPFARM,HOLLBOND --split 2023-01-01 " +
                            "--weights " + weights + " --schedule never --cash-rate 3%";
  const auto interest = [&](const std::string& setting) {
    const auto file = folder.write("m.toml", "[rehearsal]\n" + setting).string();
    return result_of(words + " --mandate " + file)["runs"][0]["interest"].get<double>();
  };
  const double without = interest(""), with = interest("proceeds_earn = true\n");
  // All is cash over the weekend before it is invested; then 40% of the wealth, which are less than the proceeds.
  EXPECT_NEAR(without, 1e6 * 0.03 * 3 / 365, 1e-6);
  EXPECT_GT(with, 0.3 * 0.03 * 3 * 1e6);
}

TEST(RehearseSettings, TiersChargeEachSliceOfAnOrder) {
  const auto result =
      Changed(Changes{{"tiers = [\"0: 12bp\", \"1000000: 8bp\"]", "tiers = [\"0: 12bp\", \"500000: 2bp\"]"},
                      {"most = 4000", "most = 400000"}})
          .result();
  int large = 0;
  for (const auto& order : orders_of(result)) {
    const auto asset = order["asset"].get<std::string>();
    if (asset.starts_with("MARROW") || asset == "HOLLBOND" || asset == "BILLFUND") continue;
    const double value = std::abs(order["value"].get<double>());
    const double commission = value <= 5e5 ? 12e-4 * value : 12e-4 * 5e5 + 2e-4 * (value - 5e5);
    EXPECT_NEAR(order["costs"].value("commission", 0.0), std::max(90.0, commission), 1e-6);
    large += value > 5e5;
  }
  EXPECT_GT(large, 3);
}

/// Two assets over 90 weekdays in a folder of their own, with volumes.
struct TwoTraded {
  TwoTraded() {
    for (int which : {0, 1}) {
      std::string text = "date,close,volume\n";
      Day day = *parse_day("2023-01-02");
      for (int t = 0; t < 90; ++t, day += std::chrono::days{t % 5 == 0 ? 3 : 1}) {
        days[std::size_t(t)] = to_string(day);
        closes[which][t] = 50 + 5 * std::sin((which + 1) * t / 3.0) + which;
        text += fmt::format("{},{},{}\n", days[std::size_t(t)], closes[which][t], volume);
      }
      folder.write(std::string("prices/") + (which == 0 ? "KELPFARM" : "TIDEMILL") + ".csv", text);
    }
    words = "rehearse --prices " + (folder / "prices").string() + " --every 1d --aim equal --split " + days[60];
  }
  static constexpr double volume = 20'000;
  Folder folder;
  std::array<std::string, 90> days;
  double closes[2][90];
  std::string words;
};

TEST(RehearseSettings, ImpactHangsOnTheDaysBeforeTheDecisionAlsoOfTheFirstTrade) {
  const TwoTraded two;
  const auto file = two.folder.write("m.toml", "[costs.all]\nimpact = 0.4\n").string();
  const auto result = result_of(two.words + " --schedule never --mandate " + file);
  const auto& trade = result["runs"][0]["trades"][0];
  ASSERT_EQ(trade["decided"], two.days[59]);
  ASSERT_EQ(trade["orders"].size(), 2u);
  for (const auto& order : trade["orders"]) {
    const auto& closes = two.closes[order["asset"] == "KELPFARM" ? 0 : 1];
    double sum = 0, squares = 0, traded = 0;
    for (int t = 39; t <= 59; ++t) {
      traded += closes[t] * TwoTraded::volume / 21;
      if (t == 39) continue;
      const double r = closes[t] / closes[t - 1] - 1;
      sum += r, squares += r * r;
    }
    const double volatility = std::sqrt((squares - sum * sum / 20) / 19), value = order["value"];
    const double impact = 0.4 * volatility * std::sqrt(value / traded) * value;
    EXPECT_NEAR(order["costs"]["impact"], impact, 1e-9 * impact);
    EXPECT_GT(impact, 100);
  }
}

TEST(RehearseSettings, StartsFromTheWeightsHeldNow) {
  const TwoTraded two;
  const auto held = two.folder.write("held.csv", "asset,weight\nKELPFARM,70%\nTIDEMILL,20%\n").string();
  const auto result =
      result_of(two.words + " --schedule never --cost 10bp --start current --wealth 2m --current " + held);
  const auto& run = result["runs"][0];
  EXPECT_NEAR(run["net"][0], 2e6, 1e-6);
  // Held over the day until the trade; a tenth of it is cash.
  const double kelp = 1.4e6 * two.closes[0][60] / two.closes[0][59];
  const double mill = 0.4e6 * two.closes[1][60] / two.closes[1][59];
  const auto& trade = run["trades"][0];
  EXPECT_NEAR(trade["wealth_before"], kelp + mill + 2e5, 1e-6);
  // W + 10bp of (kelp - W / 2) + 10bp of (W / 2 - mill) = V.
  const double before = kelp + mill + 2e5, after = before - 0.001 * (kelp - mill);
  EXPECT_NEAR(trade["wealth_after"], after, 1e-5);
  ASSERT_EQ(trade["orders"].size(), 2u);
  EXPECT_NEAR(trade["orders"][0]["value"], after / 2 - kelp, 1e-5);
  EXPECT_NEAR(trade["orders"][1]["value"], after / 2 - mill, 1e-5);
}

TEST(RehearseLog, IsPrintedWhereItIsAskedFor) {
  const auto words = "rehearse" + mandate + "--aim minimum-variance --schedule 1q";
  EXPECT_THAT(run_tool(words).out, Not(HasSubstr("What happened")));
  EXPECT_THAT(run_tool(words + " --log").out,
              AllOf(HasSubstr("What happened"), HasSubstr("cash paid in or out"), HasSubstr("decides to trade")));
}

TEST(RehearseFiles, TheLastDaysWeightsAreWhatIsHeldInTheEnd) {
  const Folder folder;
  const auto words = "rehearse" + mandate + "--aim minimum-variance --schedule 1q ";
  const auto said = run_tool(words + "--csv " + (folder / "csv").string());
  ASSERT_EQ(said.code, 0) << said.err;
  const auto last = result_of(words)["runs"][0]["net"].back().get<double>();
  const std::string name = "\"minimum-variance, 1q\",";
  std::istringstream weights(text_of(folder / "csv/daily_weights.csv")), held(text_of(folder / "csv/holdings.csv"));
  std::string line, row;
  while (std::getline(weights, line)) {
    if (line.starts_with(name + "2025-12-31")) row = line;
  }
  double cash = 0;
  int positions = 0, weighty = 0;
  while (std::getline(held, line)) {
    if (line.starts_with(name + "cash,")) cash = std::stod(line.substr((name + "cash,").size()));
    positions += line.starts_with(name) && !line.starts_with(name + "cash,");
  }
  std::istringstream cells(row.substr(name.size() + 11));
  double share = 0;
  for (std::string cell; std::getline(cells, cell, ',');) {
    share = std::stod(cell);
    weighty += share != 0;
  }
  EXPECT_NEAR(share * last, cash, 1e-3) << "cash is the last column";
  EXPECT_EQ(weighty, positions + 1);
}

}  // namespace
}  // namespace inchtide::test
