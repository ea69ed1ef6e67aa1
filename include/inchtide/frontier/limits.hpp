#pragma once
/// Allocation rules in plain inequalities, and what they leave to the weights: a range for each asset, and rows that
/// tie several assets together.
///
///     KELPFARM <= 12%            one asset            5% <= KELPFARM <= 12%       a range
///     each >= 1%                 every asset          HOLLBOND = 20%              an equality
///     sector:power <= 30%        a tag's total        every sector <= 30%         one limit a value of a tag
///     each in sector:power <= 8%, each outside sector:bonds <= 15%                a scope
///     sector:power <= 2 * sector:food                 in terms of another, asset or tag
///     average:yield >= 2.5       the weighted average of a column of figures, in its own unit
///     budget = 90%               the sum of weights; 100% unless said
///     gross <= 130%              the sum of absolute weights
///     short <= 20%               the sum of short weights
///     turnover <= 25%            the larger of purchases and sales from the weights held now, as a part of wealth
///                                before: half the sum of absolute changes, cash included
///     volatility <= 12%          of the portfolio, per year
///     tracking-error <= 4%       volatility of the difference from the benchmark, per year
///     holdings <= 12             the number of positions
///     held >= 1%                 the least size of a position that is held
///
/// All limits hold together; none overrides another. Unless a limit gives an asset a lower end, it is held long only
/// (at least 0%); a limit on `short` or `gross` opens short positions as far as it allows them.
///
/// @code
/// #include <cassert>
/// const inchtide::Limits limits{{inchtide::Limit::parse("each <= 40%"), inchtide::Limit::parse("kelpfarm >= 5%")}};
/// const auto bounds = inchtide::bounds_of(limits, {"KELPFARM", "TIDEMILL", "HOLLBOND"});
/// assert(bounds.lower[0] == 0.05 && bounds.lower[1] == 0 && bounds.upper[2] == 0.4);
/// @endcode

#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/costs.hpp"
#include "inchtide/base/eigen.hpp"
#include "inchtide/base/tags.hpp"
#include "inchtide/estimate/benchmark.hpp"
#include "inchtide/estimate/covariance.hpp"

namespace inchtide {

/// One rule with a name.
struct INCHTIDE_API Limit {
  enum class Kind {
    each,     ///< the weight of every asset, or of those in or outside a scope
    every,    ///< the total of each value of a tag
    total,    ///< a sum of terms
    average,  ///< the weighted average of a tag's figures
    budget,
    gross,
    short_total,
    turnover,
    volatility,
    tracking_error,
    holdings,
    held
  };
  /// `factor` times the weight of an asset, or the total of a tag's value.
  struct Term {
    double factor = 1;
    std::string tag;    ///< empty for an asset
    std::string value;  ///< the asset's code, or the tag's value
  };

  std::string name;  ///< the manager's name for it, or its text
  std::string text;  ///< as written
  Kind kind = Kind::each;
  std::vector<Term> terms;      ///< of a total
  std::string tag;              ///< of `every` and `average`
  std::optional<Term> scope;    ///< of `each`
  bool outside = false;         ///< `each` counts those outside the scope
  std::optional<double> lower;  ///< fraction of wealth; of an average in its unit, of holdings their number
  std::optional<double> upper;

  /// The asset that it bounds, where it bounds a single one; else empty.
  [[nodiscard]] std::string asset() const;
  [[nodiscard]] bool is_equality() const { return lower && upper && *lower == *upper; }

  /// Reads a limit. Names ignore case; quotes protect a code with other characters (`'BB-A' <= 5%`), and `asset:each`
  /// one that reads like a keyword.
  /// @param name a name for messages and results; the text when empty
  /// @throws InputError for anything that isn't a limit of the forms above, naming the limit and what is wrong: a
  ///         weight without %, an unknown comparison, a range without room, a kind of limit that isn't offered
  [[nodiscard]] static Limit parse(std::string_view text, std::string_view name = {});
};

using Limits = std::vector<Limit>;

/// lower <= coefficients'w + sum of bend_i |w_i - bend_at_i| + constant <= upper.
///
/// A program may add rows of its own to bounds: they are limits like the others, named by their labels.
struct INCHTIDE_API LimitRow {
  int limit = -1;     ///< its position in the limits of the bounds; -1 where it is a limit of its own
  std::string label;  ///< what it is about: "sector:power"
  Eigen::VectorXd coefficients{};
  double lower = 0, upper = 0;  ///< infinite where there is no end
  /// Of absolute sizes, such as gross and turnover; empty in straight rows. None is negative, and such a row has no
  /// lower end.
  Eigen::VectorXd bend{}, bend_at{};
  double constant = 0;
  // How it moves with the budget.
  bool in_proportion = false;                        ///< its ends do, in proportion to it
  double constant_rising = 0, constant_falling = 0;  ///< what a unit more of budget, and one less, adds to the constant

  /// By how much an end, less the constant, moves per unit of a budget that rises or falls.
  [[nodiscard]] double end_moves(bool lower_end, double budget, bool rising) const;

