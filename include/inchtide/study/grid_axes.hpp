#pragma once
/// What is varied where many rehearsals are made of one study: lists of values along axes.
///
/// @code
/// #include <cassert>
/// const auto both = inchtide::Estimator::parse("bayes-stein/one-factor", "here");
/// assert(both.expected && both.covariance && both.name == "bayes-stein/one-factor");
/// assert(!inchtide::Estimator::parse("one-factor", "here").expected);
/// @endcode

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/day.hpp"
#include "inchtide/estimate/estimators.hpp"
#include "inchtide/rehearsal/schedule.hpp"
#include "inchtide/weights/aim.hpp"

namespace inchtide {

/// How returns are expected and how covariance is estimated; one that is left out is the study's own.
struct INCHTIDE_API Estimator {
  std::string name{};  ///< as it was given
  std::optional<ExpectedMethod> expected{};
  std::optional<CovarianceMethod> covariance{};

  /// Reads a method of either (`bayes-stein`, `one-factor`), or both, `bayes-stein/one-factor`. A word that is a method
  /// of both (`exponential:36`) is both.
  /// @throws InputError naming `where` and the nearest method for anything else
  [[nodiscard]] static Estimator parse(std::string_view text, const Where& where);
  /// Both, as they are written.
  [[nodiscard]] std::string text() const;
};

/// The prices that an estimate takes: a span up to its day, or all the past.
struct INCHTIDE_API EstimateWindow {
  std::optional<Interval> span;

  /// Reads `5y`, or `all`.
  [[nodiscard]] static EstimateWindow parse(std::string_view text, const Where& where);
  [[nodiscard]] std::string text() const { return span ? span->text() : "all"; }
};

/// Every combination of these is rehearsed. An axis without values has the study's own one, of schedules and aims its
/// own ones.
struct INCHTIDE_API GridAxes {
  std::string name{};  ///< of a single combination that has one
  std::vector<Schedule> schedules{};
  std::vector<double> cost_levels{};  ///< what every part of trading costs is multiplied by; 1 without any
  std::vector<Aim> aims{};
  std::vector<Estimator> estimators{};
  std::vector<EstimateWindow> windows{};
  std::vector<int> delays{};
  std::vector<Day> starts{};  ///< days from which it is rehearsed, estimates being made before
};

/// Fills one axis from texts.
/// @param axis `schedule`, `cost-level`, `aim`, `estimator`, `window`, `delay` or `start`; names ignore case
/// @throws InputError for another axis (with the nearest), no values, or one that its axis cannot have
INCHTIDE_API void fill_axis(GridAxes& axes, std::string_view axis, const std::vector<std::string>& texts,
                            const Where& where);

}  // namespace inchtide
