#pragma once
// One plan at any level of its costs: where no cost bends its path, the path is walked once, and each level is a chain
// of trades over it.

#include <functional>
#include <memory>

#include "inchtide/rehearsal/walk.hpp"

namespace inchtide {

class RunsAtCosts {
 public:
  // @param table, plan and options are kept by reference; the options are brief
  RunsAtCosts(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options);
  ~RunsAtCosts();
  RunsAtCosts(const RunsAtCosts&) = delete;
  RunsAtCosts& operator=(const RunsAtCosts&) = delete;

  // What `rehearse` comes to with the plan's costs at a level, to the last bit. From several threads at once.
  // @param use is handed the run, in room that the next one is written in: its figures and trades, and of its series
  //        no more than the first row that is measured and the last
  // @throws InputError as `rehearse`, and what `use` throws
  void run(double level, const std::function<void(const Rehearsal&)>& use) const;

 private:
  class Shared;
  const PriceTable& table_;
  const RehearsalPlan& plan_;
  const RehearsalOptions& options_;
  std::unique_ptr<Shared> shared_;  // where a path could be walked
};

}  // namespace inchtide