  [[nodiscard]] double value(const Eigen::VectorXd& weights) const;
};

/// The larger of purchases and sales, as a part of wealth before: half the sum of absolute changes, cash included.
[[nodiscard]] INCHTIDE_API double turnover_between(const Eigen::VectorXd& from, const Eigen::VectorXd& to);

/// What changing weights costs, once, as a part of the value traded.
struct INCHTIDE_API TradingCosts {
  Eigen::VectorXd current;  ///< weights held now
  CostRates rates;          ///< of trading from them
  double years = 1;         ///< how long the new weights are to be held: the cost per year is spread over them

  /// Of trading from the current weights to these, once: a fraction of wealth.
  [[nodiscard]] double of(const Eigen::VectorXd& weights) const;

  /// @throws InputError where there isn't a figure an asset, or one is no number from 0
  void check(Eigen::Index assets) const;
};

/// What limits look up: tags for totals, scopes and averages; the weights held now for turnover; the benchmark for the
/// tracking error. Tags alone will do for most.
struct INCHTIDE_API LimitFacts {
  LimitFacts() = default;
  LimitFacts(Tags table) : tags(std::move(table)) {}  // NOLINT: tags are facts

  Tags tags;
  Eigen::VectorXd current;  ///< a weight an asset, empty where unknown
  std::optional<BenchmarkRisk> benchmark;
  std::optional<TradingCosts> costs;  ///< what trading costs
  bool costs_count = true;            ///< return and budget count them; else they are known, and reported, only
};

/// A figure that a limit sets, and its position in the limits.
struct INCHTIDE_API LimitFigure {
  double value = 0;
  int limit = -1;
};

/// What limits leave to the weights: the range of each asset and the limit that set each end, the budget, and rows.
struct INCHTIDE_API Bounds {
  Limits limits;                              ///< those that the positions below refer to
  Eigen::VectorXd lower;                      ///< finite
  Eigen::VectorXd upper;                      ///< infinite where no limit sets it
  std::vector<int> lower_limit, upper_limit;  ///< position in the limits, -1 where none
  /// Asset and limit, where another limit sets the same end.
  std::vector<std::pair<int, int>> lower_ties, upper_ties;
  std::vector<LimitRow> rows;
  double budget = 1;  ///< what the weights sum to
  int budget_limit = -1;
  std::optional<TradingCosts> costs;  ///< taken off the budget and, per year, off the return

  // Not on the exact path: a ceiling ends it, and numbers of positions are searched for.
  std::optional<LimitFigure> volatility, tracking_error, holdings, held;

  /// True where weights have ranges and a sum only.
  [[nodiscard]] bool ranges_only() const { return rows.empty() && !costs; }

  /// Whether a limit sets the lower or upper end of an asset, alone or with others.
  [[nodiscard]] bool sets_lower(int limit, Eigen::Index asset) const;
  [[nodiscard]] bool sets_upper(int limit, Eigen::Index asset) const;

  /// No limit: long only, up to the whole budget, for `assets` assets.
  [[nodiscard]] static Bounds long_only(Eigen::Index assets);

  /// Whether they fit so many assets, with numbers for figures; all that takes bounds looks at this first.
  /// @throws InputError saying what doesn't fit
  void check(Eigen::Index assets) const;

 private:
  Bounds() = default;
};

/// Works out ranges and rows, and whether weights within them can sum to the budget.
/// @param facts what limits look up
/// @throws InputError when a limit names an unknown asset, tag or value (with the nearest known one), or a fact that it
///         needs is missing (naming it)
/// @throws InfeasibleLimits when they cannot all hold, naming a set of them of which none can be dropped. (Ceilings on
///         volatility and tracking error need an estimate: they are looked at when a frontier is traced.)
[[nodiscard]] INCHTIDE_API Bounds bounds_of(const Limits& limits, const std::vector<std::string>& assets,
                                            const LimitFacts& facts = {});

/// How far weights break a limit: its name, the asset or total, and by how much.
struct INCHTIDE_API Violation {
  std::string limit;
  std::string asset;    ///< or what a row is about
  double by = 0;        ///< fraction of wealth (of an average in its unit, of holdings their number), positive
  bool figure = false;  ///< `by` is such a figure, no fraction of wealth
};

/// The limits that `weights` break by more than `tolerance`, long-only and budget (named so) included. Positions count
/// from 1e-9 on.
/// @param covariance of the assets, where ceilings on volatility and tracking error are to be looked at
[[nodiscard]] INCHTIDE_API std::vector<Violation> violations_of(
    const Limits& limits, const std::vector<std::string>& assets, const Eigen::VectorXd& weights,
    const LimitFacts& facts = {}, const Covariance* covariance = nullptr, double tolerance = 1e-9);

/// The same of bounds, with rows that were added to them.
[[nodiscard]] INCHTIDE_API std::vector<Violation> violations_of(
    const Bounds& bounds, const std::vector<std::string>& assets, const Eigen::VectorXd& weights,
    const LimitFacts& facts = {}, const Covariance* covariance = nullptr, double tolerance = 1e-9);

}  // namespace inchtide
