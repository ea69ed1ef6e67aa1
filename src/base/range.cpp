#include "inchtide/base/range.hpp"

#include <fmt/format.h>

#include <cmath>

#include "inchtide/base/errors.hpp"

namespace inchtide {

double within(double value, double least, double most, const Where& where) {
  if (value >= least && value <= most) return value;
  throw InputError(where, fmt::format("{} is not between {} and {}", value, least, most), "Give a number between them");
}

void check_per_asset(const Eigen::VectorXd& figures, Eigen::Index assets, const Where& where) {
  if (figures.size() != assets) {
    throw InputError(where, fmt::format("{} for {} assets", figures.size(), assets), "Give one an asset");
  }
  if (!figures.allFinite()) throw InputError(where, "one is not a finite number", "Give figures");
}

double finite(double value, const Where& where) {
  if (std::isfinite(value)) return value;
  throw InputError(where, fmt::format("{} is not a finite number", value), "Give a figure");
}

int whole_within(std::int64_t value, int least, int most, const Where& where) {
  if (value >= least && value <= most) return int(value);
  throw InputError(where, fmt::format("{} is not between {} and {}", value, least, most),
                   "Give a whole number between them");
}

}  // namespace inchtide
