#include "inchtide/base/quantile.hpp"

#include <algorithm>
#include <cstddef>

namespace inchtide {

double quantile(std::vector<double>& values, double at) {
  const double place = at * double(values.size() - 1);
  const auto below = std::size_t(place);
  std::ranges::nth_element(values, values.begin() + std::ptrdiff_t(below));
  const double low = values[below];
  if (below + 1 == values.size()) return low;
  const double high = *std::min_element(values.begin() + std::ptrdiff_t(below) + 1, values.end());
  return low + (place - double(below)) * (high - low);
}

}  // namespace inchtide
