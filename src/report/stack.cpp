#include "stack.hpp"

#include "inchtide/frontier/portfolio.hpp"

namespace inchtide::report {

void Stack::lay(Chart& chart, const std::string& asset, const Eigen::VectorXd& weights) {
  if (held_count(weights) == 0) return;
  const auto round = used_ / colour::series.size();
  bool named = false;
  for (const double sign : {1.0, -1.0}) {
    const Eigen::VectorXd part = (sign * weights).cwiseMax(0);
    if (held_count(part) == 0) continue;
    auto& base = sign > 0 ? above_ : below_;
    Band band{.name = named ? "" : asset, .x = x_, .low = base, .high = {}};
    band.colour = colour::of_series(used_);
    band.hatched = round % 3 == 1;
    band.opacity = round % 3 == 2 ? 0.4 : 0.85;
    for (std::size_t k = 0; k < base.size(); ++k) base[k] += sign * part[Eigen::Index(k)];
    band.high = base;
    chart.series.emplace_back(std::move(band));
    named = true;
  }
  ++used_;
}

}  // namespace inchtide::report
