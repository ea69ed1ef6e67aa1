#pragma once
/// How assets move together: correlations with their uncertainty, and what they come to on average.
///
/// @code
/// #include <cassert>
/// inchtide::ReturnTable returns;
/// returns.assets = {"KELPFARM", "TIDEMILL"};
/// returns.days = std::vector<inchtide::Day>(4);
/// returns.returns.resize(4, 2);
/// returns.returns << 0.01, 0.02, -0.01, -0.02, 0.03, 0.06, 0.00, 0.00;
/// returns.spans = Eigen::MatrixXi::Ones(4, 2);
/// const auto correlation = inchtide::correlation_of(returns);
/// assert(correlation.matrix(0, 0) == 1 && correlation.matrix(0, 1) > 0.999999);
/// @endcode

#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/base/tags.hpp"
#include "inchtide/returns/return_table.hpp"

namespace inchtide {

/// How far a matrix had to be moved to hold together.
struct INCHTIDE_API CorrelationRepair {
  double least_eigenvalue = 0;  ///< before; below 0
  double distance = 0;          ///< Frobenius norm of the change
  double largest_change = 0;    ///< of one pair, which is named
  std::string a, b;
};

/// Correlations of all pairs. The matrix is symmetric and has ones on its diagonal, exactly; pairs with an asset that
/// never moves are NaN.
struct INCHTIDE_API Correlation {
  std::vector<std::string> assets;
  Eigen::MatrixXd matrix;                   ///< N x N
  std::size_t observations = 0;             ///< periods common to all; the fewest of any pair when taken pair by pair
  Eigen::MatrixXi pair_observations;        ///< N x N when taken pair by pair, else empty
  std::optional<CorrelationRepair> repair;  ///< when taken pair by pair and the pairs contradicted each other
  std::vector<std::string> motionless;      ///< assets that never move
  std::optional<Day> from, to;              ///< the first and last period's days

  Eigen::VectorXd variances;         ///< N, T-1, per year; 0 for what never moves
  Eigen::VectorXd population_parts;  ///< N: what makes variances with the denominator T of them

  /// N x N, per year: correlation x the roots of both variances, T-1 or T of each asset's own periods. Positive
  /// semidefinite where the correlations are.
  [[nodiscard]] Eigen::MatrixXd covariance(Denominator denominator = Denominator::sample) const;

  [[nodiscard]] std::size_t observations_of(Eigen::Index a, Eigen::Index b) const {
    return pair_observations.size() > 0 ? std::size_t(pair_observations(a, b)) : observations;
  }

  /// The same with the assets in another order.
  [[nodiscard]] Correlation in_order(const std::vector<std::size_t>& order) const;
};

/// Over the periods that all assets have in common.
/// @throws InputError when fewer than two common returns are left
[[nodiscard]] INCHTIDE_API Correlation correlation_of(const ReturnTable& returns);

/// Each pair over all the periods that the two have in common. Such a matrix can contradict itself; then the nearest
/// one that doesn't (repair.hpp) takes its place, and says how far it moved.
/// @throws InputError naming a pair that has fewer than two returns in common
[[nodiscard]] INCHTIDE_API Correlation pairwise_correlation(const ReturnTable& returns);

/// Each asset's correlation with a series on the same rows, over the periods that all have; NaN where either never
/// moves.
/// @throws InputError when fewer than two such periods are left
[[nodiscard]] INCHTIDE_API Eigen::VectorXd correlations_with(const ReturnTable& returns,
                                                             const Eigen::VectorXd& benchmark);

/// The 95% interval of a correlation: tanh(atanh r -+ 1.96 / sqrt(T - 3)). Fisher 1921, Metron 1. All of -1 to 1 when T
/// isn't above 3.
struct INCHTIDE_API Interval95 {
  double low = -1, high = 1;
};
[[nodiscard]] INCHTIDE_API Interval95 fisher_interval(double correlation, std::size_t observations);

/// The mean of some pairs.
struct INCHTIDE_API PairAverage {
  std::string of;  ///< "all pairs", "within sector power", "across sectors", ...
  double mean = 0;
  std::size_t pairs = 0;
};

/// Over all pairs; then, for a tag column, within each value, within all, and across values. Assets without a value
/// stand aside there; values with a single asset have no pair and are left out.
[[nodiscard]] INCHTIDE_API std::vector<PairAverage> average_correlations(const Correlation& correlation,
                                                                         const Tags& tags, const std::string& column);

/// The mean of all pairs that have a correlation, or of their absolute values; 0 where none has.
[[nodiscard]] INCHTIDE_API double average_correlation(const Correlation& correlation, bool absolute = false);

/// A pair with its correlation.
struct INCHTIDE_API Pair {
  Eigen::Index a = 0, b = 0;  ///< positions, a < b
  double correlation = 0;
  std::size_t observations = 0;  ///< periods
  Interval95 interval;
};

/// All pairs that have a correlation, the lowest first.
[[nodiscard]] INCHTIDE_API std::vector<Pair> pairs_of(const Correlation& correlation);
/// Pairs below zero, the lowest first.
[[nodiscard]] INCHTIDE_API std::vector<Pair> negative_pairs(const Correlation& correlation);

/// The share of all variance of the standardised returns that each principal component has, the largest first, and
/// their loadings (columns, unit length, the largest entry positive).
struct INCHTIDE_API PrincipalComponents {
  Eigen::VectorXd shares;
  Eigen::MatrixXd loadings;
};
/// @throws InputError when an asset never moves (naming it)
[[nodiscard]] INCHTIDE_API PrincipalComponents principal_components(const Correlation& correlation);

/// Positions that bring assets with the same value of a tag together, values in the order of their first asset.
[[nodiscard]] INCHTIDE_API std::vector<std::size_t> order_by_tag(const std::vector<std::string>& assets,
                                                                 const Tags& tags, const std::string& column);

/// Positions that bring what moves together together: the leaves of a tree built by joining, again and again, the two
/// groups with the least mean distance sqrt((1 - r)/2) between their members (average linkage: Sokal & Michener 1958,
/// University of Kansas Science Bulletin 38).
/// @throws InputError when an asset never moves (naming it)
[[nodiscard]] INCHTIDE_API std::vector<std::size_t> order_by_clustering(const Correlation& correlation);

}  // namespace inchtide
