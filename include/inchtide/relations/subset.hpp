#pragma once
/// The k of N assets that are least related: the subset with the least sum of pair correlations, found exactly.
///
/// Branch and bound. What is left of a choice costs at least the sum of the r least of d_i + (the r-1 least q_ij),
/// where d_i is asset i's sum with those chosen already and q_ij + q_ji = rho_ij is each correlation shared out between
/// the two ways of seeing the pair. Any sharing gives a bound; a subgradient ascent looks for a good one, at the root
/// and again below it (Lagrangian relaxation of y_ij = y_ji: Held, Wolfe & Crowder 1974, Mathematical Programming 6;
/// for quadratic 0-1 problems Caprara, Pisinger & Toth 1999, INFORMS Journal on Computing 11(2)). Assets that no better
/// subset can hold are struck off on the way.
///
/// @code
/// #include <cassert>
/// Eigen::MatrixXd r(3, 3);
/// r << 1, 0.9, 0.1, 0.9, 1, 0.2, 0.1, 0.2, 1;
/// const auto subset = inchtide::least_related(r, 2);
/// assert(subset.proven && subset.members == (std::vector<std::size_t>{0, 2}));
/// assert(subset.sum == 0.1);
/// @endcode

#include <cstdint>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/base/progress.hpp"

namespace inchtide {

struct INCHTIDE_API SubsetOptions {
  bool absolute = false;   ///< the sum of absolute values: least related in either direction
  StopCheck should_stop;   ///< asked now and then; what was found so far comes back with its gap
  std::uint64_t seed = 1;  ///< of the random starts that find a first good subset
};

struct INCHTIDE_API LeastRelated {
  std::vector<std::size_t> members;  ///< positions, ascending
  double sum = 0;                    ///< of the pair correlations among them (or their absolute values)
  double average = 0;                ///< a pair; 0 for a single asset
  bool proven = false;               ///< no subset of this size has a smaller sum, to 1e-9
  double gap = 0;                    ///< by how much the average of a pair could at most be smaller
  std::size_t looked_at = 0;         ///< branches
};

/// @param correlation N x N, symmetric and finite
/// @param size of the subset, 1 to N
/// @throws InputError when the size isn't from 1 to N, or a figure isn't finite
[[nodiscard]] INCHTIDE_API LeastRelated least_related(const Eigen::MatrixXd& correlation, int size,
                                                      const SubsetOptions& options = {});

}  // namespace inchtide
