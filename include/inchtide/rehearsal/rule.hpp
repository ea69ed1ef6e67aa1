#pragma once
/// Whether what a rehearsal sees makes it trade, and where that trade goes.
///
/// To the edge (Davis & Norman 1990, "Portfolio selection with transaction costs"; Donohue & Yip 2003, "Optimal
/// portfolio rebalancing with transaction costs") those outside their band go to its edge, half way (Masters 2003,
/// "Rebalancing") half of what they are off; both after the costs. The counter-trade is shared by those off in the
/// other direction, the largest deviation first, levelled until equal and never past a target; those just brought to an
/// edge take part. Cash above its target pays for purchases first, cash below it takes of the proceeds first, and the
/// counter-trade pays the costs. Of all trades that bring those outside to the edge this leaves the smallest largest
/// deviation.
///
/// @code
/// #include <cassert>
/// #include <cmath>
/// using namespace inchtide;
/// Look look;
/// look.holdings = Eigen::Vector3d(500, 300, 200);
/// look.targets = Eigen::Vector3d(0.4, 0.35, 0.25);
/// const auto edge = Schedule::parse("band:5pp:edge", "here");
/// assert(is_outside(*edge.band, look, {}));
/// const auto there = destination_of(edge, look, {}).at(1000);  // without costs
/// assert(std::abs(there[0] - 0.45) < 1e-12 && std::abs(there[1] - 0.325) < 1e-12 && std::abs(there[2] - 0.225) <
/// 1e-12);
/// @endcode

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/day.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/base/tags.hpp"
#include "inchtide/rehearsal/ledger.hpp"
#include "inchtide/rehearsal/schedule.hpp"

namespace inchtide {

/// What a rule sees at a close.
struct INCHTIDE_API Look {
  std::size_t row = 0;  ///< of the walk
  Day day{};
  Eigen::VectorXd holdings;  ///< the value of each position at this close
  double cash = 0;           ///< money, what is owed included
  Eigen::VectorXd targets;   ///< weights
  std::vector<char> pinned;  ///< 1 for an asset that cannot be traded: suspended or ended; empty where none is

  [[nodiscard]] double wealth() const { return holdings.sum() + cash; }
  [[nodiscard]] Eigen::VectorXd weights() const { return holdings / wealth(); }
};

/// A rule of one's own: where to trade to, or nothing.
using Rule = std::function<std::optional<Destination>(const Look&)>;

/// What a band looks at: each asset's group, those of one tag's value together; empty where each is its own.
using BandGroups = std::vector<int>;

/// The groups of a band by the values of a tag; an asset without one is a group of its own.
/// @throws InputError for a column that the tags don't have, naming the nearest
[[nodiscard]] INCHTIDE_API BandGroups groups_of(const Band& band, const std::vector<std::string>& assets,
                                                const Tags& tags);

/// Whether some group, or cash where it is a member, is outside the band.
[[nodiscard]] INCHTIDE_API bool is_outside(const Band& band, const Look& look, const BandGroups& groups);

/// Where the schedule's trade goes from here: targets, edge or half way, no further than the cap lets it.
/// @throws InputError for trades after costs, which are chosen elsewhere (RehearsalPlan::after_costs)
[[nodiscard]] INCHTIDE_API Destination destination_of(const Schedule& schedule, const Look& look,
                                                      const BandGroups& groups);

/// The destination, no further away than a turnover of `cap`.
[[nodiscard]] INCHTIDE_API Destination capped(Destination destination, const Look& look, double cap);

}  // namespace inchtide
