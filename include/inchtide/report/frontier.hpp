#pragma once
/// The chapter of the efficient frontier.

#include <string>

#include "inchtide/report/chapter.hpp"
#include "inchtide/study/tracing.hpp"

namespace inchtide::report {

/// How many corners, and from where to where it goes.
[[nodiscard]] std::string in_a_line(const Frontier& frontier, double risk_free);
/// Its corners, with what changes at each.
[[nodiscard]] std::string in_full(const Frontier& frontier, double risk_free);

/// Tables: corners, comparison and weights of the named portfolios, and where they were asked for tracked, lower-half,
/// draws-AIM. Charts: frontier, transition. Result: `corners`, `minimum_variance`, `maximum_sharpe` (null where there
/// is none), and where they were asked for `points`, `lower_half`, `sensitivity`.
/// @param universe none where the estimate was given
[[nodiscard]] Chapter frontier_chapter(const Tracing& tracing, const Basis& basis, const Universe* universe,
                                       const Settings& settings, const Background& from);

}  // namespace inchtide::report
