#pragma once
/// What a portfolio is chosen for.

#include <string>
#include <string_view>

namespace inchtide {

/// `minimum-variance`, `maximum-sharpe`, `target-return=8%`, `target-volatility=10%` or `equal`.
struct Aim {
  enum class Kind { minimum_variance, maximum_sharpe, target_return, target_volatility, equal };

  Kind kind = Kind::minimum_variance;
  double target = 0;  ///< fraction per year, for the two targets

  /// @param where the place it was given, for the message
  /// @throws InputError for anything else, with the aims there are, or a target without %
  static Aim parse(std::string_view text, std::string_view where);

  /// The text that `parse` reads.
  std::string text() const;

  friend bool operator==(const Aim&, const Aim&) = default;
};

}  // namespace inchtide
