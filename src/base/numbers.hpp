#pragma once
// Numbers that every stage of the core means the same by.

#include <limits>

namespace inchtide {

constexpr double infinity = std::numeric_limits<double>::infinity();
// Stands where there is no figure.
constexpr double no_figure = std::numeric_limits<double>::quiet_NaN();
// Keeps a division or a ratio away from 0; a scale is never below it.
constexpr double never_zero = 1e-300;
// A variance below this part of the largest asset's is none.
constexpr double no_variance = 1e-14;
// Returns of a period, and what is left of them around a mean, that are no larger don't move: the rounding of prices.
constexpr double no_return = 1e-14;

}  // namespace inchtide
