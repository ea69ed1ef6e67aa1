#include "inchtide/estimate/estimate.hpp"

#include <fmt/format.h>

#include <cmath>
#include <set>

#include "base/blas.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"

namespace inchtide {

void Estimate::check() const {
  if (assets.empty()) throw InputError("estimate", "it has no asset", "Give at least one");
  if (Eigen::Index(assets.size()) != expected_return.size() || expected_return.size() != covariance.size()) {
    throw InputError("estimate",
                     fmt::format("{} assets, {} expected returns and a covariance of {} do not fit", assets.size(),
                                 expected_return.size(), covariance.size()),
                     "Give one of each an asset");
  }
  std::set<std::string> seen;
  for (std::size_t i = 0; i < assets.size(); ++i) {
    if (!std::isfinite(expected_return[Eigen::Index(i)])) {
      throw InputError(assets[i], "its expected return is not a finite number", "Give a figure or leave the asset out");
    }
    if (!seen.insert(lower_name(assets[i])).second) {
      throw InputError(assets[i], "it comes twice in the estimate", "Keep one");
    }
  }
}

Estimate sample_estimate(const ReturnTable& returns, double risk_free) {
  const auto rows = returns.common_rows();
  if (rows.size() < 2) {
    throw InputError("estimate", fmt::format("{} return common to all assets is too few for a variance", rows.size()),
                     "Give a longer history, a shorter interval (--every) or fewer assets");
  }
  Eigen::MatrixXd demeaned(Eigen::Index(rows.size()), returns.returns.cols());
  for (std::size_t t = 0; t < rows.size(); ++t) {
    demeaned.row(Eigen::Index(t)) = returns.returns.row(Eigen::Index(rows[t]));
  }
  const auto count = double(rows.size());
  Estimate estimate;
  estimate.assets = returns.assets;
  Eigen::RowVectorXd mean = demeaned.colwise().mean();
  demeaned.rowwise() -= mean;
  const Eigen::RowVectorXd rounding = demeaned.colwise().mean();
  mean += rounding;
  demeaned.rowwise() -= rounding;
  const double p = returns.periods_per_year;
  estimate.expected_return = p * mean.transpose();
  estimate.covariance = Covariance::known_semidefinite(blas::gram(demeaned, p / (count - 1)));
  estimate.periods_per_year = p;
  estimate.observations = rows.size();
  estimate.rows_dropped = returns.observations() - rows.size();
  const auto before = Eigen::Index(rows.front()) - returns.spans(Eigen::Index(rows.front()), 0);
  estimate.from = before < 0 ? returns.start : returns.days[std::size_t(before)];
  estimate.to = returns.days[rows.back()];
  estimate.risk_free = risk_free;
  return estimate;
}

}  // namespace inchtide
