#include "expected_returns.hpp"

#include <fmt/format.h>

#include "base/blas.hpp"
#include "inchtide/base/errors.hpp"

namespace inchtide {
namespace {

/// (1 - w) m + w m0 with m0 the mean of the minimum-variance portfolio and
/// w = (N + 2) / (N + 2 + T (m - m0)' V^-1 (m - m0)), V = (T - 1)/(T - N - 2) S, per period.
Eigen::VectorXd bayes_stein(const Observed& seen, Estimated& result) {
  const double n = double(seen.returns().cols()), t = seen.count();
  if (t <= n + 2) {
    throw InputError("bayes-stein", fmt::format("{:.0f} returns for {:.0f} assets are too few", t, n),
                     fmt::format("Give at least {:.0f} returns, or fewer assets", n + 3));
  }
  const auto& mean = seen.mean;
  const Eigen::VectorXd ones = Eigen::VectorXd::Ones(mean.size());
  const Eigen::MatrixXd v = blas::gram(seen.rest(), 1 / (t - n - 2));  // (T-1)/(T-N-2) of the sample covariance
  const Eigen::VectorXd inverse_ones = solved(v, ones, "bayes-stein");
  const double common = inverse_ones.dot(mean) / inverse_ones.sum();
  const Eigen::VectorXd apart = mean.array() - common;
  const double distance = apart.dot(solved(v, apart, "bayes-stein").col(0));
  const double w = (n + 2) / (n + 2 + seen.spans.total * distance);
  result.expected_intensity = w;
  return seen.p * ((1 - w) * mean.array() + w * common);
}

Eigen::VectorXd market_model(const Observed& seen, const EstimateOptions& options) {
  if (seen.benchmark.size() == 0) {
    throw InputError("market-model", "there is no benchmark",
                     {{Means::benchmark, "Name one"}, {Means::expected_return, "choose another method"}});
  }
  const auto market = demean(seen.benchmark, equal_weights(seen.benchmark.size()));
  const double variance = market.rest.squaredNorm();
  if (!(variance > 0)) throw InputError("market-model", "the benchmark never moves", "Choose another benchmark");
  const Eigen::VectorXd beta = slopes_on(market.rest.col(0), seen.rest());
  const double premium = options.premium.value_or(seen.p * market.mean[0] - options.risk_free);
  return options.risk_free + (premium * beta).array();
}

Eigen::VectorXd implied_weights(const Observed& seen, const EstimateOptions& options) {
  const auto n = seen.returns().cols();
  if (options.implied_weights.size() == 0) return equal_weights(n);
  if (options.implied_weights.size() != n) {
    throw InputError("implied", fmt::format("{} weights for {} assets", options.implied_weights.size(), n),
                     "Give one an asset");
  }
  return options.implied_weights;
}

}  // namespace

Eigen::VectorXd implied_returns(const Observed& seen, const EstimateOptions& options, const Covariance& covariance) {
  return options.risk_free + (options.risk_aversion * covariance.product(implied_weights(seen, options))).array();
}

Eigen::VectorXd expected_by(const Observed& seen, const EstimateOptions& options, Estimated& result) {
  using Kind = ExpectedMethod::Kind;
  const double p = seen.p;
  switch (options.expected.kind) {
    case Kind::arithmetic: return result.sample_means;
    case Kind::geometric:
      return ((1 + seen.as_they_are().array()).log().colwise().sum() * (p / seen.spans.total)).exp().transpose() - 1;
    case Kind::exponential: return p * seen.as_they_are().transpose() * seen.halving(options.expected.half_life);
    case Kind::bayes_stein: return bayes_stein(seen, result);
    case Kind::market_model: return market_model(seen, options);
    case Kind::implied: return implied_returns(seen, options, result.estimate.covariance);
    case Kind::views: return with_views(seen, options, result.estimate.covariance);
  }
  return result.sample_means;
}

}  // namespace inchtide
