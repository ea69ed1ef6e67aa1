#pragma once
// What counts as nothing in the stage that estimates, and what each is relative to.

namespace inchtide {

// Keeps a division away from 0.
constexpr double never_zero = 1e-300;
// A pivot of a factorisation below this part of the largest makes a matrix singular.
constexpr double singular_pivot = 1e-13;
// An eigenvalue below this part of the largest, times their number, is none.
constexpr double no_eigenvalue = 1e-15;
// A variance below this part of the largest asset's (of a view's, times its squared positions) is none.
constexpr double no_variance = 1e-14;
// A standard error or a volatility below this, a year, is that of an asset that never moves.
constexpr double no_movement = 1e-14;
// Weights that halve leave nothing to go by where the bias they correct for leaves less than this of 1.
constexpr double nothing_left = 1e-9;

// Views that are certain: one follows from others where less than this part of its positions, or of its variance, is
// left, and where their returns differ by less than this; parts below this are not named.
constexpr double no_rest = 1e-9;
constexpr double no_risk = 1e-13;
constexpr double same_return = 1e-12;
constexpr double no_part = 1e-9;

}  // namespace inchtide
