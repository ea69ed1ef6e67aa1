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
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/study/basis.hpp"
#include "inchtide/weights/allocation.hpp"

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

}  // namespace inchtide
