#include "inchtide/returns/histogram.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/quantile.hpp"
#include "inchtide/returns/figures.hpp"

namespace inchtide {
namespace {

constexpr int most_by_rule = 500, most_by_choice = 10000;

double below_normal(double z) {
  return 0.5 * std::erfc(-z / std::numbers::sqrt2);
}

int bins_by_rule(const Eigen::VectorXd& sorted, double deviation) {
  const double range = sorted[sorted.size() - 1] - sorted[0];
  std::vector<double> values(sorted.begin(), sorted.end());
  const double iqr = quantile(values, 0.75) - quantile(values, 0.25);
  const double width = (iqr > 0 ? 2 * iqr : 3.49 * deviation) / std::cbrt(double(sorted.size()));
  return width > 0 ? std::clamp(int(std::ceil(std::min(range / width, 1e6))), 1, most_by_rule) : 1;
}

}  // namespace

double Histogram::normal_count(std::size_t bin) const {
  double total = 0;
  for (auto count : counts) total += double(count);
  if (!(deviation > 0)) return 0;
  return total * (below_normal((edges[bin + 1] - mean) / deviation) - below_normal((edges[bin] - mean) / deviation));
}

double Histogram::normal_height(double x) const {
  double total = 0;
  for (auto count : counts) total += double(count);
  if (!(deviation > 0)) return 0;
  const double z = (x - mean) / deviation;
  return total * width() * std::exp(-z * z / 2) / (deviation * std::sqrt(2 * std::numbers::pi));
}

Histogram histogram_of(const Eigen::VectorXd& values, int bins) {
  if (values.size() < 2) {
    throw InputError("histogram", fmt::format("{} return is too few", values.size()), "Give a longer history");
  }
  if (bins < 0 || bins > most_by_choice) {
    throw InputError("histogram", fmt::format("{} bins", bins), fmt::format("Give 1 to {}", most_by_choice));
  }
  Eigen::VectorXd sorted = values;
  std::ranges::sort(sorted);
  const auto moments = moments_of(values);
  Histogram histogram;
  histogram.mean = moments.mean;
  histogram.deviation = std::sqrt(moments.variance(Denominator::sample));
  double least = sorted[0], most = sorted[sorted.size() - 1];
  if (!(most > least)) {  // a constant series: one bin around it
    const double room = std::max(std::abs(least) * 1e-3, 1e-6);
    least -= room, most += room;
  }
  if (bins == 0) bins = bins_by_rule(sorted, histogram.deviation);
  for (int k = 0; k <= bins; ++k) histogram.edges.push_back(least + (most - least) * k / bins);
  histogram.edges.back() = most;
  histogram.counts.assign(std::size_t(bins), 0);
  for (double value : sorted) {
    const auto above = std::upper_bound(histogram.edges.begin(), histogram.edges.end(), value);
    const auto bin = std::clamp<std::ptrdiff_t>(above - histogram.edges.begin() - 1, 0, bins - 1);
    ++histogram.counts[std::size_t(bin)];
  }
  return histogram;
}

}  // namespace inchtide
