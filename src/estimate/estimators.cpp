#include "inchtide/estimate/estimators.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/blas.hpp"
#include "base/numbers.hpp"
#include "estimate/advice.hpp"
#include "estimate/expected_returns.hpp"
#include "estimate/moments.hpp"
#include "estimate/tolerances.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/range.hpp"
#include "inchtide/estimate/shrinkage.hpp"

namespace inchtide {
namespace {

/// No figure that a manager gives is missing or without end.
void check_figures(const EstimateOptions& options) {
  constexpr double least = std::numeric_limits<double>::min(), most = std::numeric_limits<double>::max();
  finite(options.risk_free, "risk-free rate");
  if (options.premium) finite(*options.premium, "premium");
  finite(options.risk_aversion, "risk aversion");
  check_per_asset(options.implied_weights, options.implied_weights.size(), "weights for implied returns");
  if (options.expected.kind == ExpectedMethod::Kind::exponential) {
    within(options.expected.half_life, least, most, "half-life of the expected returns");
  }
  if (options.covariance.kind == CovarianceMethod::Kind::exponential) {
    within(options.covariance.half_life, least, most, "half-life of the covariance");
  }
  for (const auto& view : options.views) {
    const auto where = "view " + view.name;
    finite(view.expected_return, where);
    for (const auto& [asset, part] : view.positions) finite(part, fmt::format("{}, {}", where, asset));
  }
  for (const auto* figures : {&options.own, &options.caps}) {
    for (const auto& [asset, figure] : *figures) finite(figure, asset);
  }
}

/// These formulas hold for simple returns.
void check_for_log(const EstimateOptions& options) {
  using Kind = ExpectedMethod::Kind;
  const auto kind = options.expected.kind;
  if (kind == Kind::arithmetic || kind == Kind::exponential || kind == Kind::bayes_stein) return;
  throw InputError(options.expected.text(), "this method is for simple returns; the returns are log",
                   {{Means::expected_return, "Choose arithmetic, exponential or bayes-stein"},
                    {Means::returns_kind, "take simple returns", "simple"}});
}

/// sum w (r - k m)(r - k m)' with weights that halve and sum w k = 1; for a sample over 1 - 2 sum w^2 k^2 + sum w k^2
/// sum w^2 k (1 - sum w^2 where each spans one), which corrects the bias of the mean.
Eigen::MatrixXd exponential(const Observed& seen, double half_life) {
  const auto weights = seen.halving(half_life);
  const auto& k = seen.spans.k;
  auto around = seen.spans.single ? demean(seen.returns(), weights) : demean_spans(seen.as_they_are(), weights, k);
  around.rest = weights.cwiseSqrt().asDiagonal() * around.rest;
  const Eigen::VectorXd squares = weights.cwiseAbs2();
  const double bias = 2 * squares.dot(k.cwiseAbs2()) - weights.dot(k.cwiseAbs2()) * squares.dot(k);
  const double left = seen.denominator == Denominator::sample ? 1 - bias : 1;
  if (!(left > nothing_left)) {
    throw InputError("covariance", fmt::format("a half-life of {} periods leaves one return to go by", half_life),
                     "Give a longer one");
  }
  return seen.p * blas::gram(around.rest, 1 / left);
}

Covariance covariance_by(Observed& seen, const EstimateOptions& options, Estimated& result) {
  using Kind = CovarianceMethod::Kind;
  const auto& method = options.covariance;
  const auto shrunk = [&](const Shrunk& by) {
    result.covariance_intensity = by.intensity;
    return Covariance::known_semidefinite(seen.p * by.matrix);
  };
  switch (method.kind) {
    case Kind::sample: return Covariance::known_semidefinite(std::move(seen.sample));
    case Kind::exponential: return Covariance::known_semidefinite(exponential(seen, method.half_life));
    case Kind::constant_correlation: return shrunk(shrink_to_constant_correlation(seen.rest(), seen.degrees()));
    case Kind::scaled_identity: return shrunk(shrink_to_scaled_identity(seen.rest(), seen.degrees()));
    case Kind::one_factor: return shrunk(shrink_to_one_factor(seen.rest(), seen.degrees()));
    case Kind::nonlinear: {  // the formula divides by T - 1
      const double scale = seen.p * (seen.count() - 1) / seen.degrees();
      return Covariance::known_semidefinite(scale * nonlinear_shrinkage(seen.rest()));
    }
    case Kind::factors: break;
  }
  auto factors = principal_factors(seen.sample, method.factors);
  result.factor_share = factors.share;
  return Covariance::factors(std::move(factors.loadings), Eigen::MatrixXd::Identity(method.factors, method.factors),
                             std::move(factors.specific_variance));
}

/// The manager's figures are simple returns a year; an estimate of log returns takes the mean that comes to the same.
double in_kind(const Observed& seen, double figure, const std::string& asset, double variance) {
  if (seen.table.kind == ReturnKind::simple) return figure;
  if (!(figure > -1))
    throw InputError(Where::of_asset(asset), "a loss of everything has no log return", "Give more than -100%");
  return std::log1p(figure) - variance / 2;
}

void take_own_figures(const Observed& seen, const EstimateOptions& options, Estimated& result) {
  auto& expected = result.estimate.expected_return;
  const auto position = [&](const std::string& asset) {
    const auto found = find_name(asset, seen.table.assets);
    if (!found) {
      throw InputError(Where::of_asset(asset), "an expected return is given, but no asset has this code",
                       did_you_mean(asset, seen.table.assets));
    }
    return *found;
  };
  for (const auto& [asset, figure] : options.own) {
    const auto i = position(asset);
    expected[Eigen::Index(i)] =
        in_kind(seen, figure, seen.table.assets[i], result.estimate.covariance.variance(Eigen::Index(i)));
    result.own.push_back(seen.table.assets[i]);
  }
  for (const auto& [asset, most] : options.caps) {
    const auto i = position(asset);
    if (const auto own = options.own.find(asset); own != options.own.end() && own->second > most) {
      throw InputError(
          Where::of_asset(asset),
          fmt::format("its own figure {} is above its cap {}", short_percent(own->second), short_percent(most)),
          "Change one of them");
    }
    const double cap = in_kind(seen, most, seen.table.assets[i], result.estimate.covariance.variance(Eigen::Index(i)));
    if (expected[Eigen::Index(i)] <= cap) continue;
    expected[Eigen::Index(i)] = cap;
    result.capped.push_back(seen.table.assets[i]);
  }
}

/// @param table at common ends
Estimated estimated(const ReturnTable& table, const EstimateOptions& options, const Eigen::VectorXd& benchmark) {
  const bool beside = options.expected.kind == ExpectedMethod::Kind::market_model;
  Observed seen(table, options.denominator, beside ? benchmark : Eigen::VectorXd());
  if (table.kind == ReturnKind::log) check_for_log(options);
  Estimated result;
  auto& estimate = result.estimate;
  estimate.assets = table.assets;
  estimate.returns = table.kind;
  estimate.denominator = options.denominator;
  estimate.periods_per_year = seen.p;
  estimate.observations = seen.rows.size();
  estimate.rows_dropped = table.observations() - seen.rows.size();
  const auto first = seen.rows.front();
  estimate.from = first == 0 ? table.start : table.days[first - 1];
  estimate.long_spans = std::size_t((seen.spans.k.array() > 1).count());
  estimate.to = table.days[seen.rows.back()];
  estimate.risk_free = options.risk_free;
  result.sample_means = seen.p * seen.mean;
  const Eigen::VectorXd variance = seen.sample.diagonal() * (seen.degrees() / (seen.count() - 1));  // T-1, per year
  result.standard_errors = (variance * (seen.p / seen.spans.total)).cwiseSqrt();
  estimate.covariance = covariance_by(seen, options, result);
  estimate.expected_return = expected_by(seen, options, result);
  take_own_figures(seen, options, result);
  advise(seen, options, result);
  return result;
}

}  // namespace

double condition_number(const Covariance& covariance) {
  const auto values = blas::eigen_symmetric(covariance.matrix()).values;
  const double least = values[0], most = values[values.size() - 1];
  return least > no_eigenvalue * most * double(values.size()) ? most / least : infinity;
}

Estimated estimate_by(const ReturnTable& returns, const EstimateOptions& options, const Eigen::VectorXd& benchmark) {
  returns.check_shape();
  check_figures(options);
  const bool plain = options.expected.kind == ExpectedMethod::Kind::arithmetic &&
                     options.covariance.kind == CovarianceMethod::Kind::sample && benchmark.size() == 0;
  if (plain && returns.is_dense()) {
    // A return that is no number shows in its covariance, which is refused. To look at each one first takes a fifth of
    // the time.
    try {
      return estimated(returns, options, benchmark);
    } catch (const InputError&) {
      returns.check();
      throw;
    }
  }
  returns.check();
  if (benchmark.size() > 0) check_benchmark(returns, benchmark);
  // Beside a benchmark rows are not to move: those that all have are taken as they are.
  if (returns.is_dense() || benchmark.size() > 0) return estimated(returns, options, benchmark);
  return estimated(returns.at_common_ends(), options, benchmark);
}

}  // namespace inchtide
