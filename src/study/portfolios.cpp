#include "inchtide/study/portfolios.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <exception>
#include <utility>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/weights/adjust.hpp"

namespace inchtide {

bool counts_costs(const Aim& aim) {
  using Kind = Aim::Kind;
  return aim.kind == Kind::maximum_sharpe || aim.kind == Kind::utility || aim.kind == Kind::target_return ||
         aim.kind == Kind::target_volatility;
}

namespace {

// Sums of weights that differ by less are the same.
constexpr double same_sum = 1e-9;

/// Collects portfolios, and the aims that have none.
class Choosing {
 public:
  Choosing(const Basis& basis, const Settings& settings, const PatienceOfAnAim& patience)
      : basis_(basis), settings_(settings), patience_(patience) {}

  void by(const std::vector<Aim>& asked) {
    if (asked.empty()) return;
    std::vector<Aim> aims, twice;
    for (const auto& aim : asked) {
      (std::ranges::find(aims, aim) == aims.end() ? aims : twice).push_back(aim);
    }
    auto before_costs = basis_.facts;  // which are known all the same
    before_costs.costs_count = false;
    const auto frontier = trace_frontier(basis_.estimate, basis_.limits, before_costs);
    for (const auto& aim : aims) {
      add(aim.text(), aim, [&] { return choose(frontier, aim, basis_.risk_free, options()); });
    }
    for (const auto& aim : twice) {
      const auto found = std::ranges::find(chosen_.all, std::optional(aim), &Allocation::aim);
      if (found != chosen_.all.end()) found->notes.push_back("Asked for more than once, and chosen once");
    }
    if (settings_.after_costs) after_costs(aims);
  }

  void given(const Eigen::VectorXd& weights, const std::string& name) {
    auto free = name;
    for (int k = 2; std::ranges::find(chosen_.all, free, &Allocation::name) != chosen_.all.end(); ++k) {
      free = fmt::format("{} ({})", name, k);
    }
    chosen_.all.push_back(evaluate(basis_.estimate, basis_.limits, weights, free, basis_.risk_free, basis_.facts));
  }

  void check_any() const {
    if (chosen_.all.empty() && first_) std::rethrow_exception(first_);
  }

  /// Weights that break limits, once more moved inside; all, once more in whole steps.
  void adjust() {
    if (settings_.move_inside) move_inside();
    if (settings_.rounding) round_to(*settings_.rounding);
  }

  Portfolios take() { return std::move(chosen_); }

 private:
  template <typename Choose>
  void add(const std::string& name, const Aim& aim, Choose choose) {
    try {
      chosen_.all.push_back(choose());
      chosen_.all.back().name = name;
    } catch (const UnsolvedProblem& unsolved) {
      keep({name, aim.text(), unsolved.notice(), unsolved.problem()});
    } catch (const InputError& error) {
      keep({name, aim.text(), error.notice(), std::nullopt});
    } catch (const UncertifiedAnswer& error) {
      keep({name, aim.text(), error.notice(), std::nullopt});
    }
  }

  void keep(Unanswered aim) {  // while its exception is being handled
    chosen_.unanswered.push_back(std::move(aim));
    if (!first_) first_ = std::current_exception();
  }

  ChoiceOptions options() const { return {settings_.borrowing, settings_.gap, patience_ ? patience_() : StopCheck()}; }

  void after_costs(const std::vector<Aim>& aims) {
    if (!basis_.facts.costs) {
      throw InputError("after costs", "it needs the weights held now and the costs of trading",
                       basis_.facts.current.size() == 0 ? Remedy(Means::current, "Give the weights")
                                                        : Remedy(Means::costs, "Give the costs", "10bp"));
    }
    const auto bounds = bounds_of(basis_.limits, basis_.estimate.assets, basis_.facts);
    if (bounds.tracking_error || bounds.holdings || bounds.held) {
      throw InputError("after costs", "it does not go with limits on tracking error or on positions",
                       {{Means::limits, "Drop those limits"}, "choose before costs"});
    }
    std::optional<Frontier> frontier;
    for (const auto& aim : aims) {
      if (!counts_costs(aim)) continue;
      add(aim.text() + " after costs", aim, [&] {
        if (!frontier) frontier = trace_frontier(basis_.estimate, basis_.limits, basis_.facts);
        auto allocation = choose(*frontier, aim, basis_.risk_free, options());
        const double years = settings_.horizon;
        allocation.notes.push_back(fmt::format("Trading there costs {} of wealth once, spread over {:g} year{}",
                                               percent_text(*allocation.trading_cost, 3), years,
                                               years == 1 ? "" : "s"));
        return allocation;
      });
    }
  }

