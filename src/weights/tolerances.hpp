#pragma once
// What counts as nothing in the stage that chooses weights, and what each is relative to. Weights are fractions of 1.

#include "frontier/tolerances.hpp"

namespace inchtide {

// ---- sums of weights, steps, limits ----

// A sum of weights or shares that misses its budget by less than this part of wealth is rounding.
constexpr double same_budget = 1e-9;
// The weights of an answer of our own, which are nearer.
constexpr double same_own_budget = 1e-12;
// Of a step: 15% is 15 steps of 1%.
constexpr double whole_step = 1e-9;
// A limit that the answer's weights miss by more than this is said to be broken.
constexpr double violated = 1e-8;
// A volatility or tracking error this close to its ceiling is at it.
constexpr double ceiling_within = 1e-9;
// Shares of the risk are equal to this part of one.
constexpr double equal_risk = 1e-12;

// What a portfolio gives for return, and what its aim would, are the same to this part.
constexpr double same_trade_off = 1e-6;

// ---- the search for positions by an aim (positions.cpp, ratio_search.cpp) ----

// A return this much higher is no better, where an aim fixes the volatility.
constexpr double same_return = 1e-7;
// Above the return that was asked for by this, the least variance is what is left to look for.
constexpr double beyond_target = 1e-9;
// A return must be higher by this part of it, and a bound may be lower by this part, to count as such.
constexpr double sum_of_rounding = 1e-12;
// The gap of a search that tells the last digits apart.
constexpr double fine_gap = 1e-9;
// A ratio counts as higher from this part on.
constexpr double higher_ratio = 1e-10;
// Variances are told apart no better than to this part of the largest: bounds are of v plus so much.
constexpr double variance_noise = 1e-12;

}  // namespace inchtide
