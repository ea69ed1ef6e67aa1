#pragma once
/// The chapter of the efficient frontier.
///
/// @code
/// #include <cassert>
/// inchtide::Estimate estimate;
/// estimate.assets = {"HOLLBOND", "HOLLBANK"};
/// estimate.expected_return = Eigen::Vector2d(0.03, 0.08);
/// estimate.covariance = inchtide::Covariance::dense(Eigen::Vector2d(0.0025, 0.04).asDiagonal());
/// const auto frontier = inchtide::trace_frontier(estimate, inchtide::Limits{});
/// assert(inchtide::report::in_a_line(frontier, 0) ==
///        "2 corners, from 3.29% a year at 4.85% volatility to 8.00% at 20.00%");
/// @endcode

#include <string>

#include "inchtide/base/api.hpp"
#include "inchtide/report/chapter.hpp"
#include "inchtide/study/tracing.hpp"

namespace inchtide::report {

/// How many corners, and from where to where it goes.
[[nodiscard]] INCHTIDE_API std::string in_a_line(const Frontier& frontier, double risk_free);
/// Its corners, with what changes at each.
[[nodiscard]] INCHTIDE_API std::string in_full(const Frontier& frontier, double risk_free);

/// What a page needs to draw the frontier at once: `assets`, and of the `corners` what is in the chapter's result, but
/// in place of `weights` what `changed` since the corner before (at first: since none is held): the place of an asset
/// and its weight, in turn.
[[nodiscard]] INCHTIDE_API Json corners_by_changes(const Frontier& frontier, const Basis& basis);

/// Tables: corners, comparison and weights of the named portfolios, and where they were asked for tracked, lower-half,
/// draws-AIM. Charts: frontier, transition. Result: `corners`, `minimum_variance`, `maximum_sharpe` (null where there
/// is none), and where they were asked for `points`, `lower_half`, `sensitivity`.
/// @param universe none where the estimate was given
[[nodiscard]] INCHTIDE_API Chapter frontier_chapter(const Tracing& tracing, const Basis& basis,
                                                    const Universe* universe, const Settings& settings,
                                                    const Background& from);

}  // namespace inchtide::report
