#pragma once
/// How the assets of a study move together: over the whole and over windows, against the benchmark, whether it lasts,
/// what spreading does, and which are least related.
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
/// const RelationsOptions how{.windows = {Interval{1, Unit::year}}};
/// const auto relations = relations_of(universe_of(sources, settings), settings, how);
/// assert(relations.correlation.assets.size() == 2 && relations.windows.size() == 1);
/// @endcode

#include <cstdint>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/estimate/bootstrap.hpp"
#include "inchtide/relations/correlation.hpp"
#include "inchtide/relations/diversification.hpp"
#include "inchtide/relations/market_model.hpp"
#include "inchtide/relations/stability.hpp"
#include "inchtide/relations/subset.hpp"
#include "inchtide/study/basis.hpp"

namespace inchtide {

struct INCHTIDE_API RelationsOptions {
  std::vector<Interval> windows;    ///< the same over these spans back from the last day
  std::vector<Interval> intervals;  ///< the same of returns over these, whatever the study's own is
  std::string order;                ///< of the matrix: "cluster", a column of the tags; as given when empty or "given"
  std::string by = "sector";        ///< the column of the tags within and across which averages are taken
  std::optional<int> pick;          ///< the so many that are least related
  SubsetOptions search;             ///< how they are looked for
  std::optional<Interval> rolling;  ///< correlations over a window of this span
  std::vector<std::pair<std::string, std::string>> pairs;  ///< of these; the most and the least related when empty
  std::optional<Day> split;                                ///< parts first and then; halfway when left out
  std::optional<BootstrapOptions> bands;                   ///< of the correlations
  bool to_explore = false;  ///< also the orders that a matrix can have, for a page that computes others
  std::uint64_t seed = 1;   ///< of the random choices that spreading is shown by
};

struct INCHTIDE_API RelationsWindow {
  Interval span;
  Correlation correlation;
  std::vector<PairAverage> averages;
};

/// Daily, weekly and monthly returns of the same assets move together in other measure: closes at other hours, news
/// that takes its time, noise that lasts a day.
struct INCHTIDE_API RelationsInterval {
  Interval every;
  Correlation correlation;
  std::vector<PairAverage> averages;
  std::optional<LeastRelated> least_related;  ///< so many as were picked, else five; positions in `correlation`
};

struct INCHTIDE_API Relations {
  ReturnTable returns;
  Denominator denominator = Denominator::sample;
  double risk_free = 0;
  Correlation correlation;                         ///< over the whole, in the order asked for
  std::vector<PairAverage> averages;               ///< all pairs first; with the benchmark last, where there is one
  std::vector<RelationsWindow> windows;            ///< as asked for
  std::vector<RelationsInterval> intervals;        ///< as asked for, but for those that some history hasn't
  std::optional<BootstrapBands> bands;             ///< in the same order of assets
  double coverage = 0;                             ///< of the bands
  std::optional<std::vector<MarketModel>> market;  ///< each asset against the benchmark, as given
  std::optional<PrincipalComponents> components;   ///< none where an asset never moves
  std::optional<Stability> stability;
  std::optional<DiversificationCurve> diversification;
  std::optional<LeastRelated> least_related;  ///< positions in `correlation`
  bool by_absolute = false;                   ///< by absolute correlations
  /// By name ("sector", "cluster"): the codes in that order; where it was asked for.
  std::vector<std::pair<std::string, std::vector<std::string>>> orders;
  std::vector<RollingCorrelation> rolling;
  std::vector<Notice> warnings;  ///< of this step: what the history is too short or too still for, and why
};

/// @throws InputError for a column that the tags don't have, a code that is none of the assets', a number to pick out
///         of range, and histories too short for correlations; Interrupted when stopped
[[nodiscard]] INCHTIDE_API Relations relations_of(const Universe& universe, const Settings& settings,
                                                  const RelationsOptions& options = {});

}  // namespace inchtide
