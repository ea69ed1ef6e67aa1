#include "inchtide/frontier/holdings.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "frontier/position_search.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/frontier/tracked.hpp"

namespace inchtide {
namespace {

constexpr double infinity = std::numeric_limits<double>::infinity();
/// Ceilings may be passed by this part of them.
constexpr double slackness = 1e-9;

const BenchmarkRisk& benchmark_of(const HoldingsOptions& options) {
  if (options.benchmark) return *options.benchmark;
  throw InputError("tracking error", "the benchmark's covariances are not known", "Give HoldingsOptions::benchmark");
}

/// One ceiling as w'Sw - 2 c'w + constant <= most, c being 0 for volatility.
struct Ceiling {
  LimitFigure figure;
  const char* what;
  Eigen::VectorXd pull;
  double constant = 0;

  double squared(const Estimate& estimate, const Eigen::VectorXd& weights) const {
    return estimate.covariance.portfolio_variance(weights) - 2 * pull.dot(weights) + constant;
  }
  double most() const { return figure.value * figure.value; }
  bool passed_by(const Estimate& estimate, const Eigen::VectorXd& weights) const {
    return squared(estimate, weights) > most() * (1 + 2 * slackness);
  }
  /// No weights within the ceiling lie beyond its tangent.
  LimitRow tangent(const Estimate& estimate, const Eigen::VectorXd& at) const {
    Eigen::VectorXd slope = estimate.covariance.product(at) - pull;
    const double size = std::max(slope.cwiseAbs().maxCoeff(), 1e-300);
    const double end = (most() - squared(estimate, at)) / 2 + slope.dot(at);
    return {figure.limit, what, slope / size, -infinity, end / size};
  }
};

/// The best of some positions within ceilings.
struct Best {
  std::optional<Portfolio> portfolio;
  Eigen::VectorXd nearest;  // where there is none: weights that come as near to a ceiling as they can
};

Best best_of_positions(const Estimate& estimate, const Bounds& chosen, const HoldingsOptions& options) {
  const double lambda = options.lambda;
  auto loose = chosen;
  loose.volatility.reset();
  loose.tracking_error.reset();
  const double most = chosen.volatility ? chosen.volatility->value : infinity;
  const auto within = [most](const Portfolio& p) { return p.volatility <= most * (1 + slackness); };
  const auto at_most = [most](const Frontier& frontier) {
    return frontier.at_volatility(std::max(most, frontier.corners().back().volatility));
  };
  const auto whole = trace_frontier(estimate, loose);
  const auto least = whole.minimum_variance();
  if (!within(least)) return {{}, least.weights};
  if (!chosen.tracking_error) {
    const auto best = whole.at_lambda(lambda);
    return {within(best) ? best : at_most(whole), {}};
  }
  // The least tracking error that the ceiling on volatility leaves.
  const auto& benchmark = benchmark_of(options);
  auto pulled = estimate;
  pulled.expected_return = benchmark.covariances;
  const auto towards = trace_frontier(pulled, loose);
  auto nearest = towards.at_lambda(1);
  if (!within(nearest)) nearest = at_most(towards);
  if (benchmark.tracking_error(estimate.covariance, nearest.weights) > chosen.tracking_error->value * (1 + slackness)) {
    return {{}, nearest.weights};
  }
  const TrackedFrontier tracked(estimate, chosen, benchmark);
  const auto best = lambda > 0 ? tracked.at_lambda(lambda) : tracked.minimum_variance();
  if (within(best.portfolio)) return {best.portfolio, {}};
  return {tracked.at_volatility(std::max(most, tracked.minimum_variance().portfolio.volatility)).portfolio, {}};
}

/// Searches under the limits and tangents of the ceilings, with a tangent more for every choice that passes one.
class OuterApproximation {
 public:
  OuterApproximation(const Estimate& estimate, const Bounds& bounds, const HoldingsOptions& options,
                     std::optional<double> benchmark_variance)
      : estimate_(estimate), bounds_(bounds), options_(options), benchmark_variance_(benchmark_variance) {
    if (bounds.volatility) {
      ceilings_.push_back({*bounds.volatility, "volatility", Eigen::VectorXd::Zero(estimate.size()), 0});
    }
    if (bounds.tracking_error) {
      const auto& benchmark = benchmark_of(options);
      ceilings_.push_back({*bounds.tracking_error, "tracking error", benchmark.covariances, benchmark.variance});
    }
    straight_ = bounds;
    straight_.volatility.reset();
    straight_.tracking_error.reset();
  }

  HoldingsAnswer run() {
    double bound = -infinity;
    std::size_t branches = 0;
    bool proven = false;
    for (bool within = false; !within;) {
      try {
        const auto found = search_positions(estimate_, straight_, options_, benchmark_variance_);
        branches += found.branches;
        bound = std::max(bound, found.bound);
        within = look_at(found);
        proven = within && found.proven;
      } catch (const InfeasibleLimits&) {  // no other choice is left
        if (!best_) throw_none();
        bound = infinity;
      } catch (const UncertifiedAnswer&) {  // stopped, or lost in rounding: what was found before stands
        if (!best_) throw;
        break;
      }
      if (best_) {
        best_->bound = std::min(bound, best_->objective);
        if (best_->gap() <= options_.gap * (1 + slackness)) break;
      }
      if (options_.should_stop && options_.should_stop()) break;
    }
    if (!best_) {
      throw UncertifiedAnswer("The search for positions was stopped before it found any within " + ceilings_text() +
                              ": give it more time");
    }
    best_->branches = branches;
    best_->proven = proven || best_->gap() <= options_.gap * (1 + slackness);
    return *best_;
  }

