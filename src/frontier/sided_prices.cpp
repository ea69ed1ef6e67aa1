#include "inchtide/frontier/sided_prices.hpp"

#include <algorithm>
#include <cmath>

#include "base/dense.hpp"
#include "base/numbers.hpp"
#include "frontier/pieces.hpp"
#include "frontier/portfolio.hpp"
#include "frontier/tolerances.hpp"
#include "frontier/vertex.hpp"

namespace inchtide {
namespace {

/// Nothing where the two agree.
std::optional<SidedPrice> sided_within(const std::optional<PriceRange>& range) {
  if (!range) return std::nullopt;
  const SidedPrice sided{std::max(0.0, range->least), range->most};
  if (sided.tightened <= sided.loosened + same_price * std::max(sided.loosened, least_price)) return std::nullopt;
  return sided;
}

}  // namespace

void SidedPrices::Affine::add(const Affine& other, double sign) {
  base += sign * other.base;
  slopes += sign * other.slopes;
}

SidedPrices::SidedPrices(const Covariance& covariance, const Eigen::VectorXd& expected_return, const Bounds& bounds,
                         const Portfolio& portfolio, Moves moves)
    : bounds_(bounds),
      weights_(portfolio.weights),
      rows_(all_rows(bounds)),
      last_is_scale_(moves != Moves::objective),
      moves_(moves),
      lambda_(portfolio.lambda) {
  const auto n = weights_.size();
  const double lambda = portfolio.lambda;
  const Eigen::VectorXd risk = covariance.product(weights_);
  // The slopes of the return, which costs bend.
  Eigen::VectorXd rises = expected_return, rises_below = expected_return;
  if (bounds.costs) {
    const auto& costs = *bounds.costs;
    for (Eigen::Index i = 0; i < n; ++i) {
      const auto cost = [&](bool above) {
        return (slope_from(weights_[i], costs.current[i], above) > 0 ? costs.rates.buy[i] : -costs.rates.sell[i]) /
               costs.years;
      };
      rises[i] -= cost(true);
      rises_below[i] -= cost(false);
    }
  }
  switch (moves) {
    case Moves::objective:
      base_ = risk - lambda * rises;
      base_below_ = risk - lambda * rises_below;
      break;
    case Moves::variance:
      base_ = base_below_ = risk;
      along_ = -rises;
      along_below_ = -rises_below;
      break;
    case Moves::mean_return:
      base_ = -rises;
      base_below_ = -rises_below;
      along_ = along_below_ = risk;
      break;
  }

  Eigen::VectorXd row_prices = portfolio.row_prices;
  if (bounds.ranges_only()) {
    const auto prices = bound_prices(covariance, expected_return, bounds, weights_, lambda);
    row_prices = Eigen::VectorXd::Constant(1, prices.budget);
  }
  std::vector<int> sides;  // of each row touched: 1 at its lower end, -1 at its upper one, 0 at both
  for (std::size_t r = 0; r < rows_.size(); ++r) {
    const double value = rows_[r].value(weights_), size = binding_within * std::max(1.0, row_size(rows_[r]));
    const bool low = value - rows_[r].lower <= size, high = rows_[r].upper - value <= size;
    if (!low && !high) continue;
    touched_.push_back(r);
    sides.push_back(low && high ? 0 : low ? 1 : -1);
  }
  const auto rows = Eigen::Index(touched_.size()), d = rows + (last_is_scale_ ? 1 : 0);
  const double scale = moves == Moves::mean_return ? 1 / lambda : 1;
  now_.resize(d);
  for (Eigen::Index r = 0; r < rows; ++r) now_[r] = scale * row_prices[Eigen::Index(touched_[std::size_t(r)])];
  if (last_is_scale_) now_[rows] = moves == Moves::variance ? lambda : scale;

  // Free weights hold the prices together: what they leave open.
  std::vector<Eigen::VectorXd> held;
  for (Eigen::Index i = 0; i < n; ++i) {
    if (place_of(bounds, weights_, i) == Place::free && !at_bend(rows_, weights_, i)) {
      held.push_back(of_weight(i, true).slopes);
    }
  }
  if (held.empty()) {
    freedom_ = Eigen::MatrixXd::Identity(d, d);
  } else {
    Eigen::MatrixXd all(Eigen::Index(held.size()), d);
    for (std::size_t k = 0; k < held.size(); ++k) all.row(Eigen::Index(k)) = held[k];
    Eigen::VectorXd size = all.cwiseAbs().colwise().maxCoeff().transpose();
    size = (size.array() > 0).select(size, 1.0);  // free weights may know nothing of a row
    freedom_ = dense::kernel(all * size.cwiseInverse().asDiagonal(), no_figure_slope);
    if (freedom_.cols() == 0) return;  // there is but one set of prices
    freedom_ = (size.cwiseInverse().asDiagonal() * freedom_).eval();
    freedom_ = (freedom_ * freedom_.colwise().norm().cwiseInverse().asDiagonal()).eval();
  }
  const auto price_itself = [&](Eigen::Index which, double sign) {
    Affine price{0, Eigen::VectorXd::Zero(d)};
    price.slopes[which] = sign;
    return price;
  };
  for (Eigen::Index r = 0; r < rows; ++r) {
    if (sides[std::size_t(r)] != 0) add_condition(price_itself(r, sides[std::size_t(r)]));
  }
  if (last_is_scale_) add_condition(price_itself(rows, 1));
  for (Eigen::Index i = 0; i < n; ++i) {
    const auto place = place_of(bounds, weights_, i);
    const bool bends = place == Place::free && at_bend(rows_, weights_, i);
    if (place == Place::lower || bends) add_condition(of_weight(i, true));
    if (place == Place::upper || bends) {
      auto price = of_weight(i, false);
      price.base *= -1;
      price.slopes *= -1;
      add_condition(price);
    }
  }
}

/// The gradient at a weight from one side, the rows' prices taken off: the price of a bound there.
SidedPrices::Affine SidedPrices::of_weight(Eigen::Index asset, bool above) const {
  const auto rows = Eigen::Index(touched_.size());
  Affine price{above ? base_[asset] : base_below_[asset], Eigen::VectorXd(now_.size())};
  for (Eigen::Index r = 0; r < rows; ++r) {
    const auto& row = rows_[touched_[std::size_t(r)]];
    double slope = row.coefficients[asset];
    if (row.bend.size() > 0) slope += row.bend[asset] * slope_from(weights_[asset], row.bend_at[asset], above);
    price.slopes[r] = -slope;
  }
  if (last_is_scale_) price.slopes[rows] = above ? along_[asset] : along_below_[asset];
  return price;
}

void SidedPrices::add_condition(const Affine& never_negative) {
  Affine condition{std::max(0.0, never_negative.at(now_)), freedom_.transpose() * never_negative.slopes};
  const double size = condition.slopes.cwiseAbs().maxCoeff();
  if (size <= no_figure_slope * never_negative.slopes.cwiseAbs().maxCoeff()) return;
  condition.base /= size;
  condition.slopes /= size;
  conditions_.push_back(std::move(condition));
}

std::optional<PriceRange> SidedPrices::range_of(const Affine& figure) const {
  if (freedom_.cols() == 0) return std::nullopt;
  const double value = figure.at(now_);
  const Eigen::VectorXd slopes = freedom_.transpose() * figure.slopes;
  if (slopes.cwiseAbs().maxCoeff() <= no_figure_slope * std::max(never_zero, figure.slopes.cwiseAbs().maxCoeff())) {
    return std::nullopt;
  }
  if (slopes.size() == 1) {  // an interval, as at a vertex of plain ranges
    double least = -infinity, most = infinity;
    for (const auto& condition : conditions_) {
      const double end = -condition.base / condition.slopes[0];
      if (condition.slopes[0] > 0) least = std::max(least, end);
      if (condition.slopes[0] < 0) most = std::min(most, end);
    }
    return PriceRange{value + slopes[0] * (slopes[0] > 0 ? least : most),
                      value + slopes[0] * (slopes[0] > 0 ? most : least)};
  }
  // The least of slopes't within base + C t >= 0 is the most of -base'x within C'x = slopes, x >= 0.
  const auto count = Eigen::Index(conditions_.size());
  VertexProblem dual{
      {Eigen::VectorXd::Zero(count), Eigen::VectorXd::Constant(count, infinity), RowMatrix(slopes.size(), count), {}},
      slopes,
      slopes};
  Eigen::VectorXd bases(count);
  for (Eigen::Index k = 0; k < count; ++k) {
    dual.weights.rows.col(k) = conditions_[std::size_t(k)].slopes;
    bases[k] = conditions_[std::size_t(k)].base;
  }
  const auto farthest = [&](double sign) {
    dual.row_lower = dual.row_upper = sign * slopes;
    const auto vertex = best_vertex(dual, -bases, {});
    return vertex.feasible ? sign * -bases.dot(vertex.values.head(count)) : -sign * infinity;
  };
  return PriceRange{value + farthest(1), value + farthest(-1)};
}

/// Whether an end of an asset's range is shared by several limits.
bool SidedPrices::is_shared(const std::vector<std::pair<int, int>>& ties, Eigen::Index asset) const {
  return std::ranges::any_of(ties, [asset](const auto& tie) { return tie.first == int(asset); });
}

std::optional<SidedPrice> SidedPrices::of(int limit) const {
  if (limit < 0) return std::nullopt;
  Affine looser{0, Eigen::VectorXd::Zero(now_.size())}, tighter = looser;
  bool is_full = false;  // a weight stands between this limit and another that leaves it no other value
  for (Eigen::Index i = 0; i < weights_.size(); ++i) {
    const auto place = place_of(bounds_, weights_, i);
    const bool lower = bounds_.sets_lower(limit, i) && (place == Place::lower || place == Place::fixed);
    const bool upper = bounds_.sets_upper(limit, i) && (place == Place::upper || place == Place::fixed);
    if (lower && upper) return std::nullopt;
    if (!lower && !upper) continue;
    // What it would gain by going beyond its end, from that side; what it loses by coming in, from the other.
    auto beyond = of_weight(i, upper), within = of_weight(i, lower);
    const bool gains = (beyond.at(now_) > 0) == lower || place != Place::fixed;
    if (gains && !is_shared(lower ? bounds_.lower_ties : bounds_.upper_ties, i)) looser.add(beyond, lower ? 1 : -1);
    tighter.add(within, lower ? 1 : -1);
    is_full = is_full || place == Place::fixed;
  }
  for (std::size_t t = 0; t < touched_.size(); ++t) {
    const auto& row = rows_[touched_[t]];
    if (row.limit != limit) continue;
    const double value = row.value(weights_);
    const bool low = value - row.lower <= row.upper - value;
    if (touched_[t] == 0 || row.lower == row.upper) return std::nullopt;
    looser.slopes[Eigen::Index(t)] += low ? 1 : -1;
    tighter.slopes[Eigen::Index(t)] += low ? 1 : -1;
  }
  const auto gains = range_of(looser), takes = range_of(tighter);
  const double least = gains ? gains->least : looser.at(now_), most = takes ? takes->most : tighter.at(now_);
  return sided_within(PriceRange{least, is_full ? infinity : most});
}

/// The range of what moving something up and down adds, each from its own side.
PriceRange SidedPrices::between(const Affine& up, const Affine& down) const {
  const auto rises = range_of(up), falls = range_of(down);
  return {-(falls ? falls->most : down.at(now_)), rises ? rises->most : up.at(now_)};
}

PriceRange SidedPrices::of_equality(int limit) const {
  bool room_up = true, room_down = true;  // other limits may stand in the way
  for (Eigen::Index i = 0; i < weights_.size(); ++i) {
    if (!bounds_.sets_lower(limit, i) || !bounds_.sets_upper(limit, i)) continue;
    room_up = room_up && !is_shared(bounds_.upper_ties, i);
    room_down = room_down && !is_shared(bounds_.lower_ties, i);
  }
  const auto moved = [&](bool up) {
    Affine sum{0, Eigen::VectorXd::Zero(now_.size())};
    const double sign = up ? 1 : -1;
    for (Eigen::Index i = 0; i < weights_.size(); ++i) {
      if (bounds_.sets_lower(limit, i) && bounds_.sets_upper(limit, i)) sum.add(of_weight(i, up), sign);
    }
    for (std::size_t t = 0; t < touched_.size(); ++t) {
      if (touched_[t] > 0 && rows_[touched_[t]].limit == limit) sum.slopes[Eigen::Index(t)] += sign;
    }
    return sum;
  };
  auto range = between(moved(true), moved(false));
  if (!room_up) range.most = infinity;
  if (!room_down) range.least = -infinity;
  return range;
}

/// What a unit more of budget adds to the objective, or a unit less.
SidedPrices::Affine SidedPrices::of_moving_budget(double rate, bool rising) const {
  Affine sum{0, Eigen::VectorXd::Zero(now_.size())};
  const double sign = rising ? 1 : -1;
  for (std::size_t t = 0; t < touched_.size(); ++t) {
    const auto& row = rows_[touched_[t]];
    const bool low = row.value(weights_) - row.lower <= row.upper - row.value(weights_);
    sum.slopes[Eigen::Index(t)] += touched_[t] == 0 ? sign : row.end_moves(low, bounds_.budget, rising);
  }
  switch (moves_) {
    case Moves::objective: sum.base += sign * lambda_ * rate; break;
    case Moves::variance: sum.slopes[Eigen::Index(touched_.size())] += sign * rate; break;
    case Moves::mean_return: sum.base += sign * rate; break;
  }
  return sum;
}

PriceRange SidedPrices::of_budget(double rate) const {
  return between(of_moving_budget(rate, true), of_moving_budget(rate, false));
}

std::optional<double> SidedPrices::most_of_lower(Eigen::Index asset) const {
  const auto range = sided_within(range_of(of_weight(asset, true)));
  return range ? std::optional(range->tightened) : std::nullopt;
}

}  // namespace inchtide
