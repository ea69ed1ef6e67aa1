#pragma once
// The optimal portfolio of an aim within limits that are on the exact path or ceilings, and what its limits are worth.

#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "inchtide/frontier/frontier.hpp"
#include "inchtide/frontier/sided_prices.hpp"
#include "inchtide/frontier/tracked.hpp"
#include "inchtide/weights/aim.hpp"

namespace inchtide {

/// Prices are in variance / 2 - lambda x return.
struct Solution {
  Portfolio portfolio;
  BoundPrices prices;
  std::optional<std::pair<int, double>> ceiling;  // on volatility or tracking error: which limit, and its price
  bool at_ceiling = false;                        // of volatility: what loosening others brings is return
  bool priced = true;                             // prices are of what the aim gives for return
  bool lambda_is_given = true;                    // by the aim; else any that fits the portfolio will do
  std::optional<SidedPrices> sided{};             // of the aim, where no ceiling is in the way
};

/// The expected return of the weights where that of the whole is so much: the budget is invested, costs and all.
double return_of_weights(double whole, const Bounds& bounds, double risk_free);

Solution solution_of(const Frontier& frontier, Portfolio portfolio);
Solution solution_of(TrackedPortfolio tracked, const Bounds& bounds);

/// The portfolio of an aim under the frontier's bounds, numbers of positions aside. Other aims than those of the
/// frontier take the least variance.
/// @param benchmark needed where there is a ceiling on the tracking error
/// @param notes what a reader should know is added
Solution solve(const Frontier& frontier, const Aim& aim, double risk_free,
               const std::optional<BenchmarkRisk>& benchmark, std::vector<std::string>& notes);

}  // namespace inchtide
