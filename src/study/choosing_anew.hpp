#pragma once
// An aim chosen again on a later day, and what a run brought between two days.

#include "inchtide/rehearsal/rehearsal.hpp"
#include "inchtide/study/portfolios.hpp"
#include "inchtide/study/universe.hpp"

namespace inchtide {

// What is known on a day: the basis of an estimate from prices up to it, over the settings' window, of the assets that
// have prices all through it, whatever is held of the others.
[[nodiscard]] Basis basis_on(const Universe& universe, Sources sources, const Settings& settings, Day day);

// The aim by such a basis, costs not counted. One weight an asset of the universe, those not estimated not held. What
// cannot be traded keeps the weight it has, whatever its own limits, and limits that it leaves no room for are as wide
// as it makes them.
// @param near the weights chosen before, one an asset of the universe, from which some aims are found faster; or none
// @param widened the texts of limits that were widened
[[nodiscard]] Allocation choose_by(const Basis& basis, const Universe& universe, const Settings& settings,
                                   const Aim& aim, const Look& look, const Eigen::VectorXd& near,
                                   std::vector<std::string>& widened);

// The aim with the costs of getting there from what is held counted, likewise.
[[nodiscard]] Eigen::VectorXd after_costs_by(const Basis& basis, const Universe& universe, const Settings& settings,
                                             const Aim& aim, const Look& look, const CostRates& rates,
                                             std::vector<std::string>& widened);

struct Delivered {
  double mean = 0, volatility = 0, sharpe = 0;  // per year
  double squares = 0;                           // of the demeaned returns from row to row
};

// What a run brought after costs from the close of one row to that of another, two rows later at least.
[[nodiscard]] Delivered delivered(const Rehearsal& run, std::size_t from, std::size_t to, double risk_free);

}  // namespace inchtide
