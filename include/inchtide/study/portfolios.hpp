#pragma once
/// The portfolios of a study: those that its aims choose, those that are given, and aims that have none.
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
/// settings.aims = {Aim::parse("equal", ""), Aim::parse("target-return=900%", "")};
/// const auto universe = universe_of(sources, settings);
/// const auto portfolios = portfolios_of(basis_of(universe, sources, settings), sources, settings);
/// assert(portfolios.all.size() == 1 && portfolios.unanswered.size() == 1);
/// @endcode

#include <functional>
#include <optional>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/study/basis.hpp"
#include "inchtide/weights/allocation.hpp"
#include "inchtide/weights/room.hpp"
#include "inchtide/weights/stretches.hpp"

namespace inchtide {

/// Whether an aim can count what trading costs: it weighs return against risk.
[[nodiscard]] INCHTIDE_API bool counts_costs(const Aim& aim);

struct INCHTIDE_API Portfolios {
  std::vector<Allocation> all;
  std::vector<Unanswered> unanswered;  ///< aims without a portfolio, and why
};

/// Gives each aim a stop check of its own, such as one that stops after some seconds.
using PatienceOfAnAim = std::function<StopCheck()>;

/// One aim that has no portfolio costs no other its own.
/// @throws what the first aim threw, where none has a portfolio and no weights are given
/// @throws InputError for what cannot be asked together, such as aims after costs without costs
[[nodiscard]] INCHTIDE_API Portfolios portfolios_of(const Basis& basis, const Sources& sources,
                                                    const Settings& settings, const PatienceOfAnAim& patience = {});

/// How far each weight of each portfolio can move: `room_of`, one list a portfolio, empty for those that are not within
/// the limits or don't invest the budget (blends, portfolios after costs).
/// @param give_up expected return, fraction per year
/// @throws as `room_of`
[[nodiscard]] INCHTIDE_API std::vector<std::vector<std::optional<WeightRange>>> rooms_of(
    const Basis& basis, const std::vector<Allocation>& portfolios, double give_up,
    const Executor& executor = Executor(), const Watch& watch = {});

/// A bad stretch of the history, and what each portfolio would have made of it.
struct INCHTIDE_API HardTime {
  Stretch stretch;
  std::vector<double> returns;  ///< one a portfolio, over the stretch
  double equal_weights = 0;
};

/// The deepest falls of equal weights in the returns that the estimate was made of; none where it was given, or where
/// some returns are missing.
[[nodiscard]] INCHTIDE_API std::vector<HardTime> hard_times_of(const Basis& basis,
                                                               const std::vector<Allocation>& portfolios,
                                                               std::size_t count = 5);

}  // namespace inchtide
