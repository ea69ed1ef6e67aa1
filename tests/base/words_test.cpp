// Names, percentages and costs as people type them.

#include "inchtide/base/costs.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "support/messages.hpp"

namespace inchtide {
namespace {

using test::message_of;
using testing::HasSubstr;

const std::vector<std::string> codes = {"TIDEMILL", "KELPFARM", "HOLLBOND", "HOLLBANK"};

TEST(Names, IgnoreCase) {
  EXPECT_EQ(find_name("kelpFarm", codes), 1u);
  EXPECT_TRUE(same_name("azAZ", "AZaz"));
  EXPECT_FALSE(same_name("@[", "`{")) << "neighbours of the letters";
  EXPECT_FALSE(find_name("KELP", codes));
}

TEST(Names, TheNearestHasTheFewestEdits) {
  EXPECT_EQ(nearest_name("KELPFRAM", codes), "KELPFARM");
  EXPECT_EQ(nearest_name("HOLLBANC", codes), "HOLLBANK");
  EXPECT_EQ(nearest_name("tidemil", codes), "TIDEMILL");
  EXPECT_FALSE(nearest_name("XYZ", codes));
  EXPECT_EQ(nearest_name("XYAB", std::vector<std::string>{"AB"}), "AB") << "two letters may always be too many";
  EXPECT_FALSE(nearest_name("XYZAB", std::vector<std::string>{"AB"})) << "three of five may not";
}

TEST(Names, ThatAreKnownAreListedOnce) {
  EXPECT_EQ(did_you_mean("quarterly", std::vector<std::string>{"1m", "never", "1m"}), "Known are: 1m, never");
  EXPECT_EQ(did_you_mean("quarterly", std::vector<std::string>{"equal, 1m", "never", "equal, 1m"}),
            "Known are: equal, 1m; never");
  std::vector<std::string> many(30, "1m");
  EXPECT_EQ(did_you_mean("quarterly", many), "Known are: 1m");
  for (std::size_t k = 0; k < many.size(); ++k) many[k] = "a schedule with the number " + std::to_string(k);
  EXPECT_EQ(did_you_mean("quarterly", many), "Known are 30 names, such as a schedule with the number 0");
  EXPECT_EQ(did_you_mean("quarterly", std::vector<std::string>{}), "Nothing is known there");
}

TEST(Percent, AWeightWithoutTheSignIsRefusedWithBothReadings) {
  EXPECT_DOUBLE_EQ(fraction_from_percent("12.5%", ""), 0.125);
  EXPECT_DOUBLE_EQ(fraction_from_percent(" -3 % ", ""), -0.03);
  EXPECT_THAT(message_of([] { fraction_from_percent("30", "limit 'x <= 30'"); }),
              HasSubstr("limit 'x <= 30': '30' has no % sign. Write 30% or 3000%"));
  EXPECT_THROW(fraction_from_percent("lots%", ""), InputError);
  EXPECT_THROW(fraction_from_percent("nan%", ""), InputError);
  EXPECT_THROW(fraction_from_percent("%", ""), InputError);
}

TEST(Percent, IsPrintedWithoutScientificNotationOrNegativeZero) {
  EXPECT_EQ(percent_text(1e-9), "0.00%");
  EXPECT_EQ(percent_text(-1e-9), "0.00%");
  EXPECT_EQ(percent_text(12345.6789), "1234567.89%");
  EXPECT_EQ(short_percent(0.125), "12.5%");
  EXPECT_EQ(short_percent(1), "100%");
}

TEST(Tags, RowsAreFoundByCode) {
  const Tags tags{{"sector"}, {"KELPFARM", "TIDEMILL", "HOLLBOND"}, {{"sea"}, {""}, {"bonds"}}};
  using Rows = std::vector<std::optional<std::size_t>>;
  EXPECT_EQ(tags.rows_of({"hollbond", "GREENOX", "TideMill", "KELPFARM", "KELPFAR"}),
            (Rows{2, std::nullopt, 1, 0, std::nullopt}));
  EXPECT_TRUE(Tags{}.rows_of({"KELPFARM"}) == Rows{std::nullopt} && tags.rows_of({}).empty());
  EXPECT_EQ(tags.values("Sector"), (std::vector<std::string>{"sea", "bonds"})) << "nothing is no value";
  EXPECT_TRUE(tags.values("region").empty());
}

TEST(Costs, AreReadFromText) {
  const auto both = CostClass::parse("sector:bonds=10bp/5bp", "--cost");
  EXPECT_EQ(both.applies_to, "sector:bonds");
  EXPECT_EQ(both.buy.bps, 10);
  EXPECT_EQ(both.sell.bps, 5);
  EXPECT_EQ(CostClass::parse("2.5bp", "").applies_to, "all");
  EXPECT_EQ(CostClass::parse("0bp/9999bp", "").buy.bps, 0) << "nothing is a rate";
  for (const char* text : {"10", "bp", "10%", "=10bp", "-1bp", "10000bp", "x=10bp/", "1e9bp"}) {
    EXPECT_THROW(CostClass::parse(text, "--cost"), InputError) << text;
  }
}

TEST(Costs, TheNarrowestClassWins) {
  Tags tags{{"sector"}, codes, {{"power"}, {"food"}, {"bonds"}, {"finance"}}};
  const std::vector<CostClass> classes = {CostClass::of("KELPFARM", 1, 2), CostClass::of("sector:bonds", 3, 4),
                                          CostClass::of("all", 10, 20)};
  const auto rates = proportional(asset_costs(classes, codes, tags));
  const auto list = [](const Eigen::VectorXd& values) { return std::vector<double>(values.begin(), values.end()); };
  EXPECT_THAT(list(rates.buy),
              testing::ElementsAre(10 * basis_point, 1 * basis_point, 3 * basis_point, 10 * basis_point));
  EXPECT_THAT(list(rates.sell),
              testing::ElementsAre(20 * basis_point, 2 * basis_point, 4 * basis_point, 20 * basis_point));
}

TEST(Costs, ClassesOfAKindThatDisagreeAreRefused) {
  const Tags tags{{"sector", "currency"}, codes, {{"sea", "HLC"}, {"sea", "MRD"}, {"bonds", "MRD"}, {"", ""}}};
  const auto complaint = [&](const std::vector<CostClass>& classes) {
    return message_of([&] { (void)asset_costs(classes, codes, tags); });
  };
  EXPECT_THAT(complaint({CostClass::of("all", 10, 20), CostClass::of("all", 10, 30)}),
              HasSubstr("TIDEMILL: 'all' sets its commission twice, and not alike"));
  EXPECT_THAT(complaint({CostClass::of("all", 10, 20), CostClass::of("all", 10, 20)}), "nothing was thrown");
  const std::vector<CostClass> crossed = {CostClass::of("sector:sea", 10, 20), CostClass::of("currency:mrd", 15, 20)};
  EXPECT_THAT(complaint(crossed), HasSubstr("KELPFARM: 'sector:sea' and 'currency:mrd' both set its commission"));
  // One that is set for the asset itself settles it; so does another part.
  auto settled = crossed;
  settled.insert(settled.begin(), CostClass::of("KELPFARM", 12, 12));
  EXPECT_NEAR(proportional(asset_costs(settled, codes, tags)).buy[1], 0.0012, 1e-15);
  auto parts = crossed;
  parts[1].buy.bps.reset();
  parts[1].buy.fee = 7;
  EXPECT_EQ(asset_costs(parts, codes, tags)[1].buy.fee, 7);
  parts[1].buy.tiers = {{0, 0.0015}};
  auto both = parts;
  both[1].buy.bps = 15;
  EXPECT_THAT(complaint(both), HasSubstr("'currency:mrd': it sets a commission and tiers of it"));
  EXPECT_THAT(complaint(parts), HasSubstr("commission"));
  parts[1].buy.tiers = {{0, 0.001}};
  EXPECT_THAT(complaint(parts), "nothing was thrown");
  parts[0].custody_bps = 3;
  parts[1].custody_bps = 4;
  EXPECT_THAT(complaint(parts), HasSubstr("both set its holding fee"));
  EXPECT_THAT(message_of([&] {
                (void)by_class({{"sector:sea", 10}, {"currency:MRD", 5}}, codes, tags, 1);
              }),
              HasSubstr("KELPFARM: 'sector:sea' and 'currency:MRD' both set its figure"));
  EXPECT_EQ(by_class({{"sector:sea", 10}, {"KELPFARM", 2}, {"currency:MRD", 5}, {"all", 3}}, codes, tags, 1),
            (std::vector<double>{10, 2, 5, 3}));
}

TEST(Costs, AClassThatNobodyBelongsToIsNamed) {
  EXPECT_THAT(message_of([] { asset_costs({CostClass::of("KELPFRAM", 1, 1)}, codes, {}); }),
              testing::AllOf(HasSubstr("KELPFRAM"), HasSubstr("Did you mean 'KELPFARM'?")));
  const Tags tags{{"sector"}, codes, {{"power"}, {"food"}, {"bonds"}, {"finance"}}};
  const auto complaint = [&](const char* name, const Tags& of) {
    return message_of([&] { asset_costs({CostClass::of(name, 1, 1)}, codes, of); });
  };
  EXPECT_THAT(complaint("sector:bond", tags), HasSubstr("no asset has this tag. Did you mean 'bonds'?"));
  EXPECT_THAT(complaint("sektor:bonds", tags), HasSubstr("Did you mean 'sector'?"));
  EXPECT_THAT(complaint("sector:bonds", {}), HasSubstr("there are no tags"));
}

}  // namespace
}  // namespace inchtide
