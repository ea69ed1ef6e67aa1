#pragma once
/// A problem whose answer could not be certified, whole: `trace_frontier(problem.estimate, problem.bounds)`, and
/// `at_lambda` where there is one, fail in the same way again.
///
/// @code
/// #include <cassert>
/// inchtide::Estimate estimate;  // returns so far apart that their difference is no number
/// estimate.assets = {"HOLLBOND", "HOLLBANK"};
/// estimate.expected_return = Eigen::Vector2d(1.7e308, -1.7e308);
/// estimate.covariance = inchtide::Covariance::dense(Eigen::Vector2d(0.0025, 0.04).asDiagonal());
/// try {
///   (void)inchtide::trace_frontier(estimate, inchtide::Bounds::long_only(2));
///   assert(false);
/// } catch (const inchtide::UnsolvedProblem& unsolved) {
///   assert(unsolved.problem().estimate.assets == estimate.assets);
/// }
/// @endcode

#include <memory>
#include <optional>
#include <string>

#include "inchtide/base/api.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/frontier/frontier.hpp"

namespace inchtide {

struct INCHTIDE_API Problem {
  Estimate estimate;
  Bounds bounds;
  std::optional<double> lambda{};  ///< at which the answer failed; none where the frontier as a whole did
};

/// Thrown where a frontier or a portfolio on it misses its certificate.
class INCHTIDE_API UnsolvedProblem : public UncertifiedAnswer {
 public:
  UnsolvedProblem(const std::string& what, Problem problem)
      : UncertifiedAnswer(what), problem_(std::make_shared<const Problem>(std::move(problem))) {}

  [[nodiscard]] const Problem& problem() const { return *problem_; }

 private:
  std::shared_ptr<const Problem> problem_;  // copies of an exception share it
};

}  // namespace inchtide
