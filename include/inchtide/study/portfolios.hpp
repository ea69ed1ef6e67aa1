#pragma once
/// The portfolios of a study: those that its aims choose, those that are given, and aims that have none.

#include <functional>
#include <vector>

#include "inchtide/study/basis.hpp"
#include "inchtide/weights/allocation.hpp"

namespace inchtide {

struct Portfolios {
  std::vector<Allocation> all;
  std::vector<Unanswered> unanswered;  ///< aims without a portfolio, and why
};

/// Gives each aim a stop check of its own, such as one that stops after some seconds.
using PatienceOfAnAim = std::function<StopCheck()>;

/// One aim that has no portfolio costs no other its own.
/// @throws what the first aim threw, where none has a portfolio and no weights are given
/// @throws InputError for what cannot be asked together, such as aims after costs without costs
[[nodiscard]] Portfolios portfolios_of(const Basis& basis, const Sources& sources, const Settings& settings,
                                       const PatienceOfAnAim& patience = {});

}  // namespace inchtide
