#pragma once
// Weights to change, with their figures as formulas.

#include <string>
#include <utility>
#include <vector>

#include "inchtide/base/eigen.hpp"
#include "report/book.hpp"

namespace inchtide::report {

// What the sheet begins with.
struct WhatIf {
  std::vector<std::string> assets;
  Eigen::VectorXd expected_return;  // per year
  Eigen::MatrixXd covariance;
  double risk_free = 0;
  std::string portfolio;  // whose the weights are
  Eigen::VectorXd weights;
  std::vector<std::pair<std::string, std::vector<std::string>>> tags;  // by column, one an asset; empty for none
};

void add_what_if(Book& book, const WhatIf& from);

}  // namespace inchtide::report
