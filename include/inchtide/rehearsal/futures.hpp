#pragma once
/// Histories that did not happen: days of the one that did, drawn anew.
///
/// Whole rows are drawn, so that what happened to all assets on a day stays together, in blocks, so that what one day
/// does to the next is kept (the stationary bootstrap of Politis & Romano 1994). The means of the past are in every
/// draw.
///
/// @code
/// #include <cassert>
/// using namespace inchtide;
/// PriceTable walk;
/// walk.days = {*parse_day("2024-03-04"), *parse_day("2024-03-05"), *parse_day("2024-03-06")};
/// walk.assets = {{"KELPFARM"}};
/// walk.prices = Eigen::Vector3d(10, 20, 10);
/// const auto known = day_relatives(walk.prices);
/// const auto drawn = drawn_history(walk, known.relatives, 1, 7, 0);  // blocks of a day, seed 7, the first draw
/// const double moved = drawn.prices(1) / drawn.prices(0);
/// assert(drawn.prices(0) == 10 && (moved == 2 || moved == 0.5));
/// @endcode

#include <cstddef>
#include <cstdint>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/prices/price_table.hpp"

namespace inchtide {

/// What can be drawn.
struct INCHTIDE_API DayRelatives {
  Eigen::MatrixXd relatives;        ///< price over the price of the row before, an asset a column
  std::vector<std::size_t> rows{};  ///< of the prices: those on which all assets have one and had one the row before
};
/// @throws InputError where there is no such row
[[nodiscard]] INCHTIDE_API DayRelatives day_relatives(const Eigen::MatrixXd& prices);

/// The walk with its first row as it was and all others drawn.
/// @param relatives whose rows are drawn, the walk's assets in order
/// @param block mean length of a block in rows, at least 1
/// @param draw which one: the same seed and draw are the same rows, for whatever is rehearsed on them
/// @throws InputError where assets don't fit, or one has no price on the first row
[[nodiscard]] INCHTIDE_API PriceTable drawn_history(const PriceTable& walk, const Eigen::MatrixXd& relatives,
                                                    double block, std::uint64_t seed, std::size_t draw);

/// The rows that such a draw has, in order.
[[nodiscard]] INCHTIDE_API std::vector<std::size_t> drawn_rows(std::size_t rows, std::size_t wanted, double block,
                                                               std::uint64_t seed, std::size_t draw);

/// The share of the figures below a bound, and its standard error from so few draws.
struct INCHTIDE_API DrawnShare {
  double share = 0, error = 0;
};
[[nodiscard]] INCHTIDE_API DrawnShare share_below(const Eigen::VectorXd& figures, double bound);

/// Which parts of the draws lie below the figures that are told: 5, 25, 50, 75 and 95 of 100.
[[nodiscard]] INCHTIDE_API const std::vector<double>& told_quantiles();
/// A figure each, of one column.
[[nodiscard]] INCHTIDE_API Eigen::VectorXd quantiles_of(const Eigen::VectorXd& figures);

}  // namespace inchtide
