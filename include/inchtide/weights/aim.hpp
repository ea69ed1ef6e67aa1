#pragma once
/// What a portfolio is chosen for.
///
/// @code
/// #include <cassert>
/// using inchtide::Aim;
/// const auto aim = Aim::parse("target-volatility=10%", "here");
/// assert(aim.kind == Aim::Kind::target_volatility && aim.target == 0.1 && aim.gain() == Aim::Gain::expected_return);
/// @endcode

#include <string>
#include <string_view>

#include "inchtide/base/api.hpp"
#include "inchtide/base/notice.hpp"

namespace inchtide {

/// On the frontier: `minimum-variance`, `maximum-sharpe`, `target-return=8%`, `target-volatility=10%`, `utility=4`
/// (return less half of 4 times the variance). By its own path under the same limits: `maximum-diversification`.
/// On the capital market line, the maximum-Sharpe portfolio and the riskless asset together: `blend-volatility=8%`,
/// `blend-return=6%`. Against a benchmark, within the limits: `minimum-tracking-error`. Without a look at returns or
/// limits: `equal`, `inverse-volatility`, `equal-risk-contribution`.
struct INCHTIDE_API Aim {
  enum class Kind {
    minimum_variance,
    maximum_sharpe,
    target_return,
    target_volatility,
    equal,
    utility,
    maximum_diversification,
    inverse_volatility,
    equal_risk_contribution,
    minimum_tracking_error,
    blend_volatility,
    blend_return
  };

  Kind kind = Kind::minimum_variance;
  double target = 0;  ///< fraction per year, for targets; the risk aversion, above 0, for utility

  /// @param where the place it was given, for the message
  /// @throws InputError for anything else, with the aims there are, a target without %, or an
  /// aversion that isn't positive
  [[nodiscard]] static Aim parse(std::string_view text, const Where& where);

  /// What a portfolio with this aim gets more of when a limit is loosened: less risk, or more of the rest.
  enum class Gain { volatility, tracking_error, expected_return, utility, sharpe, diversification };
  [[nodiscard]] Gain gain() const;

  /// All that there are, as they are written: "minimum-variance, maximum-sharpe, target-return=8%, ...".
  [[nodiscard]] static std::string all();

  /// @throws InputError for a target that is no finite number, or an aversion that isn't positive
  void check() const;

  /// The text that `parse` reads.
  [[nodiscard]] std::string text() const;

  friend bool operator==(const Aim&, const Aim&) = default;
};

}  // namespace inchtide