  Allocation again(const Allocation& from, const Eigen::VectorXd& weights, const char* how) const {
    auto changed = evaluate(basis_.estimate, basis_.limits, weights, from.name + how, basis_.risk_free, basis_.facts);
    changed.aim = from.aim;
    return changed;
  }

  void move_inside() {
    auto& all = chosen_.all;
    const auto bounds = bounds_of(basis_.limits, basis_.estimate.assets, basis_.facts);
    for (std::size_t k = 0; k < all.size(); ++k) {
      if (all[k].violations.empty()) continue;
      const auto moved = again(all[k], nearest_within(bounds, all[k].weights), ", moved inside");
      all.insert(all.begin() + std::ptrdiff_t(++k), moved);
    }
  }

  void round_to(double step) {
    auto& all = chosen_.all;
    for (std::size_t k = 0; k < all.size(); ++k) {
      const auto& from = all[k];
      const bool blend =
          from.aim && (from.aim->kind == Aim::Kind::blend_volatility || from.aim->kind == Aim::Kind::blend_return);
      if (blend) continue;
      auto rounded = again(from, rounded_to(from.weights, step), ", rounded");
      rounded.notes.push_back(
          fmt::format("Rounding changes the expected return by {:+.2f} bp, the volatility by {:+.2f} bp and the Sharpe "
                      "ratio by {:+.4f}",
                      10000 * (rounded.expected_return - from.expected_return),
                      10000 * (rounded.volatility - from.volatility), rounded.sharpe - from.sharpe));
      all.insert(all.begin() + std::ptrdiff_t(++k), std::move(rounded));
    }
  }

  const Basis& basis_;
  const Settings& settings_;
  const PatienceOfAnAim& patience_;
  Portfolios chosen_;
  std::exception_ptr first_;
};

std::vector<Aim> aims_of(const Sources& sources, const Settings& settings) {
  if (!settings.aims.empty() || !sources.given.empty() || !settings.mixes.empty()) return settings.aims;
  return {{Aim::Kind::minimum_variance, 0}, {Aim::Kind::maximum_sharpe, 0}, {Aim::Kind::equal, 0}};
}

}  // namespace

Portfolios portfolios_of(const Basis& basis, const Sources& sources, const Settings& settings,
                         const PatienceOfAnAim& patience) {
  Choosing choosing(basis, settings, patience);
  choosing.by(aims_of(sources, settings));
  if (settings.mixes.empty() && sources.given.empty()) choosing.check_any();
  for (const auto& mix : settings.mixes) {
    choosing.given(mixed_weights(mix, basis.estimate.assets, basis.facts.tags), mix);
  }
  if (settings.show_current && basis.facts.current.size() > 0) choosing.given(basis.facts.current, "current");
  for (const auto& list : sources.given) choosing.given(weights_for(basis.estimate.assets, list), list.name);
  choosing.adjust();
  return choosing.take();
}

std::optional<double> room_given_up(const Settings& settings, std::size_t assets) {
  constexpr std::size_t few = 60;
  constexpr double usual = 0.001;
  return settings.room || assets > few ? settings.room : usual;
}

std::vector<std::vector<std::optional<WeightRange>>> rooms_of(const Basis& basis,
                                                              const std::vector<Allocation>& portfolios, double give_up,
                                                              const Executor& executor, const Watch& watch) {
  const auto bounds = bounds_of(basis.limits, basis.estimate.assets, basis.facts);
  std::vector<std::vector<std::optional<WeightRange>>> rooms;
  for (const auto& one : portfolios) {
    rooms.emplace_back();
    const bool whole = std::abs(one.weights.sum() - bounds.budget) <= same_sum;
    if (!one.violations.empty() || !whole) continue;
    rooms.back() = room_of(basis.estimate, bounds, one.weights, give_up, executor, watch);
  }
  return rooms;
}

std::vector<HardTime> hard_times_of(const Basis& basis, const std::vector<Allocation>& portfolios, std::size_t count) {
  const auto& returns = basis.returns;
  const auto assets = basis.estimate.size();
  if (returns.observations() == 0 || returns.returns.cols() != assets || !returns.returns.allFinite()) return {};
  const Eigen::VectorXd equal = Eigen::VectorXd::Constant(assets, 1.0 / double(assets));
  std::vector<HardTime> times;
  for (const auto& stretch : worst_stretches(returns, equal, count)) {
    HardTime time{stretch, {}, return_through(returns, stretch, equal, basis.risk_free)};
    for (const auto& one : portfolios) {
      time.returns.push_back(return_through(returns, stretch, one.weights, basis.risk_free));
    }
    times.push_back(std::move(time));
  }
  return times;
}

}  // namespace inchtide
