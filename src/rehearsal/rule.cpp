#include "inchtide/rehearsal/rule.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"

namespace inchtide {
namespace {

/// Members of groups, and what each group adds up to.
class Groups {
 public:
  Groups(const BandGroups& groups, Eigen::Index assets) {
    int count = 0;
    for (Eigen::Index i = 0; i < assets; ++i) of_asset_.push_back(groups.empty() ? int(i) : groups[std::size_t(i)]);
    for (const int group : of_asset_) count = std::max(count, group + 1);
    count_ = count;
  }

  [[nodiscard]] Eigen::VectorXd sums(const Eigen::VectorXd& weights) const {
    Eigen::VectorXd sums = Eigen::VectorXd::Zero(count_);
    for (Eigen::Index i = 0; i < weights.size(); ++i) sums[of_asset_[std::size_t(i)]] += weights[i];
    return sums;
  }

  /// Moves each group's total by `moves`, shared by the members that are off in the direction from which it comes, in
  /// proportion to how far.
  [[nodiscard]] Eigen::VectorXd moved(const Eigen::VectorXd& weights, const Eigen::VectorXd& targets,
                                      const Eigen::VectorXd& moves) const {
    Eigen::VectorXd off(weights.size());
    for (Eigen::Index i = 0; i < weights.size(); ++i) {
      const double move = moves[of_asset_[std::size_t(i)]];
      off[i] = std::max(0.0, move < 0 ? weights[i] - targets[i] : targets[i] - weights[i]);
    }
    const Eigen::VectorXd all = sums(off);
    Eigen::VectorXd moved = weights;
    for (Eigen::Index i = 0; i < weights.size(); ++i) {
      const auto group = of_asset_[std::size_t(i)];
      if (moves[group] != 0 && all[group] > 0) moved[i] += moves[group] * off[i] / all[group];
    }
    return moved;
  }

  [[nodiscard]] int count() const { return count_; }

 private:
  std::vector<int> of_asset_;
  int count_ = 0;
};

/// Takes `amount` off deviations, the largest first, levelled until equal, never below 0: what is taken from each.
Eigen::VectorXd levelled(const Eigen::VectorXd& deviations, double amount) {
  std::vector<double> sorted;
  for (double deviation : deviations) {
    if (deviation > 0) sorted.push_back(deviation);
  }
  std::ranges::sort(sorted, std::greater{});
  double level = 0, above = 0;
  for (std::size_t k = 0; k < sorted.size(); ++k) {
    above += sorted[k];
    const double next = k + 1 < sorted.size() ? sorted[k + 1] : 0.0;
    level = (above - amount) / double(k + 1);
    if (level >= next) break;
  }
  level = std::max(level, 0.0);
  return (deviations.array() - level).cwiseMax(0.0);
}

/// The trade to the edge of the band, or half way, as weights of the wealth after it.
class TradeToBand {
 public:
  TradeToBand(const Schedule& schedule, const Look& look, const BandGroups& of_assets)
      : look_(look), groups_(of_assets, look.targets.size()), targets_(groups_.sums(look.targets)) {
    const auto& band = *schedule.band;
    const double wealth = look.wealth();
    const Eigen::VectorXd now = groups_.sums(look.weights());
    const auto goal = [&](double weight, double target) {
      const double off = weight - target;
      return schedule.to == Schedule::To::half ? target + off / 2
                                               : target + std::copysign(band.half_width(target), off);
    };
    goals_.resize(std::size_t(groups_.count()));
    for (int g = 0; g < groups_.count(); ++g) {
      if (band.is_outside(now[g], targets_[g])) goals_[std::size_t(g)] = goal(now[g], targets_[g]);
    }
    const double cash = look.cash / wealth, cash_target = 1 - look.targets.sum();
    if (band.cash && band.is_outside(cash, cash_target)) cash_goal_ = goal(cash, cash_target);
  }

