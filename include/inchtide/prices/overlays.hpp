#pragma once
/// Lines that people lay over a price chart: moving averages, bands, MACD, momentum, stochastic.
///
/// Each takes figures row by row and gives one figure a row; where too few rows lie behind it, NaN. They describe the
/// past; nothing here forecasts.
///
/// @code
/// #include <cassert>
/// const auto mean = inchtide::moving_average({1, 2, 3, 7}, 2);
/// assert(mean[0] != mean[0] && mean[1] == 1.5 && mean[3] == 5);
/// @endcode

#include <string>
#include <string_view>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/notice.hpp"
#include "inchtide/prices/bars.hpp"

namespace inchtide {

/// The mean of the last k rows.
[[nodiscard]] INCHTIDE_API std::vector<double> moving_average(const std::vector<double>& values, int k);

/// e_t = e_{t-1} + 2/(k+1) (x_t - e_{t-1}), begun with the mean of the first k rows.
[[nodiscard]] INCHTIDE_API std::vector<double> exponential_average(const std::vector<double>& values, int k);

/// The moving average and `width` standard deviations of the same k rows above and below it (denominator k).
struct INCHTIDE_API Bands {
  std::vector<double> middle, upper, lower;
};
[[nodiscard]] INCHTIDE_API Bands deviation_bands(const std::vector<double>& values, int k, double width);

/// Moving average convergence-divergence: the exponential average over `fast` rows less that over `slow` rows, its own
/// exponential average over `signal` rows, and the difference of the two.
struct INCHTIDE_API Convergence {
  std::vector<double> line, signal, difference;
};
[[nodiscard]] INCHTIDE_API Convergence convergence_divergence(const std::vector<double>& values, int fast, int slow,
                                                              int signal);

/// x_t / x_{t-k} - 1: what k rows brought, a fraction.
[[nodiscard]] INCHTIDE_API std::vector<double> momentum(const std::vector<double>& values, int k);

/// Where the close lies within the range of the last k rows, 0 (the lowest low) to 1 (the highest high), and the mean
/// of the last `smooth` such figures. NaN while the range is a point.
struct INCHTIDE_API Stochastic {
  std::vector<double> position, smoothed;
};
[[nodiscard]] INCHTIDE_API Stochastic stochastic(const std::vector<double>& high, const std::vector<double>& low,
                                                 const std::vector<double>& close, int k, int smooth);

/// An overlay as people ask for it: `sma:20`, `ema:50`, `bands:20:2`, `macd:12:26:9`, `momentum:10`, `stochastic:14:3`;
/// figures may be left out.
struct INCHTIDE_API Overlay {
  enum class Kind { sma, ema, bands, macd, momentum, stochastic };
  Kind kind = Kind::sma;
  std::vector<double> figures;

  /// @throws InputError naming `where` for an unknown name (with the nearest), too many figures, or one that isn't a
  ///         whole number of rows
  [[nodiscard]] static Overlay parse(std::string_view text, const Where& where);

  /// `bands:20:2`
  [[nodiscard]] std::string text() const;
};

/// One line of an overlay.
struct INCHTIDE_API OverlayLine {
  std::string name;  ///< e.g. "sma 20", "bands 20 upper"
  std::vector<double> values;
};

/// The lines of an overlay over an asset's bars.
/// @param field what averages, bands, MACD and momentum are of
/// @throws InputError naming the asset when a stochastic is asked for and there are no highs and lows, or when the
///         history is shorter than the overlay looks back
[[nodiscard]] INCHTIDE_API std::vector<OverlayLine> lines_of(const Overlay& overlay, const BarHistory& bars,
                                                             PriceField field);

}  // namespace inchtide
