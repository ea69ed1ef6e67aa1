#pragma once
/// The orders that lead from what is held now to a chosen portfolio, at the last prices, costs paid out of the same
/// wealth.
///
/// @code
/// #include <cassert>
/// #include <cmath>
/// using namespace inchtide;
/// Sources sources;
/// for (const char* code : {"TIDEMILL", "HOLLBOND"}) {
///   BarHistory bars{code};
///   std::vector<Day> days;
///   for (int week = 0; week < 150; ++week) {
///     days.push_back(*parse_day("2021-01-08") + std::chrono::days{7 * week});
///     bars.of(PriceField::close).push_back(20 + week % 7);
///   }
///   bars.days = DayList(std::move(days));
///   sources.bars.push_back(std::move(bars));
/// }
/// sources.current = WeightList{"held", {"TIDEMILL"}, {1.0}};
/// Settings settings;
/// settings.aims = {Aim::parse("equal", "")};
/// settings.wealth = 1000;
/// const auto universe = universe_of(sources, settings);
/// const auto basis = basis_of(universe, sources, settings);
/// const auto list = orders_to(universe, basis, portfolios_of(basis, sources, settings).all.front(), settings);
/// assert(list.orders.size() == 2 && std::abs(list.orders[0].value + 500) < 1e-9);
/// @endcode

#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/costs.hpp"
#include "inchtide/rehearsal/ledger.hpp"
#include "inchtide/study/portfolios.hpp"
#include "inchtide/study/universe.hpp"

namespace inchtide {

/// An order for today.
struct INCHTIDE_API OrderLine {
  std::string asset;
  double units = 0;  ///< bought (positive) or sold
  double price = 0;  ///< of one unit, in the base currency
  Day price_day{};
  double value = 0;  ///< units x price
  OrderCost cost;
  double weight_before = 0, weight_after = 0;  ///< of the wealth before, and after
};

struct INCHTIDE_API OrderList {
  std::string portfolio;
  std::vector<OrderLine> orders;  ///< sales first, in the order of the assets
  double wealth_before = 0, wealth_after = 0, cash_before = 0, cash_after = 0;
  OrderCost cost;
  double turnover = 0;
  double scaled = 1;     ///< what the portfolio's weights were multiplied by so that they leave the floor of cash
  double shrunk = 1;     ///< what purchases were multiplied by so that cash stays at its floor
  double shortfall = 0;  ///< cash below its floor where no purchase was left to make smaller
};

/// What trading today begins with: what is held, at the last prices, and how orders are made.
struct INCHTIDE_API TradingNow {
  std::vector<std::string> assets;
  Ledger held;                  ///< units and cash by the weights held now, which are of the settings' wealth
  TradingDay day;               ///< prices of a unit, and what impact hangs on
  std::vector<Day> price_days;  ///< that each price is of
  TradeTerms terms;             ///< costs, the smallest order, the floor of cash and lots of the settings
};

/// Prices are closes where the histories have them beside adjusted ones. Impact hangs on the last 21 days on which any
/// asset has a price, with splits and dividends worked in.
/// @throws InputError where what is held now isn't known, an asset has no price, lots meet prices that are none of a
///         unit, or impact is to be paid and an asset has no volumes
[[nodiscard]] INCHTIDE_API TradingNow trading_now(const Universe& universe, const Basis& basis,
                                                  const Settings& settings);

/// From the weights held now, which are of the settings' wealth, to the portfolio's. Keeps the smallest order, the
/// floor of cash and lots of the settings; units are fractions where there are no lots.
/// @throws InputError as `trading_now` does
[[nodiscard]] INCHTIDE_API OrderList orders_to(const Universe& universe, const Basis& basis,
                                               const Allocation& portfolio, const Settings& settings);

}  // namespace inchtide