  [[nodiscard]] Eigen::VectorXd at(double wealth_after) const {
    const Eigen::VectorXd held = look_.holdings / wealth_after;
    Eigen::VectorXd moves = Eigen::VectorXd::Zero(groups_.count());
    const Eigen::VectorXd now = groups_.sums(held);
    for (int g = 0; g < groups_.count(); ++g) {
      if (goals_[std::size_t(g)]) moves[g] = *goals_[std::size_t(g)] - now[g];
    }
    const double cash = look_.cash / wealth_after, costs = (look_.wealth() - wealth_after) / wealth_after;
    const double cash_off = cash - (1 - look_.targets.sum());
    double need = moves.sum() + costs;  // money that purchases and costs ask for, less what sales bring
    if (cash_goal_) {
      need += *cash_goal_ - cash;
    } else {
      need -= need > 0 ? std::min(need, std::max(cash_off, 0.0)) : std::max(need, std::min(cash_off, 0.0));
    }
    const Eigen::VectorXd there = groups_.moved(held, look_.targets, moves);
    const Eigen::VectorXd off = groups_.sums(there) - targets_;
    const Eigen::VectorXd counter = need > 0 ? Eigen::VectorXd(-levelled(off, need)) : levelled(-off, -need);
    return groups_.moved(there, look_.targets, counter);
  }

 private:
  Look look_;
  Groups groups_;
  Eigen::VectorXd targets_;
  std::vector<std::optional<double>> goals_;  // of the groups outside
  std::optional<double> cash_goal_;
};

}  // namespace

BandGroups groups_of(const Band& band, const std::vector<std::string>& assets, const Tags& tags) {
  if (band.column.empty()) return {};
  if (!find_name(band.column, tags.columns)) {
    throw InputError(fmt::format("band by '{}'", band.column), "no tag has this name",
                     did_you_mean(band.column, tags.columns));
  }
  BandGroups groups;
  std::vector<std::string> values;
  for (const auto& asset : assets) {
    const auto value = tags.value(asset, band.column);
    auto found = value ? find_name(*value, values) : std::nullopt;
    if (!found) {
      found = values.size();
      values.push_back(value ? *value : std::string());  // no name is empty
    }
    groups.push_back(int(*found));
  }
  return groups;
}

bool is_outside(const Band& band, const Look& look, const BandGroups& of_assets) {
  const Groups groups(of_assets, look.targets.size());
  const Eigen::VectorXd now = groups.sums(look.weights()), targets = groups.sums(look.targets);
  for (int g = 0; g < groups.count(); ++g) {
    if (band.is_outside(now[g], targets[g])) return true;
  }
  return band.cash && band.is_outside(look.cash / look.wealth(), 1 - look.targets.sum());
}

Destination destination_of(const Schedule& schedule, const Look& look, const BandGroups& groups) {
  Destination destination{look.targets};
  if (schedule.to == Schedule::To::after_costs) {
    throw InputError(fmt::format("schedule '{}'", schedule.name), "what pays after costs was not said",
                     "Give the plan a choice after costs");
  }
  if (schedule.to != Schedule::To::targets) {
    destination.at = [trade = TradeToBand(schedule, look, groups)](double wealth) { return trade.at(wealth); };
  }
  return schedule.cap ? capped(std::move(destination), look, *schedule.cap) : destination;
}

Destination capped(Destination destination, const Look& look, double cap) {
  const auto within = [held = look.holdings, cap](const Eigen::VectorXd& weights, double wealth) {
    const Eigen::VectorXd now = held / wealth, change = weights - now;
    const double turnover = (change.cwiseAbs().sum() + std::abs(change.sum())) / 2;
    return turnover <= cap ? weights : Eigen::VectorXd(now + cap / turnover * change);
  };
  if (destination.at) {
    destination.at = [within, at = std::move(destination.at)](double wealth) { return within(at(wealth), wealth); };
  } else {
    destination.weights = within(destination.weights, look.wealth());
  }
  return destination;
}

}  // namespace inchtide
