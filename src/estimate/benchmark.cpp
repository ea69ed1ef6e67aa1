#include "inchtide/estimate/benchmark.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "inchtide/base/errors.hpp"

namespace inchtide {

BenchmarkRisk BenchmarkRisk::of_weights(const Covariance& covariance, const Eigen::VectorXd& weights) {
  return {covariance.product(weights), covariance.portfolio_variance(weights)};
}

double BenchmarkRisk::tracking_error(const Covariance& covariance, const Eigen::VectorXd& weights) const {
  return std::sqrt(std::max(0.0, covariance.portfolio_variance(weights) - 2 * covariances.dot(weights) + variance));
}

BenchmarkRisk benchmark_risk(const ReturnTable& returns, const Eigen::VectorXd& benchmark, Denominator denominator) {
  std::vector<Eigen::Index> rows;
  for (auto row : returns.common_rows()) {
    if (std::isfinite(benchmark[Eigen::Index(row)])) rows.push_back(Eigen::Index(row));
  }
  if (rows.size() < 2) {
    throw InputError("benchmark", fmt::format("{} of its returns span the days of the assets'", rows.size()),
                     "Two at least are needed: look at its prices with inspect");
  }
  const Eigen::MatrixXd own = returns.returns(rows, Eigen::all);
  const Eigen::VectorXd series = benchmark(rows);
  const Eigen::VectorXd rest = series.array() - series.mean();
  const double scale = returns.periods_per_year / divisor(denominator, double(rows.size()));
  const Eigen::MatrixXd demeaned = own.rowwise() - own.colwise().mean();
  return {scale * (demeaned.transpose() * rest), scale * rest.squaredNorm()};
}

}  // namespace inchtide
