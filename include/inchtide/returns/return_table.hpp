#pragma once
/// Simple returns of several assets, period by period: P_t / P_{t-1} - 1.
///
/// Simple returns add across the assets of a portfolio (a portfolio's return is the weighted sum of its holdings'),
/// which is what weights need; they do not add over time.

#include <Eigen/Core>
#include <string>
#include <vector>

#include "inchtide/base/day.hpp"
#include "inchtide/prices/price_table.hpp"

namespace inchtide {

/// Periods x assets, fractions of 1 per period.
struct ReturnTable {
  std::vector<Day> days;  ///< the day on which each period ends
  Day start{};            ///< the day of the first price: the first period begins here
  std::vector<std::string> assets;
  Eigen::MatrixXd returns;  ///< rows = periods, columns = assets
  Interval every;
  double periods_per_year = 12;

  std::size_t observations() const { return days.size(); }
};

/// Returns from one row of `table` to the next.
/// @param table prices already taken at period ends, without holes
/// @param every the interval between its rows; sets the periods per year
/// @throws InputError when there are fewer than two rows, or a price is missing (naming asset and day)
ReturnTable simple_returns(const PriceTable& table, const Interval& every);

}  // namespace inchtide
