#pragma once
// A study to rehearse, of made-up histories.

#include "inchtide/study/runs.hpp"
#include "support/walks.hpp"

namespace inchtide::test {

/// A study of three made-up assets from 2022 on.
struct Rehearsed {
  Sources sources = three();
  Settings settings;
  Rehearsed() {
    settings.split = day("2022-01-03");
    settings.aims = {Aim::parse("minimum-variance", "")};
    settings.schedules = {Schedule::parse("1q", "")};
    settings.costs = {CostClass::parse("20bp", "")};
    settings.wealth = 1e6;
  }
  Runs runs() const {
    const auto universe = universe_of(sources, settings);
    const auto basis = basis_of(universe, sources, settings, settings.split);
    return runs_of(universe, basis, portfolios_of(basis, sources, settings), sources, settings);
  }
};

}  // namespace inchtide::test
