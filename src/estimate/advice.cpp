#include "advice.hpp"

#include <fmt/format.h>

#include <cmath>

#include "estimate/tolerances.hpp"
#include "inchtide/base/percent.hpp"

namespace inchtide {
namespace {

/// Weights that halve count fewer returns than there are.
void advise_on_halving(const Observed& seen, const EstimateOptions& options, Estimated& result) {
  const auto n = std::size_t(seen.returns().cols());
  const auto said = [&](const char* of, double half_life, double count) {
    result.advice.push_back(fmt::format(
        "Weights that halve every {:g} periods leave {:.1f} effective returns for the {}", half_life, count, of));
  };
  if (options.expected.kind == ExpectedMethod::Kind::exponential) {
    said("expected returns", options.expected.half_life, seen.effective(seen.halving(options.expected.half_life)));
  }
  if (options.covariance.kind != CovarianceMethod::Kind::exponential) return;
  const double count = seen.effective(seen.halving(options.covariance.half_life));
  said("covariance", options.covariance.half_life, count);
  if (count < 5 * double(n)) {
    result.advice.back().problem += fmt::format(", {:.1f} for each of {} assets: it is {}", count / double(n), n,
                                                count <= double(n) ? "as good as singular" : "loose");
    result.advice.back().remedies = {{Means::covariance, "Use a longer half-life or a shrunk covariance"},
                                     {Means::assets, "fewer assets"}};
  }
}

void advise_on_length(const Observed& seen, const EstimateOptions& options, Estimated& result) {
  const auto n = std::size_t(seen.returns().cols()), t = seen.rows.size();
  const bool plain = options.covariance.kind == CovarianceMethod::Kind::sample;
  if (plain && t <= n) {
    result.advice.push_back(
        {{},
         fmt::format("{} returns for {} assets: the sample covariance is singular, and some portfolios seem riskless",
                     t, n),
         {{Means::prices, "Use a longer history"},
          {Means::interval, "a shorter interval"},
          {Means::assets, "fewer assets"},
          {Means::covariance, "shrink it: scaled-identity or nonlinear"}}});
  } else if (plain && t < 5 * n) {
    result.advice.push_back({{},
                             fmt::format("{} returns for {} assets, {:.1f} each: the sample covariance is loose", t, n,
                                         double(t) / double(n)),
                             {{Means::covariance, "Compare constant-correlation or nonlinear"}}});
  }
}

/// Shrinking toward a common variance or by eigenvalues doesn't know that a bond fund is calm.
void advise_on_shrinking(const Observed& seen, const EstimateOptions& options, Estimated& result) {
  if (options.covariance.kind != CovarianceMethod::Kind::exponential) {
    Eigen::Index moved = 0;
    const Eigen::ArrayXd volatility = result.estimate.volatilities();
    const Eigen::ArrayXd before = result.standard_errors.array() * std::sqrt(seen.spans.total / seen.p);
    const double most = (volatility / before.max(never_zero)).maxCoeff(&moved);
    if (most > 1.5 && before[moved] > 0) {
      result.advice.push_back(
          fmt::format("{} raises low volatilities, most of all {}'s from {} to {}: it suits assets of like risk",
                      options.covariance.text(), seen.table.assets[std::size_t(moved)], percent_text(before[moved]),
                      percent_text(volatility[moved])));
    }
  }
}

}  // namespace

void advise(const Observed& seen, const EstimateOptions& options, Estimated& result) {
  advise_on_length(seen, options, result);
  advise_on_halving(seen, options, result);
  for (Eigen::Index i = 0; i < result.standard_errors.size(); ++i) {
    if (result.standard_errors[i] > no_movement) continue;
    result.advice.push_back(
        fmt::format("{} never moves over these returns, and counts as riskless", seen.table.assets[std::size_t(i)]));
  }
  advise_on_shrinking(seen, options, result);
  const auto n = seen.returns().cols();
  const Eigen::ArrayXd signal = result.sample_means.array().abs() / result.standard_errors.array().max(never_zero);
  const auto unsure = (signal < 2).count();
  if (unsure > 0 && options.expected.kind == ExpectedMethod::Kind::arithmetic) {
    result.advice.push_back(fmt::format(
        "{} of {} means lie within two standard errors of zero: the history hardly says what to expect", unsure, n));
  }
}

}  // namespace inchtide
