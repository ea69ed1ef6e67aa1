#pragma once
// One portfolio on one schedule at any level of costs; what the levels share is walked once.

#include "rehearsal/at_costs.hpp"
#include "study/one_run.hpp"
#include "study/walk_setup.hpp"

namespace inchtide {

class OneAtLevels {
 public:
  // @param setup is kept by reference
  OneAtLevels(const Allocation& allocation, const Schedule& schedule, const WalkSetup& setup, RehearsalOptions how)
      : how_(std::move(how)), plan_(plan_of(allocation, schedule, setup)), runs_(setup.table, plan_, how_) {}
  OneAtLevels(const OneAtLevels&) = delete;
  OneAtLevels& operator=(const OneAtLevels&) = delete;

  // @param use is handed the run
  // @throws InputError as `rehearse`
  void at(double level, const std::function<void(const Rehearsal&)>& use) const { runs_.run(level, use); }

 private:
  static RehearsalPlan plan_of(const Allocation& allocation, const Schedule& schedule, const WalkSetup& setup) {
    auto plan = setup.plan;
    plan.name = OneRun::name_of(allocation, schedule);
    plan.aim = allocation.name;
    plan.weights = allocation.weights;
    plan.schedule = schedule;
    plan.terms.keep_orders = false;
    return plan;
  }

  RehearsalOptions how_;
  RehearsalPlan plan_;
  RunsAtCosts runs_;
};

}  // namespace inchtide
