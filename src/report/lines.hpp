#pragma once
// Lines over days, as several chapters draw them.

#include <string>

#include "inchtide/prices/price_table.hpp"
#include "inchtide/report/chart.hpp"

namespace inchtide::report {

/// A line over days, less its first rows without a figure.
Line line_over(const std::vector<Day>& days, const std::vector<double>& values, std::string name, const char* hue,
               Dash dash, double width);

/// Series over time, one an asset, told apart by colour and dash.
/// @param has_benchmark the last column is the benchmark, drawn as a heavier line
Chart lines_chart(const std::string& name, const std::string& title, const Axis& y, const PriceTable& prices,
                  bool has_benchmark);

}  // namespace inchtide::report
