#pragma once
/// The tables and charts of how each asset behaved, as values.

#include <string>
#include <utility>
#include <vector>

#include "inchtide/report/chart.hpp"
#include "inchtide/report/table.hpp"
#include "inchtide/returns/figures.hpp"
#include "inchtide/returns/histogram.hpp"

namespace inchtide::report {

/// Return and risk per year; the benchmark, if any, comes last.
/// @param from the day of the first price, @param to of the last
[[nodiscard]] Table return_risk_table(const std::vector<AssetFigures>& figures, const ReturnTable& returns);
/// The lower side and the shape of the returns.
[[nodiscard]] Table shape_table(const std::vector<AssetFigures>& figures, const Interval& every);
/// Worst and best period, and the deepest fall.
[[nodiscard]] Table extremes_table(const std::vector<AssetFigures>& figures, const Interval& every);

/// One asset's histogram by its code.
using NamedHistogram = std::pair<std::string, Histogram>;
/// A row a bin of each asset, with the count that a normal distribution would have.
[[nodiscard]] Table histograms_table(const std::vector<NamedHistogram>& histograms);
/// Bins as boxes under the normal curve of the same mean and deviation.
[[nodiscard]] Chart histogram_chart(const NamedHistogram& histogram, const Interval& every, ReturnKind kind);

/// What each asset has grown by since the start. @param has_benchmark the last column is the benchmark
[[nodiscard]] Chart growth_chart(const ReturnTable& returns, bool has_benchmark);
/// Mean return and volatility per year of each asset side by side.
[[nodiscard]] Chart return_risk_chart(const std::vector<AssetFigures>& figures);

}  // namespace inchtide::report
