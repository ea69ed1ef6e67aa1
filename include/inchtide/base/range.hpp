#pragma once
/// Numbers from outside are checked before they are used or narrowed.
///
/// @code
/// #include <cassert>
/// #include "inchtide/base/errors.hpp"
/// assert(inchtide::within(0.5, 0, 1, "part") == 0.5);
/// try {
///   inchtide::whole_within(-1, 0, 10, "draws");
///   assert(false);
/// } catch (const inchtide::InputError& error) {
///   assert(error.notice().where.what == "draws");
/// }
/// @endcode

#include <cstdint>
#include <string>

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/base/notice.hpp"

namespace inchtide {

/// Returns a number that lies between two others, ends included. NaN lies nowhere.
/// @param where the option, the key of a file, or what else holds it
/// @throws InputError such as "--patience: -1 is not between 0 and 86400. Give a number between them"
INCHTIDE_API double within(double value, double least, double most, const Where& where);

/// The same for whole numbers, as an int.
INCHTIDE_API int whole_within(std::int64_t value, int least, int most, const Where& where);

/// Figures that come one an asset: there are so many, and all are finite.
/// @throws InputError such as "weights: 3 for 4 assets. Give one an asset"
INCHTIDE_API void check_per_asset(const Eigen::VectorXd& figures, Eigen::Index assets, const Where& where);

/// A figure that any finite number may be.
/// @throws InputError such as "risk-free rate: nan is not a finite number. Give a figure"
INCHTIDE_API double finite(double value, const Where& where);

}  // namespace inchtide
