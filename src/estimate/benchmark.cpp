#include "inchtide/estimate/benchmark.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/blas.hpp"
#include "estimate/long_only.hpp"
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

namespace {

[[noreturn]] void throw_too_few(std::size_t rows, int least) {
  throw InputError("benchmark",
                   fmt::format("{} of its returns span the days of the assets', {} are needed", rows, least),
                   "Look at its prices with inspect");
}

constexpr double rounding_of_rank = 1e-13;  // of the largest variance

}  // namespace

BenchmarkRisk benchmark_risk(const ReturnTable& returns, const Eigen::VectorXd& benchmark, Denominator denominator) {
  returns.check();
  check_benchmark(returns, benchmark);
  const auto rows = rows_beside(returns, benchmark);
  if (rows.size() < 2) throw_too_few(rows.size(), 2);
  const Spans spans(returns, rows);
  const Eigen::MatrixXd own = returns.returns(rows, Eigen::all);
  const Eigen::VectorXd series = benchmark(rows);
  const Eigen::VectorXd rest = series - spans.k * (series.sum() / spans.total);
  const double scale = returns.periods_per_year / spans.divisor(denominator);
  const Eigen::MatrixXd demeaned = own - spans.k * (own.colwise().sum() / spans.total);
  return {scale * (demeaned.transpose() * rest), scale * rest.squaredNorm()};
}

BenchmarkRisk benchmark_beside(const Covariance& covariance, const ReturnTable& returns,
                               const Eigen::VectorXd& benchmark) {
  returns.check();
  check_benchmark(returns, benchmark);
  check_per_asset(covariance.variances(), returns.returns.cols(), "covariance");
  const auto rows = rows_beside(returns, benchmark);
  if (rows.size() < 3) throw_too_few(rows.size(), 3);
  const Spans spans(returns, rows);
  const auto around_mean = [&](Eigen::MatrixXd x) -> Eigen::MatrixXd { return x.rowwise() - x.colwise().mean(); };
  const bool simple = returns.kind == ReturnKind::simple;  // what portfolios add up, as the covariance is of
  const auto as_simple = [&](Eigen::MatrixXd r) -> Eigen::MatrixXd { return simple ? r : r.array().expm1(); };
  const Eigen::MatrixXd x = around_mean(spans.as_single(as_simple(returns.returns(rows, Eigen::all))));
  const Eigen::VectorXd y = around_mean(spans.as_single(as_simple(benchmark(rows))));

  const double scale = returns.periods_per_year / double(rows.size() - 1);
  const Eigen::VectorXd portfolio = nearest_long_only(blas::gram(x, 1), x.transpose() * y);
  const Eigen::VectorXd left = y - x * portfolio;
  const double remainder = scale * left.squaredNorm();
  // In portfolios that are uncorrelated and of variance 1 by the covariance, those that move.
  const auto [variances, directions] = blas::eigen_symmetric(covariance.matrix());
  const Eigen::Index moving = (variances.array() > rounding_of_rank * variances.maxCoeff()).count();
  const Eigen::MatrixXd unit =
      directions.rightCols(moving) * variances.tail(moving).cwiseSqrt().cwiseInverse().asDiagonal();
  Eigen::VectorXd with_left = unit.transpose() * (scale * (x.transpose() * left));
  if (with_left.squaredNorm() > remainder) with_left *= std::sqrt(remainder) / with_left.norm();
  const Eigen::VectorXd rest = covariance.product(unit * with_left);
  return {covariance.product(portfolio) + rest,
          covariance.portfolio_variance(portfolio) + 2 * portfolio.dot(rest) + remainder};
}

}  // namespace inchtide
