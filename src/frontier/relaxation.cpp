#include "frontier/relaxation.hpp"

#include <algorithm>
#include <cmath>

#include "base/numbers.hpp"
#include "frontier/path.hpp"
#include "frontier/pieces.hpp"
#include "frontier/tolerances.hpp"
#include "frontier/vertex.hpp"
#include "inchtide/base/errors.hpp"

namespace inchtide {
namespace {

/// A round that raises the bound by less than this part of what is missing is the last one.
constexpr double worthwhile = 0.02;

}  // namespace

Relaxation::Relaxation(const Estimate& estimate, const Bounds& bounds, PositionRules rules,
                       std::vector<Ceiling> ceilings, StopCheck should_stop)
    : estimate_(estimate),
      bounds_(bounds),
      rules_(rules),
      ceilings_(std::move(ceilings)),
      should_stop_(std::move(should_stop)),
      n_(int(estimate.size())) {
  set_prices(std::vector<double>(ceilings_.size(), 0.0));
  const double gross = bounds.budget - 2 * bounds.lower.cwiseMin(0).sum();
  const double volatility = gross * estimate.volatilities().maxCoeff();
  none_above_ = volatility * volatility / 2 + rules.lambda * gross * estimate.expected_return.cwiseAbs().maxCoeff();
}

void Relaxation::set_prices(const std::vector<double>& of_ceilings) {
  ceiling_prices_ = of_ceilings;
  pull_ = rules_.lambda * estimate_.expected_return;
  offset_ = 0;
  scale_ = 1;
  for (std::size_t k = 0; k < ceilings_.size(); ++k) {
    const double price = of_ceilings[k];
    pull_ += price * ceilings_[k].from.covariances;
    offset_ += price * (ceilings_[k].from.variance - ceilings_[k].most) / 2;
    scale_ += price;
  }
  scale_ = 1 / scale_;
  pull_ *= scale_;
  offset_ *= scale_;
}

Eigen::VectorXd Relaxation::first_own_parts() const {
  return own_parts_for(estimate_.covariance, Eigen::VectorXd::Ones(n_));
}

void Relaxation::stand_on(const States& states, const Eigen::VectorXd& own) {
  std::vector<int> members;
  for (int i = 0; i < n_; ++i) {
    if (states[std::size_t(i)] != State::out) members.push_back(i);
  }
  if (members != members_ || covariance_.size() == 0) {
    members_ = std::move(members);
    covariance_ = int(members_.size()) == n_ ? estimate_.covariance : estimate_.covariance.block(members_);
    few_ = bounds_of_few(bounds_, members_);
  }
  split_ = split_with(covariance_, own(members_));
}

Eigen::VectorXd Relaxation::own_parts() const {
  Eigen::VectorXd own = Eigen::VectorXd::Zero(n_);
  own(members_) = split_.own;
  return own;
}

int Relaxation::held_count(const States& states) {
  return int(std::ranges::count_if(states, [](State s) { return s == State::held || s == State::held_short; }));
}

double Relaxation::worth(int asset, const Relaxed& relaxed) const {
  const auto k = std::ranges::lower_bound(members_, asset) - members_.begin();
  const double size = std::abs(relaxed.weights[asset]), share = relaxed.shares[asset];
  return split_.own[k] * size * size * (1 / share - 1) / 2;
}

// ---- one price of a position ---------------------------------------------------------------------------------------

/// Where a position of member k begins to count in full at this price of one.
double Relaxation::full_at(int k, double size, double price) const {
  const double own = split_.own[k];
  const double free = own > 0 ? std::sqrt(2 * price / own) : (price > 0 ? infinity : 0);
  return std::clamp(free, std::min(rules_.least, size), size);
}

double Relaxation::line_slope(int k, double full, double price) const {
  return full > 0 ? split_.own[k] * full / 2 + price / full : 0;
}

/// The relaxed problem at this price of a position; the bound is for all choices within the branch.
Relaxed Relaxation::solve(const States& states, double price) {
  const auto size = Eigen::Index(members_.size());
  auto bounds = few_;
  for (Eigen::Index k = 0; k < size; ++k) {
    switch (states[std::size_t(members_[std::size_t(k)])]) {
      case State::out: bounds.lower[k] = bounds.upper[k] = 0; break;
      case State::held:
        if (!rules_.either_side()) bounds.lower[k] = std::max(bounds.lower[k], rules_.least);
        break;
      case State::held_short: bounds.upper[k] = std::min(bounds.upper[k], -rules_.least); break;
      case State::open:  // a side with no room for a position is closed
        if (bounds.upper[k] > 0 && bounds.upper[k] < rules_.least) bounds.upper[k] = 0;
        if (bounds.lower[k] < 0 && bounds.lower[k] > -rules_.least) bounds.lower[k] = 0;
        break;
    }
    if (bounds.lower[k] > bounds.upper[k]) return {};
  }
  auto problem = vertex_problem(bounds);
  auto& weights = problem.weights;
  weights.curvature = weights.pull = Eigen::VectorXd::Zero(size);
  Eigen::VectorXd slopes = pull_(members_);
  for (int k = 0; k < int(size); ++k) {
    const auto state = states[std::size_t(members_[std::size_t(k)])];
    if (state == State::held || state == State::held_short) weights.curvature[k] = split_.own[k];
    if (state == State::open) bend_open(weights, slopes, bounds, k, price);
  }
  std::ranges::stable_sort(weights.bends, {}, [](const Bend& bend) { return std::pair(bend.weight, bend.at); });

  const auto p = weights.rows.rows();
  LinearTerm q{Eigen::VectorXd::Zero(size + p), {}};
  q.lowest.head(size) = slopes;
  for (const auto& bend : weights.bends) q.bends.push_back(bend.linear);
  const auto vertex = best_vertex(problem, slopes, q.bends);
  if (!vertex.feasible) return {};
  auto all = with_row_weights(problem);
  all.curvature = all.pull = Eigen::VectorXd::Zero(size + p);
  all.curvature.head(size) = weights.curvature;
  all.pull.head(size) = weights.pull;
  try {
    PathSolver solver({split_.rest, std::move(all), false, std::nullopt, 1});
    solver.start_at(vertex.values, vertex.basic, vertex.piece);
    solver.follow(q);
    auto relaxed = judged(states, solver.weights().head(size), price);
    relaxed.row_prices = solver.row_prices();
    return relaxed;
  } catch (const NegativeVariance&) {
    return unknown(price);
  } catch (const UncertifiedAnswer&) {  // nothing is known of this branch but its parent's bound
    return unknown(price);
  }
}

Relaxed Relaxation::unknown(double price) const {
  return {true, -infinity, {price, ceiling_prices_}, Eigen::VectorXd::Zero(n_), Eigen::VectorXd::Zero(n_)};
}

/// An open asset: straight up to a full position, then its own part of the variance curves.
void Relaxation::bend_open(BentRows& weights, Eigen::VectorXd& slopes, const Bounds& bounds, int k,
                           double price) const {
  const auto bend_at = [&](double at) -> Bend& {
    auto found =
        std::ranges::find_if(weights.bends, [&](const Bend& bend) { return bend.weight == k && bend.at == at; });
    if (found == weights.bends.end()) {
      weights.bends.push_back({k, at, Eigen::VectorXd::Zero(weights.rows.rows())});
      found = weights.bends.end() - 1;
    }
    return *found;
  };
  const double own = split_.own[k], lower = bounds.lower[k], upper = bounds.upper[k];
  const double full_up = upper > 0 ? full_at(k, upper, price) : 0;
  const double full_down = lower < 0 ? full_at(k, -lower, price) : 0;
  const double line_up = line_slope(k, full_up, price), line_down = line_slope(k, full_down, price);
  double slope = 0;  // of the penalty on the lowest piece
  if (lower < 0) {
    slope = -line_down;
    if (-full_down > lower) {
      weights.curvature[k] = own;
      weights.pull[k] = own * full_down;
      slope = -own * full_down;
      auto& bend = bend_at(-full_down);
      bend.linear -= own * full_down - line_down;
      bend.curvature -= own;
    }
    if (upper > 0) bend_at(0).linear -= line_up + line_down;
  } else {
    slope = line_up;
  }
  if (full_up < upper) {
    if (lower == 0 && full_up == 0) {
      weights.curvature[k] = own;
    } else {
      auto& bend = bend_at(full_up);
      bend.linear -= own * full_up - line_up;
      bend.curvature += own;
    }
  }
  slopes[k] -= slope;
}

Relaxed Relaxation::judged(const States& states, const Eigen::VectorXd& weights, double price) const {
  Relaxed relaxed{true, 0, {price, ceiling_prices_}, Eigen::VectorXd::Zero(n_), Eigen::VectorXd::Zero(n_)};
  double value = split_.rest.portfolio_variance(weights) / 2;
  for (int k = 0; k < int(members_.size()); ++k) {
    const int i = members_[std::size_t(k)];
    relaxed.weights[i] = weights[k];
    value -= pull_[i] * weights[k];
    const double size = std::abs(weights[k]), square = split_.own[k] * size * size / 2;
    if (states[std::size_t(i)] != State::open) {
      value += square;
      continue;
    }
    const double full = full_at(k, weights[k] < 0 ? -few_.lower[k] : few_.upper[k], price);
    relaxed.shares[i] = size < full ? size / full : (size > held_above ? 1.0 : 0.0);
    value += size < full ? line_slope(k, full, price) * size : square + (size > 0 ? price : 0);
  }
  relaxed.bound = (value + offset_ - price * (rules_.most - held_count(states))) / scale_;
  return relaxed;
}

// ---- the best price ------------------------------------------------------------------------------------------------

Relaxed Relaxation::bound_at_ceiling_prices(States& states, double price, double enough, int tries) {
  const int left = rules_.most - held_count(states);
  if (left < 0) return {};
  if (left == 0) std::ranges::replace(states, State::open, State::out);
  const bool open = std::ranges::find(states, State::open) != states.end();
  if (!open || rules_.most >= n_) return solve(states, 0);
  Relaxed best;
  double low = 0, high = infinity;
  for (int k = 0; k < tries; ++k) {
    auto relaxed = solve(states, price);
    // With positions ever dearer the bound rises without end where there is no choice.
    if (!relaxed.feasible || relaxed.bound > none_above_ * (1 + beyond_all)) return {};
    const double sum = relaxed.shares.sum();
    if (!best.feasible || relaxed.bound > best.bound) best = relaxed;
    if (best.bound >= enough || (price == 0 && sum <= left)) break;
    if (std::abs(sum - left) <= sums_to_left * left || stopped()) break;
    (sum > left ? low : high) = price;
    if (price == 0) {
      price = first_price(relaxed, left);
      continue;
    }
    double next = price * std::pow(std::max(sum, least_sum_of_shares) / left, 2);
    if (!(next > low && next < high)) next = std::isinf(high) ? 2 * low : (low + high) / 2;
    price = next;
  }
  return best;
}

Relaxed Relaxation::bound(States& states, const Prices& prices, double enough, int tries) {
  set_prices(prices.ceilings);
  auto best = bound_at_ceiling_prices(states, prices.position, enough, tries);
  brackets_.assign(ceilings_.size(), {});
  auto last = best;
  for (int k = 0; k < tries && best.feasible && best.bound < enough && !stopped() && next_ceiling_price(last); ++k) {
    last = bound_at_ceiling_prices(states, last.prices.position, enough, tries);
    if (!last.feasible) return last;
    if (last.bound > best.bound) best = last;
  }
  return best;
}

/// Moves the price of the ceiling that is missed most, up where it is passed and down where it is slack; false when all
/// are met.
bool Relaxation::next_ceiling_price(const Relaxed& relaxed) {
  std::size_t worst = 0;
  double most = undecided, its = 0;
  for (std::size_t k = 0; k < ceilings_.size(); ++k) {
    const double excess =
        ceilings_[k].from.squared_error(estimate_.covariance, relaxed.weights) / ceilings_[k].most - 1;
    const double missed = ceiling_prices_[k] > 0 ? std::abs(excess) : excess;
    if (missed <= most) continue;
    worst = k;
    most = missed;
    its = excess;
  }
  if (its == 0 || relaxed.row_prices.size() == 0) return false;
  auto prices = ceiling_prices_;
  double& price = prices[worst];
  auto& bracket = brackets_[worst];
  if (its > 0) {
    bracket.low = price;
    bracket.above = its;
  } else {
    bracket.high = price;
    bracket.below = its;
  }
  if (!std::isinf(bracket.high) && bracket.above > 0) {
    price = bracket.low + (bracket.high - bracket.low) * bracket.above / (bracket.above - bracket.below);
  } else if (its > 0) {
    price = std::max(0.1, 4 * price);
  } else {
    price = price > least_position_price ? price / 4 : 0;
  }
  set_prices(prices);
  return true;
}

/// A price at which the weights of the free problem would fill about as many positions as are left.
double Relaxation::first_price(const Relaxed& relaxed, int left) const {
  double sum = 0;
  for (std::size_t k = 0; k < members_.size(); ++k) {
    sum += std::abs(relaxed.weights[members_[k]]) * std::sqrt(split_.own[Eigen::Index(k)] / 2);
  }
  return std::max(std::pow(sum / left, 2), least_first_price * estimate_.covariance.variances().maxCoeff());
}

// ---- better own parts ----------------------------------------------------------------------------------------------

void Relaxation::sharpen(States& states, Relaxed& relaxed, double enough, int rounds, int tries) {
  if (!covariance_.is_dense() || relaxed.row_prices.size() == 0 || std::isinf(enough)) return;
  double part = 1;  // of the way to the new parts
  for (int round = 0; round < rounds && relaxed.bound < enough; ++round) {
    if (stopped()) return;
    // The slope of the bound in each d.
    Eigen::VectorXd importance = Eigen::VectorXd::Zero(Eigen::Index(members_.size()));
    for (std::size_t k = 0; k < members_.size(); ++k) {
      const auto i = std::size_t(members_[k]);
      const double share = relaxed.shares[Eigen::Index(i)], weight = relaxed.weights[Eigen::Index(i)];
      const bool counts = states[i] == State::open && share > decided;
      importance[Eigen::Index(k)] = counts ? weight * weight * (1 / share - 1) : 0;
    }
    const double largest = importance.maxCoeff();
    if (!(largest > 0)) return;
    const Eigen::VectorXd from = split_.own;
    const Eigen::VectorXd to = own_parts_for(covariance_, (importance / largest).array().max(least_importance), from);
    const double before = relaxed.bound;
    for (part = std::min(1.0, 2 * part); part > 0.02; part /= 2) {
      split_ = split_with(covariance_, (1 - part) * from + part * to);
      auto again = bound(states, relaxed.prices, enough, tries);
      if (!again.feasible || !(again.bound > before)) continue;
      relaxed = std::move(again);
      break;
    }
    if (!(relaxed.bound > before)) {
      split_ = split_with(covariance_, from);
      return;
    }
    if (relaxed.bound - before < worthwhile * (enough - before)) return;
  }
}

// ---- decisions by prices -------------------------------------------------------------------------------------------

double Relaxation::decide(States& states, const Relaxed& relaxed, double enough) {
  if (relaxed.row_prices.size() == 0 || std::isinf(enough)) return infinity;
  set_prices(relaxed.prices.ceilings);
  const double price = relaxed.prices.position;
  // The rows' prices turn the rest into one problem an asset; any prices give a bound.
  const auto rows = all_rows(few_);
  const Eigen::VectorXd weights = relaxed.weights(members_), risk = split_.rest.product(weights);
  Eigen::VectorXd slope = risk - pull_(members_);
  double all = offset_ - weights.dot(risk) / 2 - price * (rules_.most - held_count(states));
  for (std::size_t r = 0; r < rows.size(); ++r) {
    if (rows[r].bend.size() > 0) return infinity;
    const double of_row = relaxed.row_prices[Eigen::Index(r)];
    const double end = (of_row > 0 ? rows[r].lower : rows[r].upper) - rows[r].constant;
    if (std::isinf(end)) continue;
    slope -= of_row * rows[r].coefficients;
    all += of_row * end;
  }
  const auto least_within = [&](Eigen::Index k, double lower, double upper) {
    if (lower > upper) return infinity;
    const double own = split_.own[k];
    const double at = own > 0 ? std::clamp(-slope[k] / own, lower, upper) : slope[k] > 0 ? lower : upper;
    return slope[k] * at + own * at * at / 2;
  };
  const auto count = Eigen::Index(members_.size());
  Eigen::VectorXd here = Eigen::VectorXd::Zero(count), in = here;  // what an asset adds; what it adds as a position
  for (Eigen::Index k = 0; k < count; ++k) {
    const double up = least_within(k, std::max(few_.lower[k], rules_.least), few_.upper[k]);
    const double down = least_within(k, few_.lower[k], std::min(few_.upper[k], -rules_.least));
    in[k] = price + std::min(up, down);
    switch (states[std::size_t(members_[std::size_t(k)])]) {
      case State::out: break;
      case State::open: here[k] = std::min(0.0, in[k]); break;
      case State::held: here[k] = rules_.either_side() ? std::min(up, down) : up; break;
      case State::held_short: here[k] = down; break;
    }
  }
  all += here.sum();
  double given_up = infinity;
  for (Eigen::Index k = 0; k < count; ++k) {
    auto& state = states[std::size_t(members_[std::size_t(k)])];
    if (state != State::open) continue;
    const double if_in = (all - here[k] + in[k]) / scale_, if_out = (all - here[k]) / scale_;
    if (if_in >= enough) {
      state = State::out;
      given_up = std::min(given_up, if_in);
    } else if (if_out >= enough && (few_.lower[k] >= 0 || rules_.either_side())) {
      state = State::held;
      given_up = std::min(given_up, if_out);
    }
  }
  return given_up;
}

Bounds bounds_of_few(const Bounds& bounds, const std::vector<int>& assets) {
  auto few = Bounds::long_only(Eigen::Index(assets.size()));
  few.lower = bounds.lower(assets);
  few.upper = bounds.upper(assets);
  few.budget = bounds.budget;
  if (bounds.volatility) few.volatility = LimitFigure{bounds.volatility->value, -1};
  if (bounds.tracking_error) few.tracking_error = LimitFigure{bounds.tracking_error->value, -1};
  for (const auto& row : bounds.rows) {
    LimitRow part{-1, row.label, row.coefficients(assets), row.lower, row.upper};
    part.constant = row.constant;
    if (row.bend.size() > 0) {
      part.bend = row.bend(assets);
      part.bend_at = row.bend_at(assets);
      part.constant += row.bend.dot(row.bend_at.cwiseAbs()) - part.bend.dot(part.bend_at.cwiseAbs());
    }
    few.rows.push_back(std::move(part));
  }
  return few;
}

}  // namespace inchtide
