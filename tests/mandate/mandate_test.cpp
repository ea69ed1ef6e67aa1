#include "inchtide/mandate/mandate.hpp"

#include <gmock/gmock.h>

#include <fstream>

#include "inchtide/base/errors.hpp"
#include "inchtide/mandate/declarations.hpp"
#include "support/messages.hpp"
#include "support/process.hpp"

namespace inchtide {
namespace {

using test::Folder;
using test::message_of;
using testing::AllOf;
using testing::ElementsAre;
using testing::HasSubstr;

Mandate mandate_from(const std::string& text) {
  const Folder folder;
  return read_mandate(folder.write("rules.toml", text));
}

TEST(Mandate, NamesAreNamesLikeAllOthers) {
  const auto complaint = [](const std::string& text) { return message_of([&] { mandate_from(text); }); };
  EXPECT_THAT(complaint("[limits]\n\"a\\u001b[2Jb\" = \"each <= 10%\"\n"),
              AllOf(HasSubstr("rules.toml, line 2, [limits]"), HasSubstr("control character U+001B")));
  EXPECT_THAT(complaint("[limits]\n\"\" = \"each <= 10%\"\n"), HasSubstr("it is empty"));
  EXPECT_THAT(complaint("[schedules]\n\"x\\ny\" = \"1m\"\n"), HasSubstr("control character U+000A"));
  EXPECT_THAT(complaint("[costs.\"\\u202Eall\"]\nbuy = 1\n"), HasSubstr("control character U+202E"));
  EXPECT_THAT(complaint("[limits]\n\"" + std::string(201, 'x') + "\" = \"each <= 10%\"\n"),
              HasSubstr("it has 201 characters, the most is 200"));
  EXPECT_THAT(complaint("[universe]\nassets = [\"A\", \"B\\u0000\"]\n"),
              AllOf(HasSubstr("line 2, universe.assets"), HasSubstr("U+0000")));
  EXPECT_THAT(complaint("[universe]\nbenchmark = \"" + std::string(65, 'x') + "\"\n"), HasSubstr("the most is 64"));
  EXPECT_THAT(complaint("[universe]\ncurrency = \"H\\tC\"\n"), HasSubstr("U+0009"));
}
TEST(MandateFile, IsReadWhole) {
  const Folder folder;
  const auto mandate = read_mandate(folder.write("rules.toml", R"(
[universe]
prices = "prices"
assets = ["A", "B"]
benchmark = "IDX"
currency = "HLC"
rates = "fx"
align = "carry:3"
drop_misprints = true
[estimate]
every = "2w"
from = 2020-01-01
to = "2021-12-31"
risk_free = "1.5%"
[limits]
zebra = "A <= 12%"
apple = "each >= 1%"
[costs.all]
bps = 12
[costs."sector:bonds"]
buy_bps = 4
[schedules.often]
check = "1w"
[rehearsal]
split = 2021-01-01
wealth = 5_000
delay = 0
aims = ["equal", "target-return=8%"]
)"));
  EXPECT_EQ(*mandate.prices, folder / "prices");
  EXPECT_THAT(mandate.settings.assets, ElementsAre("A", "B"));
  EXPECT_EQ(mandate.settings.benchmark, "IDX");
  EXPECT_EQ(*mandate.rates, folder / "fx");
  EXPECT_EQ(mandate.settings.align.text(), "carry:3");
  EXPECT_TRUE(mandate.settings.drop_misprints);
  EXPECT_EQ(mandate.settings.every, (Interval{2, Unit::week}));
  EXPECT_EQ(mandate.settings.from, parse_day("2020-01-01"));
  EXPECT_EQ(mandate.settings.to, parse_day("2021-12-31"));
  EXPECT_DOUBLE_EQ(*mandate.settings.risk_free, 0.015);
  ASSERT_EQ(mandate.settings.limits.size(), 2u);
  EXPECT_EQ(mandate.settings.limits[0].name, "zebra");  // in the order of the file
  ASSERT_EQ(mandate.settings.costs.size(), 2u);
  EXPECT_EQ(mandate.settings.costs[1].applies_to, "sector:bonds");
  EXPECT_EQ(mandate.settings.costs[1].buy.bps, 4);
  EXPECT_EQ(mandate.settings.costs[1].sell.bps, std::nullopt);
  EXPECT_EQ(mandate.settings.schedules[0].name, "often");
  EXPECT_EQ(mandate.settings.wealth, 5000);
  EXPECT_EQ(mandate.settings.delay, 0);
  EXPECT_EQ(mandate.settings.aims.size(), 2u);
}

TEST(MandateFile, HoldsHowToGatherAndToEstimate) {
  const Folder folder;
  const auto mandate = read_mandate(folder.write("rules.toml", R"(
[universe]
field = "close"
fields = { B = "adjusted" }
short_histories = "keep"
rate_carry = 2
dates = "day-first"
decimal = "comma"
actions = "acts.csv"
identifiers = "ids.csv"
[gather]
store = "p.store"
provider = "pier"
list = "all"
[providers.pier]
url = "https://prices.example"
path = "/h/{asset}"
answer = "csv"
days = "Day"
close = "Last"
days_are = "seconds"
zone = "Europe/Oslo"
suffixes = { "currency:MRD" = ".MX" }
retries = 7
timeout_seconds = 2.5
[estimate]
last_period = "keep"
expected = "exponential:24"
covariance = "factors:4"
denominator = "population"
premium = "4%"
own = { A = "5%" }
caps = { B = "9%" }
[views.sea]
says = "A - B = 1%"
confidence = "60%"
)"));
  EXPECT_EQ(mandate.settings.fields.wanted("A"), PriceField::close);
  EXPECT_EQ(mandate.settings.fields.wanted("b"), PriceField::adjusted_close);
  EXPECT_EQ(mandate.settings.short_histories, ShortHistories::keep);
  EXPECT_EQ(mandate.settings.rate_carry, 2);
  EXPECT_EQ(mandate.style.dates, exchange::CsvStyle::Dates::day_first);
  EXPECT_EQ(mandate.style.decimal, exchange::CsvStyle::Decimal::comma);
  EXPECT_EQ(*mandate.actions, folder / "acts.csv");
  EXPECT_EQ(*mandate.store, folder / "p.store");
  ASSERT_EQ(mandate.providers.size(), 1u);
  const auto& pier = mandate.providers[0];
  EXPECT_TRUE(pier.csv && pier.seconds);
  EXPECT_EQ(pier.fields[std::size_t(PriceField::close)], "Last");
  EXPECT_EQ(pier.suffixes.at("currency:MRD"), ".MX");
  EXPECT_EQ(pier.http.retries, 7);
  EXPECT_EQ(pier.http.timeout_seconds, 2.5);
  EXPECT_TRUE(mandate.settings.keep_last_period);
  EXPECT_EQ(mandate.settings.methods.expected.text(), "exponential:24");
  EXPECT_EQ(mandate.settings.methods.covariance.factors, 4);
  EXPECT_EQ(mandate.settings.methods.denominator, Denominator::population);
  EXPECT_DOUBLE_EQ(*mandate.settings.methods.premium, 0.04);
  EXPECT_DOUBLE_EQ(mandate.settings.methods.own.at("a"), 0.05);
  EXPECT_DOUBLE_EQ(mandate.settings.methods.caps.at("b"), 0.09);
  ASSERT_EQ(mandate.settings.methods.views.size(), 1u);
  EXPECT_DOUBLE_EQ(mandate.settings.methods.views[0].confidence, 0.6);
  EXPECT_EQ(mandate.settings.methods.views[0].positions[1].second, -1);
  const auto complaint = [](const std::string& text) { return message_of([&] { mandate_from(text); }); };
  EXPECT_THAT(complaint("[providers.p]\nurl = \"x\"\n"), HasSubstr("providers.p: path is missing"));
  EXPECT_THAT(complaint("[providers.p]\nulr = \"x\"\n"), HasSubstr("Did you mean 'url'?"));
  EXPECT_THAT(complaint("[providers.p]\nanswer = \"xml\"\n"), HasSubstr("Give \"json\" or \"csv\""));
  EXPECT_THAT(complaint("[universe]\nfield = \"volume\"\n"), HasSubstr("a volume is no price field"));
  EXPECT_THAT(complaint("[estimate]\nlast_period = \"x\"\n"), HasSubstr("Give \"drop\" or \"keep\""));
  EXPECT_THAT(complaint("[estimate]\ntau = 0\n"), HasSubstr("estimate.tau: it cancels out"));
  EXPECT_THAT(complaint("[views.x]\n"), HasSubstr("views.x.says: the key is missing"));
}

TEST(Mandate, ItsKeysSpellWhatAnErrorSaysCanBeChanged) {
  const Notice notice("returns", "there are too few",
                      {{Means::interval, "Take a shorter interval", "1w"}, {Means::patience, "wait"}});
  EXPECT_EQ(notice.text(key_of), "returns: there are too few. Take a shorter interval (estimate.every 1w), or wait");
  EXPECT_EQ(key_of(Means::none), "");
}

TEST(MandateFile, AnUnknownKeyIsNamedWithTheNearestKnown) {
  const auto complaint = [](const std::string& text) { return message_of([&] { mandate_from(text); }); };
  EXPECT_THAT(complaint("[estimate]\nevry = \"1m\"\n"),
              HasSubstr("rules.toml, line 2, estimate.evry: 'evry' is not a key that it knows. Did you mean 'every'?"));
  EXPECT_THAT(complaint("[estmate]\n"), HasSubstr("Did you mean 'estimate'?"));
  EXPECT_THAT(complaint("[costs.all]\nbp = 3\n"),
              HasSubstr("costs.all.bp: 'bp' is not a key that it knows. Did you mean 'bps'?"));
  EXPECT_THAT(complaint("prices = \"x\"\n"), HasSubstr("'prices' is not a key that it knows"));
}

TEST(MandateFile, AFlowHasOneDayOrCalendarAndAnAmount) {
  const auto complaint = [](const std::string& flow) {
    return message_of([&] { mandate_from("[flows.gift]\n" + flow); });
  };
  EXPECT_THAT(complaint("day = 2024-03-01\namount = 5\n"), "nothing was thrown");
  EXPECT_THAT(complaint("every = \"1m\"\nday = 2024-03-01\namount = 5\n"),
              HasSubstr("line 1, flows.gift: it has a calendar and a day"));
  EXPECT_THAT(complaint("amount = 5\n"), HasSubstr("neither a calendar nor a day"));
  EXPECT_THAT(complaint("every = \"1m\"\n"), HasSubstr("it has no amount"));
  EXPECT_THAT(complaint("day = 2024-03-01\nmonth = 3\namount = 5\n"), HasSubstr("a day has its month already"));
  EXPECT_THAT(complaint("every = \"1m\"\nshare = \"2%\"\namount = 5\n"), HasSubstr("it has an amount too"));
  for (const char* calendar : {"never", "band:5pp", "1q|band:5pp", "1q:tranches=4"}) {
    EXPECT_THAT(complaint(std::string("amount = 5\nevery = \"") + calendar + "\"\n"), HasSubstr("is no calendar"));
  }
}

TEST(MandateFile, NothingIsSetTwiceInOtherCapitals) {
  const auto complaint = [](const std::string& text) { return message_of([&] { mandate_from(text); }); };
  EXPECT_THAT(complaint("[estimate.own]\nKELPFARM = \"6%\"\nTIDEMILL = \"6%\"\nkelpfarm = \"9%\"\n"),
              HasSubstr("line 4, estimate.own.kelpfarm: it is there already as 'estimate.own.KELPFARM', in line 2"));
  EXPECT_THAT(complaint("[costs.all]\nbps = 3\n[costs.ALL]\nleast = 5\n"),
              HasSubstr("already as 'costs.all', in line 1"));
}

TEST(MandateFile, SaysWhereAValueIsWrong) {
  const auto complaint = [](const std::string& text) { return message_of([&] { mandate_from(text); }); };
  EXPECT_THAT(complaint("[universe]\nprices = 3\n"),
              HasSubstr("line 2, universe.prices: the value is of another kind. Give a text"));
  EXPECT_THAT(complaint("[estimate]\nrisk_free = 0.02\n"), HasSubstr("Give a percentage in quotes"));
  EXPECT_THAT(complaint("[estimate]\nrisk_free = \"2\"\n"), HasSubstr("'2' has no % sign"));
  EXPECT_THAT(complaint("[estimate]\nfrom = \"soon\"\n"), HasSubstr("estimate.from: 'soon' is not a day"));
  EXPECT_THAT(complaint("[limits]\nfood = \"KELPFARM <= 30\"\n"),
              testing::AllOf(HasSubstr("rules.toml, line 2, limit food"), HasSubstr("'30' has no % sign")));
  EXPECT_THAT(complaint("[schedules.x]\n"), HasSubstr("schedules.x.check: the key is missing"));
  EXPECT_THAT(complaint("[rehearsal]\ndelay = 0.5\n"),
              HasSubstr("rehearsal.delay: the value is of another kind. Give a whole number"));
  EXPECT_THAT(complaint("[rehearsal]\naims = [\"eqal\"]\n"), HasSubstr("Did you mean 'equal'?"));
  EXPECT_THAT(complaint("[universe\n"), HasSubstr("rules.toml, line 1"));
  EXPECT_THAT(complaint("costs = 3\n"), HasSubstr("Give a table, [costs]"));
}

}  // namespace
}  // namespace inchtide
