#pragma once
/// The tables and charts of prices, as values: what was gathered, what the histories hold, what stands out, prices and
/// bars over time with overlays.

#include <string>
#include <vector>

#include "inchtide/exchange/gather.hpp"
#include "inchtide/prices/findings.hpp"
#include "inchtide/prices/lookup.hpp"
#include "inchtide/prices/overlays.hpp"
#include "inchtide/prices/price_table.hpp"
#include "inchtide/report/chart.hpp"
#include "inchtide/report/table.hpp"

namespace inchtide::report {

/// What became of each asset.
[[nodiscard]] Table gathered_table(const exchange::GatherReport& report);
/// The reason for each failure.
[[nodiscard]] Table failures_table(const exchange::GatherReport& report, const SpeltMeans& spelt = {});

/// What each history holds.
[[nodiscard]] Table coverage_table(const AlignedPrices& prices);
/// Findings, the warnings first.
[[nodiscard]] Table findings_table(const std::vector<Finding>& findings, const SpeltMeans& spelt = {});
/// What each choice about short histories would leave; `chosen` is marked.
[[nodiscard]] Table short_histories_table(const std::vector<ShortHistoryEffect>& effects, ShortHistories chosen);
/// Each asset's price on a day, with the day that it was taken from.
[[nodiscard]] Table prices_on_table(const std::vector<PriceOnDay>& prices);

/// Prices over time: a column an asset, or a row an asset and day. Holes are empty cells, or rows left out.
enum class Shape { wide, long_rows };
[[nodiscard]] Table prices_table(const std::string& name, const std::string& title, const PriceTable& prices,
                                 Shape shape, Format format = Format::number3);

/// One column of figures beside the days, e.g. "KELPFARM volume".
struct FigureColumn {
  std::string asset, name;
  std::vector<double> values;
  Format format = Format::number3;
};
[[nodiscard]] Table figures_table(const std::string& name, const std::string& title, const std::vector<Day>& days,
                                  const std::vector<FigureColumn>& columns, Shape shape);

/// Series over time, one an asset, told apart by colour and dash.
/// @param has_benchmark the last column is the benchmark, drawn as a heavier line
[[nodiscard]] Chart prices_chart(const std::string& title, const Axis& y, const PriceTable& prices, bool has_benchmark);

/// An overlay with its lines, as long as the bars that it is drawn with.
struct DrawnOverlay {
  Overlay overlay;
  std::vector<OverlayLine> lines;
};

/// One asset's bars with their volume below, and overlays: averages and bands over the bars, the others in strips of
/// their own. Without open, high and low a line of `field` takes the place of the bars.
[[nodiscard]] Chart bars_chart(const BarHistory& bars, PriceField field, const std::vector<DrawnOverlay>& overlays);

}  // namespace inchtide::report
