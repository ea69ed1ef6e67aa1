#include "study/one_run.hpp"

#include <fmt/format.h>

#include "inchtide/base/names.hpp"
#include "study/choosing_anew.hpp"

namespace inchtide {

std::string OneRun::name_of(const Allocation& allocation, const Schedule& schedule) {
  return fmt::format("{}, {}", allocation.name, schedule.name);
}

bool OneRun::is_possible(const Allocation& allocation, const Schedule& schedule) {
  return schedule.to != Schedule::To::after_costs || (allocation.aim && counts_costs(*allocation.aim));
}

Rehearsal OneRun::make(const Allocation& allocation, const Schedule& schedule, const TradeTerms& terms,
                       const RehearsalOptions& how, std::vector<Promise>& promises) {
  auto plan = setup_.plan;
  plan.terms = terms;
  plan.name = name_of(allocation, schedule);
  plan.aim = allocation.name;
  plan.weights = allocation.weights;
  plan.schedule = schedule;
  promises = {{plan.name, {}, {}, allocation.expected_return, allocation.volatility, allocation.sharpe}};
  if (settings_.reestimate && allocation.aim) reestimate(plan, allocation, promises);
  if (schedule.to == Schedule::To::after_costs) {
    latest_ = basis_;
    plan.after_costs = [&](const Look& look) {
      std::vector<std::string> widened;
      auto weights =
          after_costs_by(latest_, universe_, settings_, *allocation.aim, look, proportional(terms.costs), widened);
      for (const auto& limit : widened) widened_[limit].insert(look.day);
      return weights;
    };
  }
  auto run = rehearse(setup_.table, plan, how);
  run.schedule = schedule.name;
  return run;
}

void OneRun::reestimate(RehearsalPlan& plan, const Allocation& allocation, std::vector<Promise>& promises) {
  promises.clear();
  const auto name = plan.name;
  plan.estimation = Reestimation{
      *settings_.reestimate, [this, &allocation, &promises, name, near = Eigen::VectorXd()](const Look& look) mutable {
        auto basis = basis_on(universe_, holding(look), settings_, look.day);
        for (const auto& asset : universe_.assets) {
          if (!find_name(asset, basis.estimate.assets)) without_[asset].insert(look.day);
        }
        std::vector<std::string> widened;
        auto chosen = choose_by(basis, universe_, settings_, *allocation.aim, look, near, widened);
        for (const auto& limit : widened) widened_[limit].insert(look.day);
        near = chosen.weights;
        if (promises.empty() || promises.back().from < look.day) {  // tranches after the first begin again
          promises.push_back({name, look.day, {}, chosen.expected_return, chosen.volatility, chosen.sharpe});
        }
        latest_ = std::move(basis);
        return chosen.weights;
      }};
}

/// The sources with what is held on a close as the weights held now.
Sources OneRun::holding(const Look& look) const {
  auto sources = sources_;
  const Eigen::VectorXd held = look.weights();
  sources.held.reset();
  sources.current = WeightList{"held", universe_.assets, {held.begin(), held.end()}};
  return sources;
}

Notice reason_beside(const std::string& name, Notice reason) {
  auto& place = reason.where.what;
  const auto run = fmt::format("rehearsal '{}'", name);
  if (place.starts_with(run)) place.erase(0, run.size() + (place.substr(run.size()).starts_with(", ") ? 2 : 0));
  return reason;
}

}  // namespace inchtide
