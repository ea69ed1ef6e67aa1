#pragma once
// Tracing for searches, which ask thousands of times.

#include <string>

#include "inchtide/frontier/frontier.hpp"

namespace inchtide {

// The frontier of an estimate and bounds that have been checked. Where no weights are within the bounds it throws an
// InfeasibleLimits without names: finding them takes longer than tracing.
Frontier trace_plainly(const Estimate& estimate, const Bounds& bounds, const Watch& watch = {});

// Keeps the expected return of the weights within a range, by one more row.
void keep_return(Bounds& bounds, const Estimate& estimate, double least, double most);

// One portfolio of it, likewise: see `single_portfolio`.
Portfolio single_plainly(const Estimate& estimate, const Bounds& bounds, double lambda,
                         const Eigen::VectorXd& near = {});

// Names two assets that are next to the same, as two share classes are: the likely reason where rounding defeats the
// solver. Empty where there are none.
std::string look_alikes(const Estimate& estimate);

// @throws InputError for what doesn't fit, or a figure that is no number. Names are not looked at.
void check_problem(const Estimate& estimate, const Bounds& bounds);

}  // namespace inchtide
