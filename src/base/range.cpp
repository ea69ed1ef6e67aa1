#include "inchtide/base/range.hpp"

#include <fmt/format.h>

#include "inchtide/base/errors.hpp"

namespace inchtide {

double within(double value, double least, double most, const std::string& where) {
  if (value >= least && value <= most) return value;
  throw InputError(where, fmt::format("{} is not between {} and {}", value, least, most), "Give a number between them");
}

int whole_within(std::int64_t value, int least, int most, const std::string& where) {
  if (value >= least && value <= most) return int(value);
  throw InputError(where, fmt::format("{} is not between {} and {}", value, least, most),
                   "Give a whole number between them");
}

}  // namespace inchtide
