#include "inchtide/estimate/estimate.hpp"

#include <fmt/format.h>

#include <cmath>
#include <set>

#include "base/numbers.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/estimate/estimators.hpp"

namespace inchtide {

Eigen::VectorXd Estimate::sharpe_ratios() const {
  const Eigen::ArrayXd volatility = volatilities(), excess = expected_return.array() - risk_free;
  return (volatility > 0).select(excess / volatility, no_figure);
}

double Estimate::average_correlation() const {
  const auto s = covariance.matrix();
  const Eigen::VectorXd v = volatilities();
  double sum = 0;
  std::size_t pairs = 0;
  for (Eigen::Index j = 0; j < s.cols(); ++j) {
    for (Eigen::Index i = j + 1; i < s.rows(); ++i) {
      if (!(v[i] > 0) || !(v[j] > 0)) continue;
      sum += s(i, j) / (v[i] * v[j]);
      ++pairs;
    }
  }
  return pairs > 0 ? sum / double(pairs) : no_figure;
}

void Estimate::check_figures() const {
  if (assets.empty()) throw InputError("estimate", "it has no asset", "Give at least one");
  if (Eigen::Index(assets.size()) != expected_return.size() || expected_return.size() != covariance.size()) {
    throw InputError("estimate",
                     fmt::format("{} assets, {} expected returns and a covariance of {} do not fit", assets.size(),
                                 expected_return.size(), covariance.size()),
                     "Give one of each an asset");
  }
  for (std::size_t i = 0; i < assets.size(); ++i) {
    if (std::isfinite(expected_return[Eigen::Index(i)])) continue;
    throw InputError(Where::of_asset(assets[i]), "its expected return is not a finite number",
                     "Give a figure or leave the asset out");
  }
}

void Estimate::check() const {
  check_figures();
  std::set<std::string> seen;
  for (const auto& asset : assets) {
    if (!seen.insert(lower_name(asset)).second)
      throw InputError(Where::of_asset(asset), "it comes twice in the estimate", "Keep one");
  }
}

void Estimate::check_for_weights() const {
  check();
  if (returns == ReturnKind::simple) return;
  throw InputError("estimate", "it is of log returns, which don't add up across the assets of a portfolio",
                   "Estimate simple returns, or convert it (simple_from_log)");
}

Estimate simple_from_log(const Estimate& estimate) {
  if (estimate.returns == ReturnKind::simple) return estimate;
  Eigen::MatrixXd matrix = estimate.covariance.matrix();
  const Eigen::ArrayXd growth = (estimate.expected_return.array() + matrix.diagonal().array() / 2).exp();  // 1 + E
  matrix = growth.matrix().asDiagonal() * matrix.array().expm1().matrix() * growth.matrix().asDiagonal();
  for (Eigen::Index i = 0; i < matrix.rows(); ++i) {
    if (std::isfinite(growth[i] * growth[i] * matrix(i, i))) continue;
    throw InputError(Where::of_asset(estimate.assets[std::size_t(i)]),
                     fmt::format("a mean of {} and a variance of {} a year are too large to convert from log returns",
                                 estimate.expected_return[i], estimate.covariance.variance(i)),
                     "Give them as fractions of 1 per year");
  }
  auto result = estimate;
  result.returns = ReturnKind::simple;
  result.expected_return = growth - 1;
  result.covariance = Covariance::known_semidefinite(std::move(matrix));
  return result;
}

Estimate sample_estimate(const ReturnTable& returns, double risk_free) {
  EstimateOptions options;
  options.risk_free = risk_free;
  return estimate_by(returns, options).estimate;
}

}  // namespace inchtide
