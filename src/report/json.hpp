#pragma once
// Values as JSON, where several chapters have them.

#include <cmath>
#include <optional>
#include <string>
#include <vector>

#include "inchtide/base/eigen.hpp"
#include "inchtide/estimate/estimate.hpp"
#include "inchtide/frontier/portfolio.hpp"
#include "inchtide/frontier/unsolved.hpp"
#include "inchtide/report/chapter.hpp"

namespace inchtide::report {

/// null where there is none.
template <typename Value>
Json or_null(const std::optional<Value>& value) {
  return value ? Json(*value) : Json();
}

inline Json or_null(const std::optional<Day>& day) {
  return day ? Json(to_string(*day)) : Json();
}

/// null where it is not finite.
inline Json finite_or_null(double value) {
  return std::isfinite(value) ? Json(value) : Json();
}

inline Json list_of(const Eigen::VectorXd& values) {
  return Json(std::vector<double>(values.begin(), values.end()));
}

/// Days as a list.
inline Json days_json(const std::vector<Day>& days) {
  auto list = Json::array();
  for (Day day : days) list.push_back(to_string(day));
  return list;
}

/// A list of rows; figures that are not finite null.
Json rows_of(const Eigen::MatrixXd& matrix);

/// {asset: weight}, weights of exactly 0 left out.
Json weights_json(const std::vector<std::string>& assets, const Eigen::VectorXd& weights);

Json certificate_json(const Certificate& certificate);

/// The fields that an estimate file holds.
Json estimate_json(const Estimate& estimate);

/// What limits leave to the weights: `limits` {name, rule}, and by asset `lower`, `upper` (null where there is none)
/// with the limits that set them, by number; `rows`; ceilings.
Json bounds_json(const Bounds& bounds);

/// A problem whose answer could not be certified: the fields that an estimate file holds, `bounds` (ends that are
/// infinite null) and `lambda` (null for a whole frontier).
Json unsolved_json(const Problem& problem);

}  // namespace inchtide::report
