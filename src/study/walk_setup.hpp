#pragma once
// What all rehearsals of a study share: the prices that are walked through, the schedules, and how it is done.

#include <vector>

#include "inchtide/study/runs.hpp"

namespace inchtide {

// The days on which any asset has a price of its own, up to the end of the settings; the benchmark's prices, last, on
// them.
PriceTable priced_days(const Universe& universe, const Settings& settings);

struct WalkSetup {
  // @param warnings says what was carried forward and which schedules are the same
  // @throws InputError as `runs_of`
  WalkSetup(const Universe& universe, const Basis& basis, const Sources& sources, const Settings& settings,
            std::vector<Notice>& warnings);

  PriceTable walk;   // from the first row on, the benchmark's prices last
  PriceTable table;  // of the assets, with rows before the first where costs look back or one is closed there
  std::vector<Schedule> schedules;
  RehearsalOptions how;
  RehearsalPlan plan;  // its terms and tags

 private:
  void add_history(const Universe& universe, const Settings& settings, std::vector<Notice>& warnings);
};

}  // namespace inchtide
