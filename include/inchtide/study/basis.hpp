#pragma once
/// The basis on which portfolios are chosen: returns, the estimate made of them, and limits with what they look up.
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
/// const auto basis = basis_of(universe, sources, settings, *parse_day("2023-01-01"));
/// assert(basis.estimate.assets.size() == 2 && *basis.estimate.to < *parse_day("2023-01-01"));
/// @endcode

#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/frontier/limits.hpp"
#include "inchtide/returns/return_table.hpp"
#include "inchtide/study/universe.hpp"

namespace inchtide {

/// Returns of the assets and, where there is one, the benchmark's on the same rows (else empty; NaN where it has none
/// over the same days).
struct INCHTIDE_API StudyReturns {
  ReturnTable assets;
  Eigen::VectorXd benchmark;
  /// Pair by pair, where there is a benchmark, in its place: the assets and it, in the last column, each over its own
  /// periods.
  ReturnTable beside{};
  std::vector<Notice> warnings;
};

/// @param before only prices before this day, which a rehearsal begins on
[[nodiscard]] INCHTIDE_API StudyReturns study_returns(const Universe& universe, const Settings& settings,
                                                      std::optional<Day> before = std::nullopt);

/// Returns of the named columns of a table of prices, by the interval and conventions of a study.
/// @param warnings says so where an unfinished last period was dropped or kept
[[nodiscard]] INCHTIDE_API ReturnTable returns_by(const PriceTable& prices, const Interval& every,
                                                  const Settings& settings, std::vector<Notice>& warnings);

/// The methods of a study, with its risk-free rate and the weights whose returns are implied.
/// @param warnings says which own figures, caps and views are passed over, as they are of assets that are known but
///                 none of the universe's
[[nodiscard]] INCHTIDE_API EstimateOptions methods_of(const Universe& universe, const Sources& sources,
                                                      const Settings& settings, std::vector<Notice>& warnings);

struct INCHTIDE_API Basis {
  Estimate estimate;          ///< of simple returns
  Estimated estimated;        ///< its own account of it; empty where the estimate was given
  ReturnTable returns;        ///< what it was made of; empty where it was given
  Eigen::VectorXd benchmark;  ///< its returns on the same rows; NaN where it has none; empty without one
  EstimateOptions methods;    ///< and how
  Limits limits;
  LimitFacts facts;
  double risk_free = 0;
  std::optional<Day> known_to;   ///< no price after this day counts; all do without it
  std::optional<double> wealth;  ///< what units and cash are worth; it stands for the settings' wealth
  std::vector<Notice> warnings;  ///< of this step
};

/// What is held as units and cash is valued at the last closes before `before`, else at those of the window's end.
/// @param before as for `study_returns`
/// @throws InputError as the estimators and `value_of` do, for weights held now of an asset that is none of the
/// estimate's, and for sources with both weights and units
[[nodiscard]] INCHTIDE_API Basis basis_of(const Universe& universe, const Sources& sources, const Settings& settings,
                                          std::optional<Day> before = std::nullopt);

/// Its first half: the returns and what is estimated from them. A study that is explored keeps it while limits, aims
/// and costs change.
/// @param before as for `study_returns`
[[nodiscard]] INCHTIDE_API Basis estimated_basis(const Universe& universe, const Sources& sources,
                                                 const Settings& settings, std::optional<Day> before = std::nullopt);

/// Its second half: limits, the risk-free rate and what is held now. `basis_of` is the one after the other.
/// @throws InputError as `basis_of`
[[nodiscard]] INCHTIDE_API Basis with_limits(Basis estimated, const Universe& universe, const Sources& sources,
                                             const Settings& settings);

/// The same from an estimate that is given: nothing of the sources but tags and weights counts.
/// @throws InputError for units, which nothing makes weights of
[[nodiscard]] INCHTIDE_API Basis basis_of(Estimate estimate, const Sources& sources, const Settings& settings);

/// The wealth to begin with: what is held as units and cash is worth, else the settings'.
[[nodiscard]] INCHTIDE_API double wealth_of(const Basis& basis, const Settings& settings);

}  // namespace inchtide
