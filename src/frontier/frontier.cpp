// Portfolios of a frontier that has been traced.

#include "inchtide/frontier/frontier.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "frontier/conflict.hpp"
#include "frontier/path.hpp"
#include "frontier/portfolio.hpp"
#include "frontier/tolerances.hpp"
#include "frontier/trace.hpp"
#include "frontier/vertex.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/range.hpp"
#include "inchtide/frontier/tracked.hpp"
#include "inchtide/frontier/unsolved.hpp"

namespace inchtide {

/// Prices that prove the corner's weights optimal for a lambda at which it stands still.
Eigen::VectorXd Frontier::row_prices_at(std::size_t corner, double lambda) const {
  if (bounds_.ranges_only()) return {};
  const auto& at = corners_[corner];
  if (std::isinf(at.lambda_high)) return prices_low_[corner] + (lambda - at.lambda_low) * price_slope_;
  const double room = at.lambda_high - at.lambda_low;
  const double part = room > 0 ? std::clamp((lambda - at.lambda_low) / room, 0.0, 1.0) : 0.0;
  return (1 - part) * prices_low_[corner] + part * prices_high_[corner];
}

Eigen::VectorXd Frontier::weights(std::size_t corner) const {
  whole_within(std::int64_t(corner), 0, int(corners_.size()) - 1, "corner");
  Eigen::VectorXd weights = top_;
  for (std::size_t k = 0; k < changes_end_[corner]; ++k) weights[changes_[k].asset] = changes_[k].weight;
  return weights;
}

RiskReturn Frontier::risk_and_return(std::size_t corner, double risk_free) const {
  whole_within(std::int64_t(corner), 0, int(corners_.size()) - 1, "corner");
  const auto& [of_weights, volatility, high, low] = corners_[corner];
  const double whole = whole_return(of_weights, bounds_.budget, risk_free);
  return {whole, volatility, volatility > 0 ? (of_weights - bounds_.budget * risk_free) / volatility : 0};
}

std::vector<RiskReturn> Frontier::line(double risk_free, int between) const {
  whole_within(between, 0, 10'000, "points between corners");
  std::vector<RiskReturn> points;
  for (std::size_t k = 0; k < corners_.size(); ++k) {
    const auto here = risk_and_return(k, risk_free);
    points.push_back(here);
    if (k + 1 == corners_.size() || between == 0) continue;
    // Between two corners returns are straight and variances a parabola.
    const auto next = risk_and_return(k + 1, risk_free);
    const Eigen::VectorXd from = weights(k), change = weights(k + 1) - from;
    const Eigen::VectorXd moved = estimate_.covariance.product(change);
    const double slope = 2 * from.dot(moved), bend = change.dot(moved);
    for (int part = 1; part <= between; ++part) {
      const double s = double(part) / (between + 1);
      const double variance = here.volatility * here.volatility + s * (slope + s * bend);
      const double whole = here.expected_return + s * (next.expected_return - here.expected_return);
      const double volatility = std::sqrt(std::max(0.0, variance));
      points.push_back({whole, volatility, volatility > 0 ? (whole - risk_free) / volatility : 0});
    }
  }
  return points;
}

Portfolio Frontier::certified(Eigen::VectorXd weights, double lambda, const Eigen::VectorXd& row_prices) const {
  Portfolio portfolio;
  portfolio.lambda = lambda;
  portfolio.certificate =
      certify(estimate_.covariance, estimate_.expected_return, bounds_, weights, lambda, row_prices);
  portfolio.row_prices = row_prices;
  if (!portfolio.certificate.holds()) {  // rounding has gathered on the path
    if (auto better = polished(estimate_.covariance, estimate_.expected_return, bounds_, weights, lambda, row_prices)) {
      const auto certificate = certify(estimate_.covariance, estimate_.expected_return, bounds_, better->weights,
                                       lambda, better->row_prices);
      if (certificate.worst() < portfolio.certificate.worst()) {
        portfolio.certificate = certificate;
        weights = std::move(better->weights);
        if (!bounds_.ranges_only()) portfolio.row_prices = std::move(better->row_prices);
      }
    }
  }
  portfolio.expected_return = return_of(estimate_.expected_return, bounds_, weights);
  portfolio.volatility = std::sqrt(estimate_.covariance.portfolio_variance(weights));
  if (!portfolio.certificate.holds()) {
    throw UnsolvedProblem(
        fmt::format("The portfolio at lambda {} misses its optimality conditions by {:.1e} (limits {:.1e}, "
                    "stationarity {:.1e}, complementarity {:.1e})",
                    lambda, portfolio.certificate.worst(), portfolio.certificate.limit_violation,
                    portfolio.certificate.stationarity, portfolio.certificate.complementarity) +
            look_alikes(estimate_),
        {estimate_, bounds_, lambda});
  }
  portfolio.weights = std::move(weights);
  return portfolio;
}

Portfolio Frontier::corner(std::size_t corner) const {
  whole_within(std::int64_t(corner), 0, int(corners_.size()) - 1, "corner");
  const double lambda = corners_[corner].lambda_low;
  return certified(weights(corner), lambda, row_prices_at(corner, lambda));
}

Portfolio Frontier::minimum_variance() const {
  if (ends_at_costs_) {
    throw InputError(
        "minimum-variance",
        fmt::format("after costs the frontier ends at a volatility of {}: below it the variance would only "
                    "fall by paying costs for their own sake",
                    percent_text(corners_.back().volatility, 4)),
        "Choose it before costs");
  }
  return corner(corners_.size() - 1);
}

/// The portfolio `part` of the way from corner `upper` to the next one.
Portfolio Frontier::between(std::size_t upper, double part) const {
  if (part <= 0 || upper + 1 == corners_.size()) return corner(upper);
  if (part >= 1) return corner(upper + 1);
  const double high = corners_[upper].lambda_low, low = corners_[upper + 1].lambda_high;
  Eigen::VectorXd prices;
  if (!bounds_.ranges_only()) prices = (1 - part) * prices_low_[upper] + part * prices_high_[upper + 1];
  return certified((1 - part) * weights(upper) + part * weights(upper + 1), (1 - part) * high + part * low, prices);
}

/// Return e0 + e1 t and variance v0 + 2 v1 t + v2 t^2 at part t of the way from one corner down to the next.
struct Frontier::Curve {
  double e0, e1, v0, v1, v2;
};

Frontier::Curve Frontier::curve_below(std::size_t upper) const {
  const Eigen::VectorXd from = weights(upper), change = weights(upper + 1) - from;
  const Eigen::VectorXd risk = estimate_.covariance.product(change);
  const double at = return_of(estimate_.expected_return, bounds_, from);
  return {at, return_of(estimate_.expected_return, bounds_, weights(upper + 1)) - at,
          estimate_.covariance.portfolio_variance(from), from.dot(risk), std::max(0.0, change.dot(risk))};
}

std::string Frontier::range_in_words(double least, double most) const {
  return fmt::format("The range is {} ({}) to {} (highest return)", percent_text(least, 4),
                     ends_at_costs_ ? "where the frontier ends after costs" : "minimum variance",
                     percent_text(most, 4));
}

Portfolio Frontier::at_return(double expected_return) const {
  const double most = corners_.front().expected_return, least = corners_.back().expected_return;
  const double slack = range_slack * std::max({std::abs(most), std::abs(least), never_zero});
  if (!(expected_return >= least - slack && expected_return <= most + slack)) {
    throw InputError(fmt::format("target-return={}", short_percent(expected_return)),
                     "no efficient portfolio within the limits has this expected return", range_in_words(least, most));
  }
  std::size_t upper = 0;
  while (upper + 2 < corners_.size() && corners_[upper + 1].expected_return > expected_return) ++upper;
  if (upper + 1 >= corners_.size()) return corner(upper);
  const double e0 = corners_[upper].expected_return, e1 = corners_[upper + 1].expected_return;
  return between(upper, e0 > e1 ? (e0 - expected_return) / (e0 - e1) : 1.0);
}

Portfolio Frontier::at_volatility(double volatility) const {
  const double most = corners_.front().volatility, least = corners_.back().volatility;
  const double slack = range_slack * most;
  if (!(volatility >= least - slack && volatility <= most + slack)) {
    throw InputError(fmt::format("target-volatility={}", short_percent(volatility)),
                     "no efficient portfolio within the limits has this volatility", range_in_words(least, most));
  }
  std::size_t upper = 0;
  while (upper + 2 < corners_.size() && corners_[upper + 1].volatility > volatility) ++upper;
  if (upper + 1 >= corners_.size()) return corner(upper);
  const auto curve = curve_below(upper);
  const double gap = curve.v0 - volatility * volatility;
  if (gap <= 0) return corner(upper);
  const double root = std::sqrt(std::max(0.0, curve.v1 * curve.v1 - curve.v2 * gap));
  return between(upper, gap / (root - curve.v1));
}

Portfolio Frontier::at_lambda(double lambda) const {
  if (!(lambda >= 0) || std::isinf(lambda)) {
    throw InputError("lambda", fmt::format("{} is no figure from 0 on", lambda), "Give 0 or more");
  }
  if (ends_at_costs_ && lambda < corners_.back().lambda_low) {
    throw InputError(fmt::format("lambda {:.4g}, a risk aversion of {:.4g}", lambda, 1 / lambda),
                     fmt::format("after costs the frontier ends at a risk aversion of {:.4g}: beyond it the variance "
                                 "would only fall by paying costs for their own sake",
                                 1 / corners_.back().lambda_low),
                     "Aim for less aversion, spread the costs over more years, or choose before costs");
  }
  std::size_t k = 0;
  while (k + 1 < corners_.size() && lambda < corners_[k + 1].lambda_high) ++k;
  const auto& at = corners_[k];
  if (k == 0 && at_ceiling_ && lambda > at.lambda_low) return corner(0);
  if (lambda >= at.lambda_low || k + 1 == corners_.size()) {
    return certified(weights(k), lambda, row_prices_at(k, lambda));
  }
  const double low = corners_[k + 1].lambda_high;
  return between(k, (at.lambda_low - lambda) / (at.lambda_low - low));
}

/// What the budget leaves earns the risk-free rate, and what it exceeds pays it: of the weights' return, this much is
/// no more than the rate. (After costs the sum of weights is not the budget: see `in_excess_of`.)
double Frontier::riskless_part(double risk_free) const {
  return bounds_.budget * risk_free;
}

/// After costs the sum of weights varies, and the rate is charged on it: the frontier of returns less the rate.
Frontier Frontier::in_excess_of(double risk_free) const {
  auto excess = estimate_;
  excess.expected_return.array() -= risk_free;
  return trace_frontier(excess, bounds_);
}

std::optional<std::string> Frontier::why_no_maximum_sharpe(double risk_free) const {
  finite(risk_free, "risk-free rate");
  if (bounds_.costs && risk_free != 0) return in_excess_of(risk_free).why_no_ratio(0, risk_free);
  return why_no_ratio(riskless_part(risk_free), risk_free);
}

/// @param riskless the part of the return that is no more than the rate
std::optional<std::string> Frontier::why_no_ratio(double riskless, double risk_free) const {
  const auto &top = corners_.front(), &least = corners_.back();
  const double beside = risk_free - riskless;  // what the returns leave out
  if (top.expected_return <= riskless) {
    return fmt::format(
        "no portfolio within the limits beats the risk-free rate of {}: the highest expected return is {}",
        short_percent(risk_free), percent_text(top.expected_return + beside));
  }
  const double largest = estimate_.covariance.variances().maxCoeff();
  if (least.volatility * least.volatility <= no_variance * largest && least.expected_return > riskless + same_rate) {
    return fmt::format(
        "a portfolio without variance has an expected return of {}, above the risk-free rate of {}, so "
        "the ratio has no end",
        percent_text(least.expected_return + beside), short_percent(risk_free));
  }
  return std::nullopt;
}

MaximumSharpe Frontier::maximum_sharpe(double risk_free) const {
  if (bounds_.costs && risk_free != 0) {
    auto best = in_excess_of(risk_free).maximum_sharpe(0);
    best.portfolio.expected_return = return_of(estimate_.expected_return, bounds_, best.portfolio.weights);
    return best;
  }
  if (const auto reason = why_no_maximum_sharpe(risk_free)) {
    throw InputError("maximum-sharpe", *reason,
                     {{Means::risk_free, "Change the risk-free rate"}, {Means::assets, "the assets"}});
  }
  const double riskless = riskless_part(risk_free);
  // Going down the frontier raises the ratio as long as lambda (E - rf) > variance.
  const auto falls_help = [&](const Corner& corner, double lambda) {
    return lambda * (corner.expected_return - riskless) > (1 + same_rate) * corner.volatility * corner.volatility;
  };
  MaximumSharpe best;
  std::size_t k = 0;
  double part = 0;
  for (; falls_help(corners_[k], corners_[k].lambda_low) && k + 1 < corners_.size(); ++k) {
    if (falls_help(corners_[k + 1], corners_[k + 1].lambda_high)) continue;
    const auto c = curve_below(k);
    const double excess = c.e0 - riskless;
    const double turn = c.e1 * c.v1 - excess * c.v2, terms = std::abs(c.e1 * c.v1) + std::abs(excess * c.v2);
    if (std::abs(turn) > no_turn * terms) part = (excess * c.v1 - c.e1 * c.v0) / turn;  // else it is the same all along
    break;
  }
  part = std::clamp(part, 0.0, 1.0);
  Eigen::VectorXd chosen = weights(k);
  if (part > 0) chosen = (1 - part) * chosen + part * weights(k + 1);
  // At the highest ratio the frontier touches the line from the risk-free rate: its slope gives lambda.
  const double variance = estimate_.covariance.portfolio_variance(chosen);
  const double excess = return_of(estimate_.expected_return, bounds_, chosen) - riskless;
  const bool stopped = at_ceiling_ && k == 0 && part <= 0;  // the ceiling's price is not in the system of the weights
  const double lambda = stopped ? corners_.front().lambda_low : variance / excess;
  Eigen::VectorXd prices = row_prices_at(k, lambda);
  if (part > 0 && !bounds_.ranges_only()) prices = (1 - part) * prices_low_[k] + part * prices_high_[k + 1];
  best.portfolio = certified(std::move(chosen), lambda, prices);
  best.sharpe = (best.portfolio.expected_return - riskless) / best.portfolio.volatility;
  best.at_top = k == 0 && part <= 0;
  return best;
}

}  // namespace inchtide
