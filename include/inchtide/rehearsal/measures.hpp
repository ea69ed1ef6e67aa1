#pragma once
/// What a rehearsal comes to beside its growth and its risk: calendar months and years, time under water, what the
/// money paid in has earned, where costs and waiting went, and how it stood beside a benchmark.
///
/// @code
/// #include <cassert>
/// #include <cmath>
/// #include "inchtide/rehearsal/rehearsal.hpp"
/// using namespace inchtide;
/// PriceTable table;
/// for (const char* day : {"2024-01-30", "2024-01-31", "2024-02-29"}) table.days.push_back(*parse_day(day));
/// table.assets = {{"TIDEMILL", "HLC"}};
/// table.prices = Eigen::Vector3d(10, 10, 9);
/// RehearsalPlan plan;
/// plan.weights = Eigen::VectorXd::Ones(1);
/// const auto run = rehearse(table, plan, {});
/// assert(std::abs(run.worst_month.growth + 0.1) < 1e-12 && run.worst_month.month == 2);
/// assert(run.under_water.days == 29 && !run.under_water.recovered);
/// @endcode

#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/costs.hpp"
#include "inchtide/base/day.hpp"
#include "inchtide/base/eigen.hpp"

namespace inchtide {

struct Rehearsal;

/// A calendar year or month of a run, or the part of it that the run has.
struct INCHTIDE_API SpanOfRun {
  int year = 0;
  unsigned month = 0;           ///< 0 for a year
  double growth = 0, cost = 0;  ///< net; gross less net
};

/// The longest time from a highest close to the one on which it is reached again.
struct INCHTIDE_API UnderWater {
  Day from{}, to{};
  int days = 0;  ///< of the calendar; 0 where no close is below an earlier one
  bool recovered = true;
};

/// The rate a year at which the wealth at the start and the flows, grown by it, come to the wealth at the end (Soper
/// 1959, "The marginal efficiency of capital: a further note"): what the money has earned, its amounts counted.
struct INCHTIDE_API MoneyWeighted {
  std::optional<double> rate;
  std::string why;  ///< there is none
};

/// What the same orders would have cost less had they been traded for nothing at the closes that they were decided on
/// (Perold 1988, "The implementation shortfall"): shares of the wealth of their days, summed, per year.
struct INCHTIDE_API Shortfall {
  double delay = 0;  ///< prices until the trade; below 0 where waiting paid
  double costs = 0;
  [[nodiscard]] double total() const { return delay + costs; }
};

/// Where the difference between log growth gross and net went, per year: ln((V + F) / V+) of each trade, parted as its
/// costs are, and what custody and borrowing took. They sum to the difference.
struct INCHTIDE_API CostShares {
  OrderCost trading;
  double charges = 0;
};

/// A run beside a benchmark, by returns from row to row over the same days.
struct INCHTIDE_API AgainstBenchmark {
  double tracking_error = 0;                ///< per year: of the differences of returns
  double information_ratio = 0;             ///< mean difference per year over the tracking error; 0 where that is 0
  double beta = 0;                          ///< 0 where the benchmark doesn't move
  double up_capture = 0, down_capture = 0;  ///< mean return over the benchmark's on the days it rose, and fell
};

/// Returns from row `delay` on beside a benchmark's.
/// @throws InputError for a benchmark of other days
[[nodiscard]] INCHTIDE_API AgainstBenchmark against(const Rehearsal& run, const Rehearsal& benchmark, int delay);

/// Net returns from row to row, flows aside; the first is that of the row after row `delay`.
[[nodiscard]] INCHTIDE_API Eigen::VectorXd returns_of(const Rehearsal& run, int delay);

/// Calendar years, and months, from row `delay` on; parts of one at both ends.
[[nodiscard]] INCHTIDE_API std::vector<SpanOfRun> years_of(const Rehearsal& run, int delay);
[[nodiscard]] INCHTIDE_API std::vector<SpanOfRun> months_of(const Rehearsal& run, int delay);

}  // namespace inchtide
