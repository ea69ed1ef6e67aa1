#include "weights/ratio_search.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"
#include "weights/positions.hpp"
#include "weights/solution.hpp"
#include "weights/tolerances.hpp"

namespace inchtide {
namespace {

/// A search is done when it is this part of the room that the gap leaves below the parabola from the best.
constexpr double part_of_room = 0.3;
/// Ends the parting of chords where G runs along the parabola.
constexpr int most_searches = 200;

/// G is known to be at least `bound` at `lambda`.
struct Proven {
  double lambda, bound;
};

/// A straight line below G, from one lambda to another.
struct Chord {
  double from, to, start, slope;

  /// Where its own ratio, the least q whose parabola lies below it, is decided.
  double lambda() const {
    const double at_zero = start - slope * from;
    return at_zero > 0 && slope < 0 ? std::clamp(-2 * at_zero / slope, from, to) : from;
  }
  double value(double at) const { return start + slope * (at - from); }
  double ratio() const {
    const double at = lambda(), below = -2 * value(at);
    if (!(below > 0)) return at == 0 && slope < 0 ? infinity : 0;
    return at > 0 ? std::sqrt(below) / at : infinity;
  }
};

class RatioSearch {
 public:
  RatioSearch(const Frontier& frontier, const Aim& aim, double risk_free, HoldingsOptions search,
              const LimitFacts& facts)
      : frontier_(frontier),
        aim_(aim),
        risk_free_(risk_free),
        riskless_(frontier.bounds().budget * risk_free),
        most_excess_(frontier.corners().front().expected_return - riskless_),
        noise_(variance_noise * frontier.estimate().covariance.variances().maxCoeff() / 2),
        gap_(search.gap),
        search_(std::move(search)),
        facts_(facts) {
    const double least = frontier.corners().back().volatility;  // without the limits on positions: no choice has less
    add_proven(0, least * least / 2);
  }

  RatioAnswer run() {
    find_first();
    for (bool improved = true;;) {
      answer_.most = std::max(answer_.ratio, worst().ratio());
      answer_.proven = answer_.most <= answer_.ratio * (1 + gap_) * (1 + sum_of_rounding);
      if (answer_.proven || stuck_ || stopped() || answer_.searches >= most_searches) return answer_;
      improved = look_at(improved && !is_proven_at(best_lambda_) ? best_lambda_ : worst().lambda());
    }
  }

 private:
  bool stopped() const { return search_.should_stop && search_.should_stop(); }

  /// The first positions: at the lambda of the best ratio without limits on positions.
  void find_first() {
    if (most_excess_ <= 0) none_beats();
    const bool known = !frontier_.why_no_maximum_sharpe(risk_free_).has_value();
    const auto top = known ? frontier_.maximum_sharpe(risk_free_).portfolio : frontier_.corner(0);
    auto first = search_;
    first.lambda = known ? top.lambda : top.volatility * top.volatility / most_excess_;
    auto found = choose_holdings(frontier_.estimate(), frontier_.bounds(), first);
    ++answer_.searches;
    add_proven(first.lambda, found.bound + first.lambda * riskless_);
    if (!(found.portfolio.expected_return > riskless_ + same_return)) {
      first.least_return = riskless_ + same_return;
      try {
        found = choose_holdings(frontier_.estimate(), frontier_.bounds(), first);
      } catch (const InfeasibleLimits&) {
        none_beats();
      }
      ++answer_.searches;
    }
    take(std::move(found));
  }

  [[noreturn]] void none_beats() const {
    throw InputError(
        aim_.text(), fmt::format("no choice of positions beats the risk-free rate of {}", short_percent(risk_free_)),
        {{Means::limits, "Allow more or smaller positions"}, {Means::risk_free, "change the risk-free rate"}});
  }

