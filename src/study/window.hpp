#pragma once
// The window and the interval of a universe, and what is said of them.

#include "inchtide/study/universe.hpp"

namespace inchtide {

// The part of the aligned prices that the settings ask for.
PriceTable window_of(const Universe& universe, const Settings& settings);

// Settles `every`: as chosen, else a month, or the longer one that all histories fill if it leaves 24 returns; then it
// is said. Refused where some history does not have it.
void settle_interval(Universe& universe, const Settings& settings);

// Says which prices within what is asked for have no rate into the base currency.
std::optional<Notice> notice_of_missing_rates(const Universe& universe, const Settings& settings);

// What an asset that ends early or starts late has cost the others.
std::optional<Notice> notice_of_the_window(const Universe& universe, const Settings& settings);

}  // namespace inchtide
