#include "inchtide/returns/figures.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/numbers.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/range.hpp"
#include "returns/drawdown.hpp"
#include "returns/spans.hpp"

namespace inchtide {
namespace {

std::vector<std::size_t> rows_with_returns(const ReturnTable& table, Eigen::Index asset) {
  std::vector<std::size_t> rows;
  for (Eigen::Index t = 0; t < table.spans.rows(); ++t) {
    if (table.spans(t, asset) > 0) rows.push_back(std::size_t(t));
  }
  return rows;
}

/// The mean of the worst `tail` of all returns; where that isn't a whole number of them, the last counts in part.
double shortfall(Eigen::VectorXd r, double tail) {
  std::ranges::sort(r);
  const double wanted = tail * double(r.size());
  const auto whole = std::min(Eigen::Index(wanted), r.size());
  double sum = r.head(whole).sum();
  if (whole < r.size()) sum += (wanted - double(whole)) * r[whole];
  return sum / wanted;
}

}  // namespace

SeriesMoments moments_of(const Eigen::Ref<const Eigen::VectorXd>& series) {
  if (series.size() == 0 || !series.allFinite()) {
    throw InputError("series", fmt::format("{} figures, not all finite", series.size()),
                     "Give at least one, and no NaN");
  }
  SeriesMoments moments;
  moments.count = std::size_t(series.size());
  const double rough = series.mean();
  Eigen::ArrayXd apart = series.array() - rough;
  const double rounding = apart.mean();
  apart -= rounding;
  moments.mean = rough + rounding;
  moments.second = apart.square().sum();
  moments.third = apart.cube().sum();
  moments.fourth = apart.square().square().sum();
  const auto last = apart.size() - 1;
  moments.lagged = (apart.head(last) * apart.tail(last)).sum();
  return moments;
}

double SeriesMoments::skewness() const {
  const double t = double(count);
  return second > 0 ? third / t / std::pow(second / t, 1.5) : 0;
}

double SeriesMoments::excess_kurtosis() const {
  return second > 0 ? double(count) * fourth / (second * second) - 3 : 0;
}

double SeriesMoments::autocorrelation() const {
  return second > 0 ? lagged / second : 0;
}

Drawdown deepest_drawdown(const Eigen::Ref<const Eigen::VectorXd>& values) {
  Drawdown deepest;
  DeepestFall fall;
  for (Eigen::Index i = 0; i < values.size(); ++i) {
    if (fall.add(values[i])) deepest.trough = std::size_t(i);
  }
  deepest.depth = fall.depth();
  if (deepest.depth < 0) {
    const auto begin = values.data(), end = begin + deepest.trough;
    deepest.peak = std::size_t(std::find(begin, end, fall.from()) - begin);
  }
  return deepest;
}

Growth growth_of(const ReturnTable& table, Eigen::Index asset) {
  table.check(asset);
  Growth growth{{table.start}, {1}};
  for (Eigen::Index t = 0; t < table.returns.rows(); ++t) {
    const auto day = table.days[std::size_t(t)];
    if (table.spans(t, asset) == 0) {
      if (growth.values.size() == 1) growth.days[0] = day;  // not listed yet
      continue;
    }
    const double r = table.returns(t, asset);
    growth.values.push_back(growth.values.back() * (table.kind == ReturnKind::simple ? 1 + r : std::exp(r)));
    growth.days.push_back(day);
  }
  return growth;
}

Eigen::VectorXd single_period_returns(const ReturnTable& table, Eigen::Index asset) {
  table.check(asset);
  auto rows = rows_with_returns(table, asset);
  std::erase_if(rows, [&](std::size_t row) { return table.spans(Eigen::Index(row), asset) != 1; });
  return table.returns.col(asset)(rows);
}

AssetFigures figures_of(const ReturnTable& table, Eigen::Index asset, const FigureOptions& options) {
  table.check(asset);
  const auto rows = rows_with_returns(table, asset);
  const Eigen::VectorXd r = table.returns.col(asset)(rows);
  const auto& code = table.assets[std::size_t(asset)];
  if (r.size() < 2) {
    throw InputError(Where::of_asset(code), fmt::format("{} return is too few for a variance", r.size()),
                     {{Means::prices, "Give a longer history"}, {Means::interval, "take a shorter interval"}});
  }
  if (!(options.tail > 0 && options.tail <= 1)) {
    throw InputError("expected shortfall", fmt::format("a tail of {}", options.tail), "Give more than 0% up to 100%");
  }
  finite(options.target, "target of the downside deviation");
  const double p = table.periods_per_year;
  const Spans spans(table, rows, asset);
  const auto moments = moments_of(spans.as_single(r));

  AssetFigures figures;
  figures.asset = code;
  figures.observations = rows.size();
  figures.long_returns = std::size_t((table.spans.col(asset).array() > 1).count());
  figures.kind = table.kind;
  figures.denominator = options.denominator;
  figures.tail = options.tail;
  figures.mean_arithmetic = p * moments.mean;
  figures.mean_geometric =
      std::expm1(table.kind == ReturnKind::simple ? r.array().log1p().sum() * p / spans.total : p * moments.mean);
  const double variance = moments.variance(Denominator::sample);
  figures.variance = p * variance * (spans.degrees() / spans.divisor(options.denominator));
  figures.volatility = std::sqrt(figures.variance);
  figures.standard_error = p * std::sqrt(variance / spans.total);
  if (figures.mean_arithmetic > 0) figures.coefficient_of_variation = figures.volatility / figures.mean_arithmetic;
  const Eigen::ArrayXd below = (r - options.target * spans.k).array().cwiseMin(0);
  figures.downside_deviation = std::sqrt(p * below.square().sum() / spans.total);
  figures.expected_shortfall = shortfall(r, options.tail);
  Eigen::Index worst = 0, best = 0;
  figures.worst = r.minCoeff(&worst);
  figures.best = r.maxCoeff(&best);
  figures.worst_day = table.days[rows[std::size_t(worst)]];
  figures.best_day = table.days[rows[std::size_t(best)]];
  // Returns that differ by the rounding of prices alone don't move.
  figures.moves = figures.best - figures.worst > no_return;
  if (figures.moves) {
    // Each by the deviation that goes with its span.
    const Eigen::VectorXd around = (r - moments.mean * spans.k).cwiseQuotient(spans.k.cwiseSqrt());
    const auto shape = spans.single ? moments : moments_of(around);
    figures.skewness = shape.skewness();
    figures.excess_kurtosis = shape.excess_kurtosis();
    figures.autocorrelation = shape.autocorrelation();
  }

  // A fall is a fall whatever it spans: the drawdown follows every return.
  const auto growth = growth_of(table, asset);
  const auto drawdown =
      deepest_drawdown(Eigen::Map<const Eigen::VectorXd>(growth.values.data(), Eigen::Index(growth.values.size())));
  figures.max_drawdown = drawdown.depth;
  figures.max_drawdown_from = growth.days[drawdown.peak];
  figures.max_drawdown_to = growth.days[drawdown.trough];
  return figures;
}

std::vector<AssetFigures> figures_of(const ReturnTable& table, const FigureOptions& options) {
  std::vector<AssetFigures> all;
  for (Eigen::Index i = 0; i < table.returns.cols(); ++i) all.push_back(figures_of(table, i, options));
  return all;
}

}  // namespace inchtide
