#pragma once
/// What went wrong, in words a portfolio manager can act on, and in parts that a program can.
///
/// Every failure of the library is thrown as one of the types below; `Error` is the root of them all, and catching it
/// is enough. Each carries a `Notice`: where it is, what is wrong there, and the ways out.
///
/// @code
/// #include <cassert>
/// #include <cmath>
/// #include "inchtide/base/range.hpp"
/// try {
///   (void)inchtide::finite(std::nan(""), inchtide::Where::in_file("rates.csv", 12, "rate"));
/// } catch (const inchtide::Error& error) {
///   assert(error.notice().where.line == 12);
///   assert(std::string(error.what()) ==
///          "rates.csv, line 12, column rate: nan is not a finite number. Give a figure");
/// }
/// @endcode

#include <memory>
#include <optional>
#include <stdexcept>
#include <string>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/base/notice.hpp"

namespace inchtide {

/// Root of all errors of this library.
class INCHTIDE_API Error : public std::runtime_error {
 public:
  explicit Error(Notice notice);
  Error(Where where, std::string problem, std::vector<Remedy> remedies = {});
  Error(Where where, std::string problem, Remedy remedy);
  ~Error() override;

  [[nodiscard]] const Notice& notice() const { return *notice_; }

 private:
  std::shared_ptr<const Notice> notice_;  // copies of an exception share it
};

/// Input that cannot be used: a bad file, a code nobody has, figures that contradict each other.
class INCHTIDE_API InputError : public Error {
 public:
  using Error::Error;
  ~InputError() override;
};

/// One of the limits of a conflict.
struct INCHTIDE_API ConflictingLimit {
  std::string name, text;
  std::optional<double> lower, upper;  ///< its figures, in its own unit; none where it has no such end
};

/// Limits that cannot all hold: a set that cannot hold together, and of which none can be dropped without the rest
/// becoming possible. The problem says by which figures they miss each other.
class INCHTIDE_API InfeasibleLimits : public InputError {
 public:
  InfeasibleLimits(std::string problem, std::vector<ConflictingLimit> limits,
                   Remedy remedy = {Means::limits, "Loosen or drop one of them"});
  ~InfeasibleLimits() override;

  [[nodiscard]] const std::vector<ConflictingLimit>& limits() const { return *limits_; }
  [[nodiscard]] std::vector<std::string> names() const;

 private:
  std::shared_ptr<const std::vector<ConflictingLimit>> limits_;
};

/// An answer whose certificate does not hold to the stated tolerance; it is withheld.
class INCHTIDE_API UncertifiedAnswer : public Error {
 public:
  using Error::Error;
  ~UncertifiedAnswer() override;
};

/// Something outside failed: the disk, the network, a program that is not installed.
class INCHTIDE_API OutsideFailure : public Error {
 public:
  using Error::Error;
  ~OutsideFailure() override;
};

/// The work was stopped on request; what was complete is kept.
class INCHTIDE_API Interrupted : public Error {
 public:
  using Error::Error;
  ~Interrupted() override;
};

}  // namespace inchtide
