#pragma once
/// How each asset of a study behaved: figures of return and risk, and how its returns are spread.
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
/// const auto description = description_of(universe_of(sources, settings), settings);
/// assert(description.figures.size() == 2 && description.benchmark->asset == "HOLLBOND");
/// @endcode

#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/returns/figures.hpp"
#include "inchtide/returns/histogram.hpp"
#include "inchtide/study/basis.hpp"

namespace inchtide {

struct INCHTIDE_API DescriptionOptions {
  bool within_day = false;  ///< close over open, in place of returns from close to close; the universe is for that
  double tail = 0.05;       ///< expected shortfall is the mean of this share of the periods
  int bins = 0;             ///< of the histograms; as many as their spread asks for when 0
};

struct INCHTIDE_API Description {
  ReturnTable returns;  ///< the benchmark last, where there is one
  std::vector<AssetFigures> figures;
  std::optional<AssetFigures> benchmark;
  std::vector<std::pair<std::string, Histogram>> histograms;  ///< by code, the benchmark's last
  PriceTable growth;                                          ///< since the start, fractions; the benchmark last
  std::vector<Notice> warnings;                               ///< of this step

  /// Those of the benchmark last.
  [[nodiscard]] std::vector<AssetFigures> all_figures() const;
};

/// @throws InputError for a tail that is no share, or returns within the day at an interval that isn't a day
[[nodiscard]] INCHTIDE_API Description description_of(const Universe& universe, const Settings& settings,
                                                      const DescriptionOptions& options = {});

}  // namespace inchtide
