#pragma once
/// Allocation rules in plain inequalities, and the range of weights that they leave to each asset.
///
///     KELPFARM <= 12%          one asset          5% <= KELPFARM <= 12%    a range
///     each >= 1%               every asset        HOLLBOND = 20%           an equality
///
/// All limits hold together; none overrides another. The budget is 100%. Unless a limit gives an asset a lower end, it
/// is held long only (at least 0%).
///
/// @code
/// #include <cassert>
/// const inchtide::Limits limits{{inchtide::Limit::parse("each <= 40%"), inchtide::Limit::parse("kelpfarm >= 5%")}};
/// const auto bounds = inchtide::bounds_of(limits, {"KELPFARM", "TIDEMILL", "HOLLBOND"});
/// assert(bounds.lower[0] == 0.05 && bounds.lower[1] == 0 && bounds.upper[2] == 0.4);
/// @endcode

#include <Eigen/Core>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace inchtide {

/// One rule with a name. It bounds the weight of one asset, or of each.
struct Limit {
  std::string name;             ///< the manager's name for it, or its text
  std::string text;             ///< as written
  std::string asset;            ///< the asset it bounds, or empty for every asset
  std::optional<double> lower;  ///< fraction of wealth
  std::optional<double> upper;  ///< fraction of wealth

  /// Reads a limit. Names ignore case; quotes protect a code with other characters (`'BB-A' <= 5%`), and `asset:each`
  /// one that reads like a keyword.
  /// @param name a name for messages and results; the text when empty
  /// @throws InputError for anything that isn't a limit of the forms above, naming the limit and what is wrong: a
  ///         weight without %, an unknown comparison, a range without room, a kind of limit that isn't offered
  static Limit parse(std::string_view text, std::string_view name = {});
};

using Limits = std::vector<Limit>;

/// The range of weights of each asset of a list, and the limit that set each end.
struct Bounds {
  Eigen::VectorXd lower;                      ///< finite
  Eigen::VectorXd upper;                      ///< infinite where no limit sets it
  std::vector<int> lower_limit, upper_limit;  ///< position in the limits, -1 where none

  /// No limit: long only, up to the whole budget, for `assets` assets.
  static Bounds long_only(Eigen::Index assets);
};

/// Works out the ranges, and whether weights within them can sum to the budget of 1.
/// @throws InputError when a limit names an unknown asset (with the nearest known one)
/// @throws InfeasibleLimits when they cannot all hold, naming a set of them of which none can be dropped
Bounds bounds_of(const Limits& limits, const std::vector<std::string>& assets);

/// How far weights break a limit: its name, the asset and by how much.
struct Violation {
  std::string limit;
  std::string asset;
  double by = 0;  ///< fraction of wealth, positive
};

/// The limits that `weights` break by more than `tolerance`, long-only and budget (named so) included.
std::vector<Violation> violations_of(const Limits& limits, const std::vector<std::string>& assets,
                                     const Eigen::VectorXd& weights, double tolerance = 1e-9);

}  // namespace inchtide