  /// The best ratio of these positions; true when it is the highest so far.
  bool take(HoldingsAnswer found) {
    std::vector<std::string> notes;
    const auto own = trace_frontier(frontier_.estimate(), bounds_of_choice(frontier_.bounds(), found.chosen));
    found.portfolio = solve(own, {Aim::Kind::maximum_sharpe, 0}, risk_free_, facts_.benchmark, notes).portfolio;
    const double excess = found.portfolio.expected_return - riskless_, volatility = found.portfolio.volatility;
    const double ratio = excess / volatility;
    const auto branches = answer_.found.branches + found.branches;
    const bool better = ratio > answer_.ratio * (1 + higher_ratio);
    if (better) {
      answer_.ratio = ratio;
      best_lambda_ = volatility * volatility / excess;
      answer_.found = std::move(found);
    }
    answer_.found.branches = branches;
    return better;
  }

  bool is_proven_at(double lambda) const {
    return std::ranges::find(proven_, lambda, &Proven::lambda) != proven_.end();
  }

  void add_proven(double lambda, double bound) {
    bound += noise_;
    const auto at = std::ranges::lower_bound(proven_, lambda, {}, &Proven::lambda);
    if (at != proven_.end() && at->lambda == lambda) {
      stuck_ = stuck_ || bound <= at->bound;
      at->bound = std::max(at->bound, bound);
    } else {
      proven_.insert(at, {lambda, bound});
    }
  }

  /// Searches at one lambda. True when that finds positions with a higher ratio.
  bool look_at(double lambda) {
    const double parabola = answer_.ratio * answer_.ratio * lambda * lambda / 2;
    auto options = search_;
    options.lambda = lambda;
    options.gap = 0;
    options.slack = part_of_room * gap_ * 2 * parabola;
    options.better_than = enough_at(lambda) + options.slack - lambda * riskless_;
    auto found = choose_holdings(frontier_.estimate(), frontier_.bounds(), options);
    ++answer_.searches;
    add_proven(lambda, found.bound + lambda * riskless_);
    if (found.portfolio.weights.size() > 0 && found.objective + lambda * riskless_ < -parabola) {
      return take(std::move(found));
    }
    answer_.found.branches += found.branches;
    return false;
  }

  /// A bound there with which both new chords would clear the parabola that is to be proven.
  double enough_at(double lambda) const {
    const double q = answer_.ratio * (1 + gap_), square = q * q;
    double enough = -square * lambda * lambda / 2;
    const auto tangent_from = [&](const Proven& end, double side) {
      const double inner = square * end.lambda * end.lambda + 2 * end.bound;
      if (inner < 0) return;
      const double root = q * std::sqrt(inner), touches = end.lambda + side * root / square;
      if (side * (lambda - touches) <= 0) return;
      enough = std::max(enough, end.bound - (square * end.lambda + side * root) * (lambda - end.lambda));
    };
    const auto right = std::ranges::lower_bound(proven_, lambda, {}, &Proven::lambda);
    if (right != proven_.begin()) tangent_from(*std::prev(right), 1);
    if (right != proven_.end() && right->lambda > lambda) tangent_from(*right, -1);
    return enough;
  }

  /// The chord that allows the highest ratio. Beyond the last lambda G falls by no more than the most excess return.
  Chord worst() const {
    Chord worst{proven_.back().lambda, infinity, proven_.back().bound, -most_excess_};
    for (std::size_t k = 0; k + 1 < proven_.size(); ++k) {
      const auto &a = proven_[k], &b = proven_[k + 1];
      const Chord chord{a.lambda, b.lambda, a.bound, (b.bound - a.bound) / (b.lambda - a.lambda)};
      if (chord.ratio() > worst.ratio()) worst = chord;
    }
    return worst;
  }

  const Frontier& frontier_;
  const Aim& aim_;
  double risk_free_, riskless_, most_excess_, noise_, gap_;
  HoldingsOptions search_;
  const LimitFacts& facts_;
  std::vector<Proven> proven_;  // lambda rising
  RatioAnswer answer_;
  double best_lambda_ = 0;
  bool stuck_ = false;  // a search at a lambda once more brought nothing
};

}  // namespace

RatioAnswer search_ratio(const Frontier& frontier, const Aim& aim, double risk_free, HoldingsOptions search,
                         const LimitFacts& facts) {
  return RatioSearch(frontier, aim, risk_free, std::move(search), facts).run();
}

}  // namespace inchtide
