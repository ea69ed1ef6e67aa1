// What the limits that bind along a frontier hold back.

#include <algorithm>
#include <cmath>
#include <map>

#include "frontier/pieces.hpp"
#include "frontier/portfolio.hpp"
#include "frontier/tolerances.hpp"
#include "inchtide/base/range.hpp"
#include "inchtide/frontier/frontier.hpp"

namespace inchtide {
namespace {

/// S w, in time of what is held.
Eigen::VectorXd risk_of(const Covariance& covariance, const Eigen::VectorXd& weights) {
  std::vector<int> held;
  for (Eigen::Index i = 0; i < weights.size(); ++i) {
    if (weights[i] != 0) held.push_back(int(i));
  }
  Eigen::VectorXd of_held(Eigen::Index(held.size()));
  for (std::size_t k = 0; k < held.size(); ++k) of_held[Eigen::Index(k)] = weights[held[k]];
  return covariance.product(held, of_held);
}

/// S w, made afresh every so many corners, so that rounding cannot pile up.
constexpr std::size_t fresh_every = 16;

/// The way between two corners: what binds there binds all along, and which side of a bend a weight is on stays.
class Way {
 public:
  Way(const Estimate& estimate, const Bounds& bounds, const std::vector<LimitRow>& rows, Eigen::VectorXd middle,
      double risk_free)
      : estimate_(estimate), bounds_(bounds), rows_(rows), middle_(std::move(middle)), risk_free_(risk_free) {
    for (Eigen::Index i = 0; i < middle_.size(); ++i) {
      places_.push_back(place_of(bounds_, middle_, i));
      if (places_.back() != Place::free) continue;
      const double room = std::min(middle_[i] - bounds_.lower[i], bounds_.upper[i] - middle_[i]);
      if (room > most_room_) most_room_ = room, freest_ = i;
    }
  }

  /// @param risk S w at one of its ends
  /// @param row_prices there, of the budget and the rows; none where there are ranges only
  std::vector<Multiplier> at(const Eigen::VectorXd& risk, double lambda, const Eigen::VectorXd& row_prices) {
    sums_.clear();
    const double noise =
        no_price * std::max(risk.cwiseAbs().maxCoeff(), lambda * estimate_.expected_return.cwiseAbs().maxCoeff());
    const auto lower = gradient(risk, lambda, row_prices, true);
    const auto bent = bends() ? gradient(risk, lambda, row_prices, false) : Eigen::VectorXd();
    const auto& upper = bends() ? bent : lower;
    const double budget = bounds_.ranges_only() ? lower[freest_] : 0;  // else its price is off already
    for (Eigen::Index i = 0; i < middle_.size(); ++i) {
      const auto place = places_[std::size_t(i)];
      if (place == Place::free) continue;
      const int from = bounds_.lower_limit[std::size_t(i)], to = bounds_.upper_limit[std::size_t(i)];
      if (place == Place::fixed && from == to)
        add(from, upper[i] - budget, noise);
      else if (place == Place::fixed)
        add(upper[i] > budget ? from : to, std::abs(upper[i] - budget), noise);
      else if (place == Place::lower)
        add(from, std::max(0.0, lower[i] - budget), noise);
      else if (place == Place::upper)
        add(to, std::max(0.0, budget - upper[i]), noise);
    }
    add_rows(bounds_.ranges_only() ? Eigen::VectorXd::Constant(1, budget) : row_prices, lambda, noise);
    std::vector<Multiplier> all;
    for (const auto& [limit, sum] : sums_) {
      const double factor = per_figure(bounds_, limit);
      all.push_back({limit, sum * (is_equality(limit) ? factor : std::abs(factor)), is_equality(limit)});
    }
    return all;
  }

 private:
  /// Whether slopes from above and from below can be others.
  bool bends() const {
    return bounds_.costs || std::ranges::any_of(rows_, [](const LimitRow& row) { return row.bend.size() > 0; });
  }

