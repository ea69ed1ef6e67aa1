#include <cstdio>

#include "inchtide/base/percent.hpp"
#include "inchtide/estimate/covariance.hpp"
#include "inchtide/frontier/frontier.hpp"

// Vectors and matrices of many sizes go in and come back, taken on one side and given back on the other.
int main() {
  using namespace inchtide;
  for (Eigen::Index n = 2; n < 40; ++n) {
    Estimate estimate;
    for (Eigen::Index i = 0; i < n; ++i) estimate.assets.push_back("A" + std::to_string(i));
    estimate.expected_return = Eigen::VectorXd::LinSpaced(n, 0.02, 0.09);
    const Eigen::VectorXd variances = Eigen::VectorXd::LinSpaced(n, 0.01, 0.04);
    Eigen::MatrixXd matrix = variances.asDiagonal();
    estimate.covariance = Covariance::dense(matrix);
    matrix = estimate.covariance.matrix();
    const auto frontier = trace_frontier(estimate, Bounds::long_only(n));
    Eigen::VectorXd weights = frontier.corner(frontier.corners().size() - 1).weights;
    // Without correlations the least variance has weights in proportion to one over each variance.
    const Eigen::VectorXd inverse = variances.cwiseInverse();
    if ((weights - inverse / inverse.sum()).cwiseAbs().maxCoeff() > 1e-12) return 1;
    estimate.expected_return = std::move(weights);
  }
  std::puts(percent_text(0.5).c_str());
}
