#pragma once
/// The chapter of chosen and given portfolios.

#include <string>
#include <utility>
#include <vector>

#include "inchtide/report/chapter.hpp"
#include "inchtide/study/portfolios.hpp"
#include "inchtide/weights/adjust.hpp"

namespace inchtide::report {

/// Its figures and largest holdings.
[[nodiscard]] std::string in_a_line(const Allocation& allocation);
/// Its figures, weights, shares of risk, binding limits and what it leaves out.
[[nodiscard]] std::string in_full(const Allocation& allocation);

/// Two assets side by side.
struct Sweep {
  std::string first, second;
  std::vector<SweepPoint> points;
};

/// Tables: comparison, weights, risk-shares, binding-limits, left-out, sweep. Charts: compared, risk, prices (of the
/// limits of the first portfolio that has some). Result: `portfolios`, `unanswered`.
/// @param universe none where the estimate was given
[[nodiscard]] Chapter weigh_chapter(const Portfolios& portfolios, const Basis& basis, const Universe* universe,
                                    const Settings& settings, const Background& from,
                                    const std::optional<Sweep>& sweep = {});

}  // namespace inchtide::report
