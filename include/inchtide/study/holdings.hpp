#pragma once
/// What is held, as a depot's statement has it: units and cash; and what that comes to as weights.
///
/// @code
/// #include <cassert>
/// #include "inchtide/study/universe.hpp"
/// using namespace inchtide;
/// BarHistory bars{"TIDEMILL"};
/// bars.days = DayList({*parse_day("2024-01-02"), *parse_day("2024-01-03")});
/// bars.of(PriceField::close) = {10, 15};
/// Sources sources;
/// sources.bars = {bars};
/// const auto universe = universe_of(sources, {}, Purpose::looking);
/// const auto valued = value_of({{"TIDEMILL"}, {100}, 500}, universe);
/// assert(valued.wealth == 2000 && valued.weights.weights[0] == 0.75);
/// @endcode

#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/day.hpp"
#include "inchtide/base/notice.hpp"
#include "inchtide/weights/weight_list.hpp"

namespace inchtide {

struct Universe;

struct INCHTIDE_API HoldingList {
  std::vector<std::string> assets;
  std::vector<double> units;  ///< one an asset; below 0 is short
  double cash = 0;            ///< in the base currency
  std::string source = {};    ///< the file they came from, for messages
};

/// For messages: their file, else "holdings".
[[nodiscard]] INCHTIDE_API Where where_of(const HoldingList& holdings);

struct INCHTIDE_API ValuedHoldings {
  WeightList weights;
  double wealth = 0;  ///< in the base currency
};

/// What holdings are worth at each asset's last close up to a day. Where a close stands beside an adjusted close, the
/// close is the price of a unit. `basis_of` does this with its sources' `held`.
/// @throws InputError for a code that is none of the study's assets, one that comes twice, an asset with adjusted
/// closes
///         alone or without a price, and for holdings that are worth nothing
[[nodiscard]] INCHTIDE_API ValuedHoldings value_of(const HoldingList& holdings, const Universe& universe,
                                                   std::optional<Day> to = std::nullopt);

}  // namespace inchtide
