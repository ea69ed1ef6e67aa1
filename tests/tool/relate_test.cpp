// `relate` as a process.

#include <cmath>
#include <nlohmann/json.hpp>

#include "support/tool.hpp"

namespace inchtide::test {
namespace {

using nlohmann::json;
using testing::AllOf;
using testing::HasSubstr;

const std::string mandate = " --mandate " + demo + "/mandate.toml ";

TEST(Relate, GivesTheWholeMatrixThatTheEstimateImplies) {
  const auto result = result_of("relate" + mandate);
  const auto estimate = result_of("estimate" + mandate + "--draws 0");
  ASSERT_EQ(result["assets"], estimate["assets"]);
  const auto& s = estimate["covariance"];
  double sum = 0;
  const auto n = result["assets"].size();
  for (std::size_t i = 0; i < n; ++i) {
    EXPECT_EQ(result["correlation"][i][i], 1);
    for (std::size_t j = 0; j < n; ++j) {
      const double r = s[i][j].get<double>() / std::sqrt(s[i][i].get<double>() * s[j][j].get<double>());
      EXPECT_NEAR(result["correlation"][i][j].get<double>(), r, 1e-9);
      EXPECT_EQ(result["correlation"][i][j], result["correlation"][j][i]);
      sum += i != j ? result["correlation"][i][j].get<double>() : 0;
    }
  }
  EXPECT_NEAR(result["average_correlation"].get<double>(), sum / double(n * (n - 1)), 1e-12);
  EXPECT_EQ(result["market_model"].size(), n);
}

TEST(Relate, ShowsAveragesWindowsAndTheMarketModel) {
  const Folder folder;
  const auto said =
      run_tool("relate" + mandate + "--windows 4y,2y --order cluster --figure heat-2y:" + (folder / "h.svg").string());
  EXPECT_EQ(said.code, 0) << said.err;
  EXPECT_THAT(said.out, AllOf(HasSubstr("Average correlations"), HasSubstr("within sector power"), HasSubstr("last 2y"),
                              HasSubstr("Against HOLLIN40"), HasSubstr("Principal components")));
  EXPECT_THAT(text_of(folder / "h.svg"), AllOf(HasSubstr("Correlations, last 2y"), HasSubstr("KELPFARM")));
  const auto given = result_of("relate" + mandate), clustered = result_of("relate" + mandate + "--order cluster");
  EXPECT_NE(given["assets"], clustered["assets"]);
  EXPECT_NEAR(given["average_correlation"].get<double>(), clustered["average_correlation"].get<double>(), 1e-12);
}

TEST(Relate, AWindowIsTheSameAsLookingAtThatSpanAlone) {
  const auto beside = result_of("relate" + mandate + "--windows 2y")["windows"][0];
  const auto alone = result_of("relate" + mandate + "--last 2y");
  EXPECT_EQ(beside["correlation"], alone["correlation"]);
  EXPECT_EQ(beside["observations"], alone["observations"]);
  // Back from the last day that is looked at: the month ends of December 2023 (the 29th) to December 2024.
  const auto ended = result_of("relate" + mandate + "--to 2024-12-31 --windows 53w")["windows"][0];
  EXPECT_EQ(ended["observations"], 12);
  EXPECT_THAT(run_tool("relate" + mandate + "--windows 20y").err, HasSubstr("reaches before 2020-02-03"));
}

TEST(Relate, BadInputIsNamed) {
  EXPECT_THAT(run_tool("relate" + mandate + "--order sektor").err, HasSubstr("Did you mean 'sector'?"));
  EXPECT_THAT(run_tool("relate" + mandate + "--by sektor").err, HasSubstr("Did you mean 'sector'?"));
  EXPECT_THAT(run_tool("relate" + mandate + "--windows lots").err, HasSubstr("'lots' is not an interval"));
  const auto one = run_tool("relate --prices " + demo + "/prices --assets KELPFARM");
  EXPECT_EQ(one.code, 1);
  EXPECT_THAT(one.err, HasSubstr("there is no pair of assets"));
}

}  // namespace
}  // namespace inchtide::test
