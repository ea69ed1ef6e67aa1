// `relate` as a process.

#include <cmath>
#include <nlohmann/json.hpp>

#include "support/process.hpp"

namespace inchtide::test {
namespace {

using nlohmann::json;
using testing::AllOf;
using testing::HasSubstr;

const std::string tool = std::string(INCHTIDE_BIN) + "/inchtide";
const std::string demo = std::string(INCHTIDE_SOURCE) + "/demo";
const std::string mandate = " --mandate " + demo + "/mandate.toml ";

Said relate(const std::string& arguments) {
  return run(tool + " relate" + arguments);
}

json result_of(const std::string& arguments) {
  const auto said = relate(arguments + " --json - --quiet");
  EXPECT_EQ(said.code, 0) << said.err;
  return json::parse(said.out)["result"];
}

TEST(Relate, GivesTheWholeMatrixThatTheEstimateImplies) {
  const auto result = result_of(mandate);
  const auto estimated = run(tool + " estimate" + mandate + "--draws 0 --quiet --json -");
  const auto estimate = json::parse(estimated.out)["result"];
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
  const auto said = relate(mandate + "--windows 4y,2y --order cluster --figure heat-2y:" + (folder / "h.svg").string());
  EXPECT_EQ(said.code, 0) << said.err;
  EXPECT_THAT(said.out, AllOf(HasSubstr("Average correlations"), HasSubstr("within sector power"), HasSubstr("last 2y"),
                              HasSubstr("Against HOLLIN40"), HasSubstr("Principal components")));
  EXPECT_THAT(text_of(folder / "h.svg"), AllOf(HasSubstr("Correlations, last 2y"), HasSubstr("KELPFARM")));
  const auto given = result_of(mandate), clustered = result_of(mandate + "--order cluster");
  EXPECT_NE(given["assets"], clustered["assets"]);
  EXPECT_NEAR(given["average_correlation"].get<double>(), clustered["average_correlation"].get<double>(), 1e-12);
}

TEST(Relate, BadInputIsNamed) {
  EXPECT_THAT(relate(mandate + "--order sektor").err, HasSubstr("Did you mean 'sector'?"));
  EXPECT_THAT(relate(mandate + "--windows lots").err, HasSubstr("'lots' is not an interval"));
  const auto one = relate(" --prices " + demo + "/prices --assets KELPFARM");
  EXPECT_EQ(one.code, 1);
  EXPECT_THAT(one.err, HasSubstr("there is no pair of assets"));
}

}  // namespace
}  // namespace inchtide::test
