#pragma once
/// The worst stretches of a history, and what portfolios would have made of them.
///
/// @code
/// #include <cassert>
/// #include <cmath>
/// inchtide::ReturnTable returns;
/// returns.assets = {"KELPFARM", "TIDEMILL"};
/// returns.days = std::vector<inchtide::Day>(3);
/// returns.returns.resize(3, 2);
/// returns.returns << 0.10, 0.00, -0.20, -0.10, -0.10, 0.05;
/// returns.spans = Eigen::MatrixXi::Ones(3, 2);
/// const auto worst = inchtide::worst_stretches(returns, Eigen::Vector2d(0.5, 0.5), 5);
/// assert(worst.size() == 1 && worst[0].first_row == 1 && worst[0].rows == 2);
/// assert(std::abs(inchtide::return_through(returns, worst[0], Eigen::Vector2d(1, 0), 0) - (0.8 * 0.9 - 1)) < 1e-15);
/// @endcode

#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/returns/return_table.hpp"

namespace inchtide {

/// From a peak to the trough after it.
struct INCHTIDE_API Stretch {
  std::size_t first_row = 0;  ///< of the returns: the first that is part of it
  std::size_t rows = 0;
  Day from{}, to{};  ///< the days of the peak and the trough
};

/// The deepest falls of some weights, restored every period, from a peak: the deepest first, none within another.
/// @param returns of every asset on every row
/// @throws InputError where a return is missing, or there isn't a weight an asset
[[nodiscard]] INCHTIDE_API std::vector<Stretch> worst_stretches(const ReturnTable& returns,
                                                                const Eigen::VectorXd& weights, std::size_t count);

/// What weights make of a stretch, restored every period; what they leave earns the risk-free rate.
/// @param risk_free fraction per year
/// @return fraction over the stretch
[[nodiscard]] INCHTIDE_API double return_through(const ReturnTable& returns, const Stretch& stretch,
                                                 const Eigen::VectorXd& weights, double risk_free);

}  // namespace inchtide
