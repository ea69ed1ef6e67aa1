// Readers meet files that were damaged in a thousand ways: each is read, or refused in words, and nothing else happens.
// The sanitizers watch.

#include <nlohmann/json.hpp>
#include <random>

#include "inchtide/base/errors.hpp"
#include "inchtide/exchange/action_file.hpp"
#include "inchtide/exchange/estimate_file.hpp"
#include "inchtide/exchange/list_files.hpp"
#include "inchtide/exchange/price_files.hpp"
#include "inchtide/exchange/prices.hpp"
#include "inchtide/exchange/provider.hpp"
#include "inchtide/exchange/rate_files.hpp"
#include "inchtide/mandate/mandate.hpp"
#include "support/process.hpp"

namespace inchtide::exchange {
namespace {

constexpr int rounds = 1500;

// A few random edits: bytes changed, cut out, doubled, or taken from a list of awkward pieces.
std::string damaged(std::string text, std::mt19937_64& random) {
  static const std::vector<std::string> pieces = {",",
                                                  ";",
                                                  "\"",
                                                  "\n",
                                                  "\r\n",
                                                  "\0",
                                                  "\xEF\xBB\xBF",
                                                  "\xFF",
                                                  "1e999",
                                                  "-0",
                                                  "nan",
                                                  "9999-99-99",
                                                  "0000-00-00",
                                                  "[",
                                                  "]",
                                                  "{",
                                                  "}",
                                                  "[[",
                                                  "null",
                                                  "~2",
                                                  "\"\"\"",
                                                  std::string(300, '9'),
                                                  std::string(5000, '['),
                                                  "=",
                                                  "%",
                                                  "0x1p-1074"};
  for (int edits = 1 + int(random() % 4); edits > 0 && !text.empty(); --edits) {
    const auto at = random() % text.size();
    const auto length = std::min<std::size_t>(1 + random() % 20, text.size() - at);
    switch (random() % 5) {
      case 0: text[at] = char(random() % 256); break;
      case 1: text.erase(at, length); break;
      case 2: text.insert(at, text.substr(at, length)); break;
      case 3: text.insert(at, pieces[random() % pieces.size()]); break;
      default: text.resize(at);
    }
  }
  return text;
}

// How many of the damaged files were read, how many refused.
struct Tally {
  int read = 0, refused = 0;
};

template <typename Read>
Tally try_damaged(const std::string& name, const std::string& good, Read read) {
  const test::Folder folder(test::Folder::quick_parent());
  std::mt19937_64 random(20240304);
  Tally tally;
  for (int round = 0; round < rounds; ++round) {
    const auto text = damaged(good, random);
    const auto file = folder.write(name, text);
    try {
      read(file, text);
      ++tally.read;
    } catch (const Error& error) {
      EXPECT_NE(std::string(error.what()), "");
      ++tally.refused;
    }
  }
  return tally;
}

void expect_both(const Tally& tally) {
  EXPECT_GT(tally.read, 0) << "some damage is harmless";
  EXPECT_GT(tally.refused, rounds / 10);
}

const std::string csv =
    "date,open,close,adjusted_close,volume\n2024-03-04,9.5,10,9,100\n2024-03-05,,11,9.9,\n\"2024-03-06\",10,12,\"10."
    "8\",7\n";

TEST(Damaged, PriceFiles) {
  for (const auto& style : {CsvStyle{}, CsvStyle{CsvStyle::Dates::day_first, CsvStyle::Decimal::comma},
                            CsvStyle{CsvStyle::Dates::month_first, CsvStyle::Decimal::point}}) {
    const auto tally = try_damaged("A.csv", csv, [&](const auto& file, const auto&) {
      for (const auto& bars : read_bars(file, {style})) {
        for (std::size_t i = 1; i < bars.days.size(); ++i) ASSERT_LT(bars.days[i - 1], bars.days[i]);
        for (auto field : bars.fields_held()) ASSERT_EQ(bars.of(field).size(), bars.days.size());
      }
      read_price_file(file, {style}).check("A");
    });
    if (style.decimal == CsvStyle::Decimal::unsaid) expect_both(tally);
  }
}

TEST(Damaged, WideLongAndOtherTables) {
  expect_both(try_damaged("all.csv", "date,A,B\n2024-03-04,1,2\n2024-03-05,3,\n2024-03-06,4,5\n",
                          [](const auto& file, const auto&) { read_prices(file); }));
  expect_both(try_damaged("all.csv",
                          "asset,date,close\nA,2024-03-04,1\nB,2024-03-04,1\nA,2024-03-05,2\nB,2024-03-05,2\n",
                          [](const auto& file, const auto&) { read_bars_listing_failures(file); }));
  expect_both(try_damaged("MRD-HLC.csv", "date,rate\n2024-03-04,1.35\n",
                          [](const auto& file, const auto&) { read_rates(file); }));
  expect_both(try_damaged("a.csv", "asset,date,split,dividend\nA,2024-03-04,2:1,\nB,2024-03-04,,0.5\n",
                          [](const auto& file, const auto&) { read_actions(file); }));
  expect_both(
      try_damaged("w.csv", "asset,weight\nA,60%\nB,40%\n", [](const auto& file, const auto&) { read_weights(file); }));
  try_damaged("t.csv", "code,sector\nA,food\nB,power\n", [](const auto& file, const auto&) { read_tags(file); });
}

TEST(Damaged, EstimateFiles) {
  expect_both(try_damaged(
      "e.json",
      R"({"assets":["A","B"],"expected_return":[0.05,0.08],"covariance":[[0.04,0.01],[0.01,0.09]],"risk_free":0.01})",
      [](const auto& file, const auto&) { read_estimate(file); }));
}

TEST(Damaged, Mandates) {
  const auto good = test::text_of(std::string(INCHTIDE_SOURCE) + "/demo/mandate.toml");
  expect_both(try_damaged("m.toml", good, [](const auto& file, const auto&) { read_mandate(file); }));
}

TEST(Damaged, ProviderAnswers) {
  Provider provider{"pier"};
  provider.days = "/s/days";
  provider.fields[std::size_t(PriceField::close)] = "/s/close";
  provider.members = "/m";
  expect_both(try_damaged("a.json", R"({"m":["A"],"s":{"days":["2024-03-04","2024-03-05"],"close":[10,null]}})",
                          [&](const auto&, const auto& text) {
                            bars_from_answer(provider, "A", text);
                            members_from_answer(provider, "all", text);
                          }));
  provider.seconds = true;
  provider.zone = "Europe/Oslo";
  expect_both(try_damaged("a.json", R"({"s":{"days":[1709595000,1719871200],"close":[10,11]}})",
                          [&](const auto&, const auto& text) { bars_from_answer(provider, "A", text); }));
  provider.csv = true;
  provider.days = "date";
  provider.fields = {};
  provider.fields[std::size_t(PriceField::close)] = "close";
  expect_both(try_damaged("a.csv", csv, [&](const auto&, const auto& text) { bars_from_answer(provider, "A", text); }));
}

}  // namespace
}  // namespace inchtide::exchange
