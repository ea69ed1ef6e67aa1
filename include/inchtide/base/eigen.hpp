#pragma once
/// The one place where the public headers take in Eigen, whose vectors and matrices cross the library's border.
///
/// Memory that one side takes the other gives back, so both have to mean the same by it. The target `inchtide::eigen`,
/// which every target of the library brings along, sets EIGEN_MAX_ALIGN_BYTES=64 for that: without it a program
/// compiled for wider registers (-mavx2, -march=native) or under a sanitizer would free what it never took. All code of
/// a program that uses Eigen needs the same definition; a library built without it cannot be linked in beside.
///
/// @code
/// #include <cassert>
/// #include "inchtide/estimate/estimate.hpp"
/// const inchtide::Estimate none;  // what crosses the border of the library is aligned alike on both sides
/// assert(none.expected_return.size() == 0 && EIGEN_MAX_ALIGN_BYTES == 64);
/// @endcode

#include <Eigen/Core>

static_assert(EIGEN_MAX_ALIGN_BYTES == 64, "define EIGEN_MAX_ALIGN_BYTES=64, or link inchtide::eigen");
static_assert(EIGEN_MALLOC_ALREADY_ALIGNED == 0, "define EIGEN_MALLOC_ALREADY_ALIGNED=0, or leave it to Eigen");
static_assert(sizeof(Eigen::Index) == 8, "EIGEN_DEFAULT_DENSE_INDEX_TYPE has to have 8 bytes");
static_assert(!Eigen::MatrixXd::IsRowMajor, "EIGEN_DEFAULT_TO_ROW_MAJOR cannot be used together with this library");
