#pragma once
// What counts as nothing in the stage of relations, and what each is relative to. Correlations are figures up to 1.

namespace inchtide {

// A correlation may be out of -1 to 1 by this.
constexpr double correlation_slack = 1e-9;

// ---- the nearest correlation matrix (repair.cpp) ----

// An eigenvalue below 0 by less than this, times the number of assets, is rounding.
constexpr double rounded_eigenvalue = 1e-13;
// The diagonal is right to this, times the square root of the number of assets; so many times that will do where no
// step brings it nearer.
constexpr double right_diagonal = 1e-12;
constexpr double will_do = 1e3;
// Newton's equation: what is added to its diagonal (whose entries are up to 1), the least that it is scaled by, and the
// part of the target that its answer may miss.
constexpr double ridge = 1e-12;
constexpr double least_curvature = 1e-8;
constexpr double loose_answer = 1e-2;
// Of the fall that the slope promises a step has to bring this part; below this length there is no such step.
constexpr double part_of_fall = 1e-4;
constexpr double least_step = 1e-10;

// ---- the least related subset (subset.cpp) ----

// A subset is better from this on; a swap, in sums of correlations.
constexpr double better_subset = 1e-9;
constexpr double better_swap = 1e-12;
// Sums are taken to miss a bound by no less than this where shares are moved.
constexpr double least_miss = 1e-6;

}  // namespace inchtide
