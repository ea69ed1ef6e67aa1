#include "inchtide/returns/figures.hpp"

#include <fmt/format.h>

#include <cmath>

#include "inchtide/base/errors.hpp"

namespace inchtide {
namespace {

struct Moments {
  double mean = 0, second = 0, third = 0, fourth = 0;  // central sums, not divided by T
};

/// Two passes with the rounding of the mean corrected (Chan, Golub & LeVeque 1983, The American Statistician 37(3)).
Moments moments_of(const Eigen::VectorXd& r) {
  Moments moments;
  moments.mean = r.mean();
  moments.mean += (r.array() - moments.mean).mean();
  const Eigen::ArrayXd d = r.array() - moments.mean;
  const double correction = d.sum();
  moments.second = d.square().sum() - correction * correction / double(r.size());
  moments.third = d.cube().sum();
  moments.fourth = d.square().square().sum();
  return moments;
}

std::vector<std::size_t> rows_of_one_period(const ReturnTable& table, Eigen::Index asset) {
  std::vector<std::size_t> rows;
  for (Eigen::Index t = 0; t < table.spans.rows(); ++t) {
    if (table.spans(t, asset) == 1) rows.push_back(std::size_t(t));
  }
  return rows;
}

}  // namespace

Drawdown deepest_drawdown(const Eigen::Ref<const Eigen::VectorXd>& values) {
  Drawdown deepest;
  Eigen::Index peak = 0;
  for (Eigen::Index i = 0; i < values.size(); ++i) {
    if (values[i] > values[peak]) peak = i;
    const double fall = values[i] / values[peak] - 1;
    if (fall < deepest.depth) deepest = {fall, std::size_t(peak), std::size_t(i)};
  }
  return deepest;
}

AssetFigures figures_of(const ReturnTable& table, Eigen::Index asset) {
  const auto rows = rows_of_one_period(table, asset);
  Eigen::VectorXd r(Eigen::Index(rows.size()));
  for (std::size_t t = 0; t < rows.size(); ++t) r[Eigen::Index(t)] = table.returns(Eigen::Index(rows[t]), asset);
  const auto& code = table.assets[std::size_t(asset)];
  if (r.size() < 2) {
    throw InputError(code, fmt::format("{} return is too few for a variance", r.size()),
                     "Give a longer history or a shorter interval (--every)");
  }
  const double count = double(r.size()), p = table.periods_per_year;
  const auto moments = moments_of(r);
  const double sample_variance = moments.second / (count - 1);

  AssetFigures figures;
  figures.asset = code;
  figures.observations = rows.size();
  figures.long_returns = std::size_t((table.spans.col(asset).array() > 1).count());
  figures.mean_arithmetic = p * moments.mean;
  figures.mean_geometric = std::expm1(r.array().log1p().sum() * p / count);
  figures.variance = p * sample_variance;
  figures.volatility = std::sqrt(figures.variance);
  figures.standard_error = p * std::sqrt(sample_variance / count);
  const double second = moments.second / count;
  if (second > 0) {
    figures.skewness = moments.third / count / std::pow(second, 1.5);
    figures.excess_kurtosis = moments.fourth / count / (second * second) - 3;
  }
  Eigen::Index worst = 0, best = 0;
  figures.worst = r.minCoeff(&worst);
  figures.best = r.maxCoeff(&best);
  figures.worst_day = table.days[rows[std::size_t(worst)]];
  figures.best_day = table.days[rows[std::size_t(best)]];

  // A fall is a fall whatever it spans: the drawdown follows every return.
  std::vector<double> growth{1};
  std::vector<Day> days{table.start};
  for (Eigen::Index t = 0; t < table.returns.rows(); ++t) {
    const auto day = table.days[std::size_t(t)];
    if (table.spans(t, asset) == 0) {
      if (growth.size() == 1) days[0] = day;  // not listed yet
      continue;
    }
    growth.push_back(growth.back() * (1 + table.returns(t, asset)));
    days.push_back(day);
  }
  const auto drawdown = deepest_drawdown(Eigen::Map<const Eigen::VectorXd>(growth.data(), Eigen::Index(growth.size())));
  figures.max_drawdown = drawdown.depth;
  figures.max_drawdown_from = days[drawdown.peak];
  figures.max_drawdown_to = days[drawdown.trough];
  return figures;
}

std::vector<AssetFigures> figures_of(const ReturnTable& table) {
  std::vector<AssetFigures> all;
  for (Eigen::Index i = 0; i < table.returns.cols(); ++i) all.push_back(figures_of(table, i));
  return all;
}

}  // namespace inchtide
