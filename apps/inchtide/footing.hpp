#pragma once
// What figures stand on, and what is said of it in every command: the interval, the window, the findings.

#include "inchtide/prices/findings.hpp"
#include "study.hpp"

namespace inchtide::app {

// The interval that returns are made of: as chosen, else a month, or the coarser one that all histories fill if it
// leaves 24 returns; then it is said. Refused where some history does not have it.
void settle_interval(Study& study);

// Where a window of a span begins that ends with these prices: at the price that ends the period before it, so that it
// holds as many periods as the span has, whatever weekday its anniversary is.
Day window_start(const PriceTable& table, const Interval& span, const Interval& every, bool keep_last_period);

// One line on what an asset that ends early or starts late has cost the others; empty where none has.
std::string line_on_the_window(const Study& study);

// What stands out in the prices of the universe and the benchmark.
std::vector<Finding> findings_of(const Study& study);

// One line on how many of them are warnings. Refuses them where the user is strict.
std::string line_on_findings(const Study& study);

}  // namespace inchtide::app