  bool is_equality(int limit) const { return bounds_.limits[std::size_t(limit)].is_equality(); }

  void add(int limit, double price, double noise) {
    if (limit >= 0 && std::abs(price) > noise) sums_[limit] += price;
  }

  /// Of variance / 2 - lambda x return, the rows' prices taken off.
  Eigen::VectorXd gradient(const Eigen::VectorXd& risk, double lambda, const Eigen::VectorXd& row_prices,
                           bool above) const {
    Eigen::VectorXd slopes = risk - lambda * estimate_.expected_return;
    if (bounds_.costs) {
      const auto& costs = *bounds_.costs;
      for (Eigen::Index i = 0; i < slopes.size(); ++i) {
        const bool buys = slope_from(middle_[i], costs.current[i], above) > 0;
        slopes[i] += lambda / costs.years * (buys ? costs.rates.buy[i] : -costs.rates.sell[i]);
      }
    }
    for (Eigen::Index r = 0; r < row_prices.size(); ++r) {
      if (row_prices[r] == 0) continue;
      const auto& row = rows_[std::size_t(r)];
      slopes -= row_prices[r] * row.coefficients;
      for (Eigen::Index i = 0; i < row.bend.size(); ++i) {
        slopes[i] -= row_prices[r] * row.bend[i] * slope_from(middle_[i], row.bend_at[i], above);
      }
    }
    return slopes;
  }

  /// The budget is an equality, and the ends of rows in proportion to it move along.
  void add_rows(const Eigen::VectorXd& prices, double lambda, double noise) {
    double budget = prices[0] + lambda * risk_free_;
    for (std::size_t r = 1; r < rows_.size(); ++r) {
      const auto& row = rows_[r];
      const double value = row.value(middle_), size = binding_within * std::max(1.0, row_size(row));
      const bool low = value - row.lower <= size, high = row.upper - value <= size;
      if (!low && !high) continue;
      const double price = prices[Eigen::Index(r)];
      budget += price * row.end_moves(low, bounds_.budget, true);
      if (row.limit >= 0) add(row.limit, is_equality(row.limit) ? price : std::abs(price), noise);
    }
    add(bounds_.budget_limit, budget, noise);
  }

  const Estimate& estimate_;
  const Bounds& bounds_;
  const std::vector<LimitRow>& rows_;  // the budget's first
  Eigen::VectorXd middle_;
  std::vector<Place> places_;  // of the middle's weights
  double risk_free_;
  Eigen::Index freest_ = 0;
  double most_room_ = 0;
  std::map<int, double> sums_;
};

}  // namespace

std::vector<CornerMultipliers> Frontier::multipliers(double risk_free) const {
  finite(risk_free, "risk-free rate");
  std::vector<CornerMultipliers> all(corners_.size());
  const auto rows = all_rows(bounds_);
  Eigen::VectorXd from = weights(0), risk = risk_of(estimate_.covariance, from);
  for (std::size_t k = 0; k + 1 < corners_.size(); ++k) {
    Eigen::VectorXd to = from;
    for (auto c = changes_end_[k]; c < changes_end_[k + 1]; ++c) to[changes_[c].asset] = changes_[c].weight;
    Eigen::VectorXd next_risk = (k + 1) % fresh_every == 0
                                    ? risk_of(estimate_.covariance, to)
                                    : Eigen::VectorXd(risk + risk_of(estimate_.covariance, to - from));
    Way way(estimate_, bounds_, rows, (from + to) / 2, risk_free);
    const bool ranges = bounds_.ranges_only();
    all[k].below = way.at(risk, corners_[k].lambda_low, ranges ? Eigen::VectorXd() : prices_low_[k]);
    all[k + 1].above = way.at(next_risk, corners_[k + 1].lambda_high, ranges ? Eigen::VectorXd() : prices_high_[k + 1]);
    from = std::move(to);
    risk = std::move(next_risk);
  }
  return all;
}

}  // namespace inchtide
