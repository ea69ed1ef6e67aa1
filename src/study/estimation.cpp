#include "inchtide/study/estimation.hpp"

#include <fmt/format.h>

#include <cmath>

#include "inchtide/base/errors.hpp"
#include "study/long_blocks.hpp"

namespace inchtide {
namespace {

constexpr std::size_t most_with_correlation_bands = 60;
constexpr double half_life_years = 3;  // of the exponential methods in the comparison

ComparedCovariance compared(const std::string& method, const Estimated& by) {
  const auto& e = by.estimate;
  const Eigen::VectorXd equal = Eigen::VectorXd::Constant(e.size(), 1 / double(e.size()));
  return {method,
          by.covariance_intensity,
          condition_number(e.covariance),
          e.volatilities().mean(),
          e.average_correlation(),
          std::sqrt(e.covariance.portfolio_variance(equal))};
}

/// Every method that works on this history; those that don't are named with the reason.
void compare(Estimation& result, const StudyReturns& returns) {
  const auto attempt = [&](const EstimateOptions& options, const auto& take) {
    try {
      take(estimate_by(returns.assets, options, returns.benchmark));
    } catch (const InputError& error) {
      result.warnings.push_back(error.notice().led_by("Not compared"));
    }
  };
  const auto exponential = fmt::format("exponential:{:g}", half_life_years * returns.assets.periods_per_year);
  for (const std::string name :
       {"arithmetic", "geometric", exponential.c_str(), "bayes-stein", "market-model", "implied", "views"}) {
    if (name == "market-model" && returns.benchmark.size() == 0) continue;
    if (name == "views" && result.methods.views.empty()) continue;
    auto options = result.methods;
    options.expected = ExpectedMethod::parse(name, "expected");
    options.own.clear();
    options.caps.clear();
    attempt(options, [&](const Estimated& by) { result.expected.push_back({name, by.estimate.expected_return}); });
  }
  for (const std::string name : {"sample", exponential.c_str(), "constant-correlation", "scaled-identity", "one-factor",
                                 "nonlinear", "factors:3"}) {
    auto options = result.methods;
    options.covariance = CovarianceMethod::parse(name, "covariance");
    options.expected = {};
    attempt(options, [&](const Estimated& by) { result.covariances.push_back(compared(name, by)); });
  }
}

}  // namespace

Estimation estimation_of(const Universe& universe, const Sources& sources, const Settings& settings,
                         std::optional<Day> before, const EstimationOptions& options) {
  auto common = settings;
  common.pairwise = false;
  const auto returns = study_returns(universe, common, before);
  Estimation result;
  result.warnings = returns.warnings;
  result.methods = methods_of(universe, sources, settings, result.warnings);
  result.estimated = estimate_by(returns.assets, result.methods, returns.benchmark);
  if (options.bands) {
    auto bands = *options.bands;
    bands.correlations = universe.assets.size() <= most_with_correlation_bands;
    result.coverage = bands.coverage;
    result.bands = bootstrap_bands(returns.assets, bands);
    if (auto notice = notice_of_long_blocks(bands.block, result.estimated.estimate.observations, "periods")) {
      result.warnings.push_back(std::move(*notice));
    }
  }
  const auto& estimate = result.estimated.estimate;
  if (estimate.rows_dropped > 0) {
    result.warnings.push_back(
        fmt::format("{} of {} periods are left out: not every asset has a return over the same days",
                    estimate.rows_dropped, estimate.rows_dropped + estimate.observations));
  }
  if (options.compare) compare(result, returns);
  return result;
}

}  // namespace inchtide