 private:
  /// Keeps the best of the positions found. True when they are within the ceilings, and no search can do better; else
  /// there are more tangents now.
  bool look_at(const HoldingsAnswer& found) {
    const auto& weights = found.portfolio.weights;
    if (std::ranges::none_of(ceilings_, [&](const Ceiling& c) { return c.passed_by(estimate_, weights); })) {
      if (!best_ || found.objective < best_->objective) best_ = found;
      return true;
    }
    const auto exact = best_of_positions(estimate_, chosen_as(found), options_);
    const auto& at = exact.portfolio ? exact.portfolio->weights : exact.nearest;
    for (const auto& ceiling : ceilings_) straight_.rows.push_back(ceiling.tangent(estimate_, at));
    if (!exact.portfolio) return false;
    const double variance = exact.portfolio->volatility * exact.portfolio->volatility;
    const double objective = variance / 2 - options_.lambda * exact.portfolio->expected_return;
    if (best_ && !(objective < best_->objective)) return false;
    best_ = found;
    best_->portfolio = *exact.portfolio;
    best_->objective = objective;
    best_->risk = benchmark_variance_ ? 2 * objective + *benchmark_variance_ : variance;
    return false;
  }

  /// The positions found, with ceilings and without tangents.
  Bounds chosen_as(const HoldingsAnswer& found) const {
    auto chosen = bounds_of_choice(bounds_, found.chosen);
    if (options_.least_return) {
      chosen.rows.push_back({-1, "expected return", estimate_.expected_return, *options_.least_return, infinity});
    }
    return chosen;
  }

  std::string ceilings_text() const {
    std::vector<std::string> figures;
    for (const auto& ceiling : ceilings_) {
      figures.push_back(fmt::format("a {} of {}", ceiling.what, short_percent(ceiling.figure.value)));
    }
    return fmt::format("{}", fmt::join(figures, " and "));
  }

  [[noreturn]] void throw_none() const {
    const bool without = straight_.rows.size() == bounds_.rows.size();  // before the first tangent
    throw InfeasibleLimits(
        fmt::format("No choice of positions satisfies the limits{}. Loosen a limit, or allow more or smaller positions",
                    without ? std::string() : " within " + ceilings_text()),
        {});
  }

  const Estimate& estimate_;
  const Bounds& bounds_;
  const HoldingsOptions& options_;
  std::optional<double> benchmark_variance_;
  std::vector<Ceiling> ceilings_;
  Bounds straight_;  // the limits and tangents
  std::optional<HoldingsAnswer> best_;
};

HoldingsAnswer search(const Estimate& estimate, const Bounds& bounds, const HoldingsOptions& options,
                      std::optional<double> benchmark_variance = {}) {
  if (!bounds.volatility && !bounds.tracking_error) {
    return search_positions(estimate, bounds, options, benchmark_variance);
  }
  return OuterApproximation(estimate, bounds, options, benchmark_variance).run();
}

/// The least tracking error: half its square is 1/2 w'Sw - c'w + constant, with the covariances c with the benchmark in
/// the place of expected returns.
HoldingsAnswer nearest_to_benchmark(const Estimate& estimate, Bounds bounds, HoldingsOptions options) {
  const auto& benchmark = benchmark_of(options);
  auto pulled = estimate;
  pulled.expected_return = benchmark.covariances;
  bounds.tracking_error.reset();
  if (options.least_return) {
    bounds.rows.push_back({-1, "expected return", estimate.expected_return, *options.least_return, infinity});
    options.least_return.reset();
  }
  options.lambda = 1;
  auto answer = search(pulled, bounds, options, benchmark.variance);
  answer.objective += benchmark.variance / 2;
  answer.bound += benchmark.variance / 2;
  answer.portfolio.expected_return = estimate.expected_return.dot(answer.portfolio.weights);
  return answer;
}

}  // namespace

Bounds bounds_of_choice(const Bounds& bounds, const Bounds& chosen) {
  auto choice = bounds;
  choice.lower = chosen.lower;
  choice.upper = chosen.upper;
  choice.lower_limit = chosen.lower_limit;
  choice.upper_limit = chosen.upper_limit;
  choice.holdings.reset();
  choice.held.reset();
  return choice;
}

double HoldingsAnswer::gap() const {
  return risk > 0 ? std::max(0.0, objective - bound) / (risk / 2) : 0;
}

HoldingsAnswer choose_holdings(const Estimate& estimate, const Bounds& bounds, const HoldingsOptions& options) {
  return options.track ? nearest_to_benchmark(estimate, bounds, options) : search(estimate, bounds, options);
}

}  // namespace inchtide
