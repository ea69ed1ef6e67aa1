#include "inchtide/estimate/benchmark.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/range.hpp"
#include "returns/spans.hpp"

namespace inchtide {

BenchmarkRisk BenchmarkRisk::of_weights(const Covariance& covariance, const Eigen::VectorXd& weights) {
  return {covariance.product(weights), covariance.portfolio_variance(weights)};
}

void BenchmarkRisk::check(Eigen::Index assets) const {
  check_per_asset(covariances, assets, "covariances with the benchmark");
  if (!(variance >= 0) || !std::isfinite(variance)) {
    throw InputError("benchmark", fmt::format("a variance of {}", variance), "Give a number from 0");
  }
}

double BenchmarkRisk::tracking_error(const Covariance& covariance, const Eigen::VectorXd& weights) const {
  check(weights.size());
  return std::sqrt(std::max(0.0, squared_error(covariance, weights)));
}

BenchmarkRisk benchmark_risk(const ReturnTable& returns, const Eigen::VectorXd& benchmark, Denominator denominator) {
  returns.check();
  check_benchmark(returns, benchmark);
  const auto rows = rows_beside(returns, benchmark);
  if (rows.size() < 2) {
    throw InputError("benchmark", fmt::format("{} of its returns span the days of the assets'", rows.size()),
                     "Two at least are needed: look at its prices with inspect");
  }
  const Spans spans(returns, rows);
  const Eigen::MatrixXd own = returns.returns(rows, Eigen::all);
  const Eigen::VectorXd series = benchmark(rows);
  const Eigen::VectorXd rest = series - spans.k * (series.sum() / spans.total);
  const double scale = returns.periods_per_year / spans.divisor(denominator);
  const Eigen::MatrixXd demeaned = own - spans.k * (own.colwise().sum() / spans.total);
  return {scale * (demeaned.transpose() * rest), scale * rest.squaredNorm()};
}

}  // namespace inchtide
