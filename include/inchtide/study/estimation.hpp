#pragma once
/// The estimate of a study looked at by itself: with its uncertainty, and beside what other methods would say.
///
/// @code
/// #include <cassert>
/// using namespace inchtide;
/// Sources sources;
/// for (const char* code : {"TIDEMILL", "KELPFARM", "HOLLBOND"}) {
///   BarHistory bars{code};
///   std::vector<Day> days;
///   for (int week = 0; week < 150; ++week) {
///     days.push_back(*parse_day("2021-01-08") + std::chrono::days{7 * week});
///     bars.of(PriceField::close).push_back(20 + week * code[1] % 7);
///   }
///   bars.days = DayList(std::move(days));
///   sources.bars.push_back(std::move(bars));
/// }
/// Settings settings;
/// settings.benchmark = "HOLLBOND";
/// const auto universe = universe_of(sources, settings);
/// const auto estimation = estimation_of(universe, sources, settings, std::nullopt, {.compare = true});
/// assert(estimation.expected.front().method == "arithmetic" && !estimation.bands);
/// @endcode

#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/estimate/bootstrap.hpp"
#include "inchtide/study/basis.hpp"

namespace inchtide {

/// What one method expects, per year.
struct INCHTIDE_API ComparedReturns {
  std::string method;
  Eigen::VectorXd expected_return;  ///< one an asset
};

/// What one method makes of the covariance; volatilities per root year.
struct INCHTIDE_API ComparedCovariance {
  std::string method;
  std::optional<double> intensity;  ///< of linear shrinkage
  double condition = 0;             ///< see `condition_number`
  double mean_volatility = 0;       ///< of the assets
  double mean_correlation = 0;      ///< of their pairs; NaN where none has one
  double equal_weights_volatility = 0;
};

struct INCHTIDE_API EstimationOptions {
  bool compare = false;  ///< all methods that work on this history
  /// Bands of the figures. Those of correlations only for so many assets as can be read.
  std::optional<BootstrapOptions> bands;
};

struct INCHTIDE_API Estimation {
  EstimateOptions methods;
  Estimated estimated;
  std::optional<BootstrapBands> bands;
  double coverage = 0;  ///< of the bands
  std::vector<ComparedReturns> expected;
  std::vector<ComparedCovariance> covariances;
  std::vector<Notice> warnings;  ///< of this step: what was left out and why
};

/// @param before as for `study_returns`
/// @throws InputError as `estimate_by` does; Interrupted when the draws are stopped
[[nodiscard]] INCHTIDE_API Estimation estimation_of(const Universe& universe, const Sources& sources,
                                                    const Settings& settings, std::optional<Day> before,
                                                    const EstimationOptions& options);

}  // namespace inchtide
