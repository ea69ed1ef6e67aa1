#pragma once
/// Quantiles of lists of figures.
///
/// @code
/// #include <cassert>
/// std::vector<double> values{4, 1, 3, 2};
/// assert(inchtide::quantile(values, 0.5) == 2.5);
/// @endcode

#include <vector>

#include "inchtide/base/api.hpp"

namespace inchtide {

/// The value that a share `at` of the values lies below, between two of them by their distance. Reorders the values.
/// @param values at least one
/// @param at from 0 to 1
[[nodiscard]] INCHTIDE_API double quantile(std::vector<double>& values, double at);

}  // namespace inchtide
