#pragma once
// One run of a study: a portfolio on a schedule, its weights chosen anew where the settings say so.

#include <map>
#include <set>
#include <string>
#include <vector>

#include "inchtide/study/runs.hpp"
#include "study/walk_setup.hpp"

namespace inchtide {

// One at a time: what cost-aware schedules go by is the latest estimate of the run that is made.
class OneRun {
 public:
  OneRun(const Universe& universe, const Basis& basis, const Sources& sources, const Settings& settings,
         const WalkSetup& setup)
      : universe_(universe), basis_(basis), sources_(sources), settings_(settings), setup_(setup) {}

  [[nodiscard]] static std::string name_of(const Allocation& allocation, const Schedule& schedule);

  // Whether a schedule can look at a portfolio: after costs only at one that weighs return.
  [[nodiscard]] static bool is_possible(const Allocation& allocation, const Schedule& schedule);

  // @param promises what each estimate promised of the weights that it chose; the days are filled in by `keep_to`
  // @throws InputError as `rehearse`
  [[nodiscard]] Rehearsal make(const Allocation& allocation, const Schedule& schedule, const TradeTerms& terms,
                               const RehearsalOptions& how, std::vector<Promise>& promises);

  // The days of estimates that an asset had no part in, and wasn't held by, as it hadn't prices all through the window.
  [[nodiscard]] const std::map<std::string, std::set<Day>>& without() const { return without_; }

  // The days on which a limit was as wide as what is suspended made it, by its text.
  [[nodiscard]] const std::map<std::string, std::set<Day>>& widened() const { return widened_; }

 private:
  void reestimate(RehearsalPlan& plan, const Allocation& allocation, std::vector<Promise>& promises);
  [[nodiscard]] Sources holding(const Look& look) const;

  const Universe& universe_;
  const Basis& basis_;
  const Sources& sources_;
  const Settings& settings_;
  const WalkSetup& setup_;
  Basis latest_;
  std::map<std::string, std::set<Day>> without_, widened_;
};

// The reason that a run of this name wasn't made, for where the name stands beside it already.
[[nodiscard]] Notice reason_beside(const std::string& name, Notice reason);

}  // namespace inchtide
