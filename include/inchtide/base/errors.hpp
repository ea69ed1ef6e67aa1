#pragma once
/// What went wrong, in words a portfolio manager can act on.
///
/// Every failure of the library is one of the types below. The text names the file, line, asset, day or limit, says
/// what is wrong and, where there is one, the way out. The command-line tool turns the type into its exit code.

#include <stdexcept>
#include <string>
#include <utility>
#include <vector>

namespace inchtide {

/// Base of all errors of this library.
class Error : public std::runtime_error {
 public:
  using std::runtime_error::runtime_error;
};

/// Input that cannot be used: a bad file, a code nobody has, figures that contradict each other.
class InputError : public Error {
 public:
  using Error::Error;
  /// @param where   file, line, asset, day or limit, e.g. "prices/KELPFARM.csv, line 12, column close"
  /// @param problem what is wrong there
  /// @param remedy  what to do about it
  InputError(const std::string& where, const std::string& problem, const std::string& remedy)
      : Error(where + ": " + problem + ". " + remedy) {}
};

/// Limits that cannot all hold. `conflict` names a set of limits that cannot hold together and of which none can be
/// dropped without the rest becoming possible.
class InfeasibleLimits : public InputError {
 public:
  InfeasibleLimits(const std::string& message, std::vector<std::string> limits)
      : InputError(message), conflict(std::move(limits)) {}
  std::vector<std::string> conflict;
};

/// An answer whose certificate does not hold to the stated tolerance; it is withheld.
class UncertifiedAnswer : public Error {
 public:
  using Error::Error;
};

/// Something outside failed: the disk, the network, a program that is not installed.
class OutsideFailure : public Error {
 public:
  using Error::Error;
};

/// The work was stopped on request; what was complete is kept.
class Interrupted : public Error {
 public:
  using Error::Error;
};

}  // namespace inchtide
