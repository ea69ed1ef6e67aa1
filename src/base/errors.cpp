#include "inchtide/base/errors.hpp"

namespace inchtide {

Error::Error(Notice notice)
    : std::runtime_error(notice.text()), notice_(std::make_shared<const Notice>(std::move(notice))) {}
Error::Error(Where where, std::string problem, std::vector<Remedy> remedies)
    : Error(Notice(std::move(where), std::move(problem), std::move(remedies))) {}
Error::Error(Where where, std::string problem, Remedy remedy)
    : Error(Notice(std::move(where), std::move(problem), {std::move(remedy)})) {}

InfeasibleLimits::InfeasibleLimits(std::string problem, std::vector<ConflictingLimit> limits, Remedy remedy)
    : InputError(Notice({}, std::move(problem), {std::move(remedy)})),
      limits_(std::make_shared<const std::vector<ConflictingLimit>>(std::move(limits))) {}

std::vector<std::string> InfeasibleLimits::names() const {
  std::vector<std::string> names;
  for (const auto& limit : *limits_) names.push_back(limit.name);
  return names;
}

// Out of line: programs on both sides of a shared library then catch the same types.
Error::~Error() = default;
InputError::~InputError() = default;
InfeasibleLimits::~InfeasibleLimits() = default;
UncertifiedAnswer::~UncertifiedAnswer() = default;
OutsideFailure::~OutsideFailure() = default;
Interrupted::~Interrupted() = default;

}  // namespace inchtide
