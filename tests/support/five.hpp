#pragma once
// Five assets in three sectors, and an estimate of them.

#include "support/problems.hpp"

namespace inchtide::test {

inline const std::vector<std::string> five = {"TIDEMILL", "GALEWORK", "KELPFARM", "HOLLBOND", "BILLFUND"};

inline Tags tags_of_five() {
  Tags tags;
  tags.columns = {"sector"};
  tags.assets = five;
  tags.rows = {{"power"}, {"power"}, {"food"}, {"bonds"}, {"bonds"}};
  return tags;
}

inline Estimate estimate_of_five() {
  std::mt19937_64 random(91);
  auto estimate = random_problem(random, 5, {}).estimate;
  estimate.assets = five;
  estimate.expected_return = (Eigen::VectorXd(5) << 0.09, 0.07, 0.06, 0.03, 0.02).finished();
  return estimate;
}

}  // namespace inchtide::test
