#pragma once
/// The basis on which portfolios are chosen: returns, the estimate made of them, and limits with what they look up.

#include <optional>
#include <string>
#include <vector>

#include "inchtide/frontier/limits.hpp"
#include "inchtide/returns/return_table.hpp"
#include "inchtide/study/universe.hpp"

namespace inchtide {

/// Returns of the assets and, where there is one, the benchmark's on the same rows (else empty; NaN where it has none
/// over the same days).
struct StudyReturns {
  ReturnTable assets;
  Eigen::VectorXd benchmark;
  std::vector<Notice> warnings;
};

/// @param before only prices before this day, which a rehearsal begins on
[[nodiscard]] StudyReturns study_returns(const Universe& universe, const Settings& settings,
                                         std::optional<Day> before = std::nullopt);

/// Returns of the named columns of a table of prices, by the interval and conventions of a study.
/// @param warnings says so where an unfinished last period was dropped or kept
[[nodiscard]] ReturnTable returns_by(const PriceTable& prices, const Interval& every, const Settings& settings,
                                     std::vector<Notice>& warnings);

/// The methods of a study, with its risk-free rate and the weights whose returns are implied.
[[nodiscard]] EstimateOptions methods_of(const Universe& universe, const Sources& sources, const Settings& settings);

struct Basis {
  Estimate estimate;        ///< of simple returns
  Estimated estimated;      ///< its own account of it; empty where the estimate was given
  ReturnTable returns;      ///< what it was made of; empty where it was given
  EstimateOptions methods;  ///< and how
  Limits limits;
  LimitFacts facts;
  double risk_free = 0;
  std::vector<Notice> warnings;  ///< of this step
};

/// @param before as for `study_returns`
/// @throws InputError as the estimators do, and for weights held now of an asset that is none of the estimate's
[[nodiscard]] Basis basis_of(const Universe& universe, const Sources& sources, const Settings& settings,
                             std::optional<Day> before = std::nullopt);

/// The same from an estimate that is given: nothing of the sources but tags and weights counts.
[[nodiscard]] Basis basis_of(Estimate estimate, const Sources& sources, const Settings& settings);

}  // namespace inchtide
