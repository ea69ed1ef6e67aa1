#pragma once
// The window and the interval of a universe, and what is said of them.

#include "inchtide/study/universe.hpp"

namespace inchtide {

// The part of the aligned prices that the settings ask for.
PriceTable window_of(const Universe& universe, const Settings& settings);

struct ShortInWindow {
  std::vector<PriceHistory> parts;  // what the window has of each history, of those that it has any of
  std::vector<std::size_t> brief;   // positions of those that are short within it, or have nothing there
};

// Which histories are short within the window that the settings ask for: what lies before and behind it counts for
// nobody.
[[nodiscard]] ShortInWindow short_in_window(const std::vector<PriceHistory>& histories, const Settings& settings);

// Settles `every`: as chosen, else a month, or the longer one that all histories fill if it leaves 24 returns; then it
// is said. Refused where some history does not have it.
void settle_interval(Universe& universe, const Settings& settings);

// Says which prices within what is asked for have no rate into the base currency.
std::optional<Notice> notice_of_missing_rates(const Universe& universe, const Settings& settings);

// What an asset that ends early or starts late has cost the others.
std::optional<Notice> notice_of_the_window(const Universe& universe, const Settings& settings);

}  // namespace inchtide
