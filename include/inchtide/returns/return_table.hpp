#pragma once
/// Returns of several assets, period by period: simple, P_t / P_{t-1} - 1, or log, ln(P_t / P_{t-1}).
///
/// Simple returns add across the assets of a portfolio (a portfolio's return is the weighted sum of its holdings'),
/// which is what weights need; they do not add over time. Log returns add over time, not across assets.
///
/// @code
/// #include <cassert>
/// #include <cmath>
/// using namespace inchtide;
/// PriceTable table;
/// table.days = {*parse_day("2024-01-31"), *parse_day("2024-02-29")};
/// table.assets = {{"KELPFARM", "HLC", PriceField::close}};
/// table.prices = Eigen::Vector2d(10, 11);
/// const auto returns = simple_returns(table, Interval{1, Unit::month});
/// assert(std::abs(returns.returns(0, 0) - 0.1) < 1e-15 && returns.periods_per_year == 12);
/// @endcode

#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/day.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/prices/bars.hpp"
#include "inchtide/prices/price_table.hpp"
#include "inchtide/returns/conventions.hpp"

namespace inchtide {

/// Periods x assets, fractions of 1 per period.
struct INCHTIDE_API ReturnTable {
  std::vector<Day> days;  ///< the day on which each period ends
  Day start{};            ///< the day of the first price: the first period begins here
  std::vector<std::string> assets;
  Eigen::MatrixXd returns;  ///< rows = periods, columns = assets; NaN where there is none
  /// How many periods each return spans: 1, more after a hole (it reaches back to the last price before it and is dated
  /// at its end), 0 where there is no return. Periods are the calendar's, whether or not anybody has a price in them.
  Eigen::MatrixXi spans;
  /// Periods from the start to each row's end; empty where that is 1, 2, 3, ...
  std::vector<long> ends{};
  Interval every;
  double periods_per_year = 12;
  ReturnKind kind = ReturnKind::simple;

  /// What a table made by hand has to be; all that takes one looks at this first.
  /// @throws InputError when shapes don't fit, or a return is infinite, or missing without a span of 0, naming asset
  /// and
  ///         day
  void check() const;
  /// Of the shapes alone, whatever the figures.
  void check_shape() const;
  /// The same of one column alone; also when there is no such column.
  void check(Eigen::Index asset) const;

  [[nodiscard]] std::size_t observations() const { return days.size(); }
  [[nodiscard]] long end(std::size_t row) const { return ends.empty() ? long(row) + 1 : ends[row]; }

  /// True where every return spans one period and none is missing.
  [[nodiscard]] bool is_dense() const;

  /// The returns between the days at which every asset has a price, compounded, so that all span the same periods and
  /// no movement is lost: what an estimate is made of.
  /// @param followers so many assets at the end have no say in the days: a return there, or none
  [[nodiscard]] ReturnTable at_common_ends(Eigen::Index followers = 0) const;

  /// These columns alone, on the same rows.
  [[nodiscard]] ReturnTable columns(const std::vector<Eigen::Index>& which) const;

  /// How many rows span more than one period, for some asset.
  [[nodiscard]] std::size_t long_rows() const;

  /// The rows whose returns span the same days for every asset: those that a covariance may use.
  [[nodiscard]] std::vector<std::size_t> common_rows() const;
  /// The rows on which the returns of two assets span the same days.
  [[nodiscard]] std::vector<std::size_t> shared_rows(Eigen::Index a, Eigen::Index b) const;
};

/// @throws InputError where a benchmark hasn't one figure a row of the returns (NaN where there is none)
INCHTIDE_API void check_benchmark(const ReturnTable& returns, const Eigen::VectorXd& benchmark);

/// Returns from one row of `table` to the next that has a price.
/// @param table prices already taken at period ends; NaN is a hole
/// @param every the interval between its rows; sets the periods per year: the calendar's, or of days what the table's
/// rows
///        count in a year
/// @throws InputError when there are fewer than two rows, or an asset has fewer than two prices (naming it)
[[nodiscard]] INCHTIDE_API ReturnTable returns_of(const PriceTable& table, const Interval& every, ReturnKind kind);

/// The same, simple: what a portfolio needs.
[[nodiscard]] INCHTIDE_API ReturnTable simple_returns(const PriceTable& table, const Interval& every);

/// Returns within the day, close over open: what happens overnight isn't in them. A row for each day on which some
/// asset has both; the first growth is that of the first day, so `start` is its day.
/// @throws InputError naming an asset that has fewer than two such days
[[nodiscard]] INCHTIDE_API ReturnTable within_day_returns(const std::vector<BarHistory>& bars, ReturnKind kind);

}  // namespace inchtide
