#pragma once
// What counts as nothing in the stage that estimates, and what each is relative to.

#include "base/numbers.hpp"

namespace inchtide {

// The halves of a covariance matrix may differ by this part of its largest entry, and it may fall short of positive
// semidefinite by this part of its largest variance.
constexpr double covariance_slack = 1e-10;
// A pivot of a factorisation below this part of the largest makes a matrix singular.
constexpr double singular_pivot = 1e-13;
// An eigenvalue below this part of the largest, times their number, is none.
constexpr double no_eigenvalue = 1e-15;
// A standard error or a volatility below this, a year, is that of an asset that never moves.
constexpr double no_movement = 1e-14;
// The mean of the assets, or a mix of them, moves less than rounding where its variance is below this part of the
// largest.
constexpr double no_common_move = 1e-14;
// A series is summed up where its next term is below this part of the sum.
constexpr double next_term = 1e-17;
// Weights that halve leave nothing to go by where the bias they correct for leaves less than this of 1.
constexpr double nothing_left = 1e-9;

// Views that are certain: one follows from others where less than this part of its positions, or of its variance, is
// left, and where their returns differ by less than this; parts below this are not named.
constexpr double no_rest = 1e-9;
constexpr double no_risk = 1e-13;
constexpr double same_view = 1e-12;
constexpr double no_part = 1e-9;

}  // namespace inchtide
