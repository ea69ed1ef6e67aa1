#include "inchtide/relations/stability.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "base/numbers.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/range.hpp"
#include "inchtide/returns/figures.hpp"
#include "returns/spans.hpp"

namespace inchtide {
namespace {

/// Correlation of two lists of the same length; NaN when one is constant.
double correlation_between(const Eigen::Ref<const Eigen::VectorXd>& a, const Eigen::Ref<const Eigen::VectorXd>& b) {
  const Eigen::ArrayXd x = a.array() - a.mean(), y = b.array() - b.mean();
  if (!(x.abs().maxCoeff() > no_return) || !(y.abs().maxCoeff() > no_return)) return no_figure;
  return std::clamp((x * y).sum() / std::sqrt(x.square().sum() * y.square().sum()), -1.0, 1.0);
}

Eigen::VectorXd ranks_of(const Eigen::VectorXd& values) {
  std::vector<Eigen::Index> order(static_cast<std::size_t>(values.size()));
  std::iota(order.begin(), order.end(), Eigen::Index(0));
  std::ranges::sort(order, {}, [&](Eigen::Index i) { return values[i]; });
  Eigen::VectorXd ranks(values.size());
  for (std::size_t begin = 0; begin < order.size();) {
    auto end = begin;
    while (end < order.size() && values[order[end]] == values[order[begin]]) ++end;
    for (auto k = begin; k < end; ++k) ranks[order[k]] = double(begin + end - 1) / 2;
    begin = end;
  }
  return ranks;
}

ReturnTable part_of(const ReturnTable& returns, std::size_t begin, std::size_t end) {
  ReturnTable part;
  part.days.assign(returns.days.begin() + std::ptrdiff_t(begin), returns.days.begin() + std::ptrdiff_t(end));
  part.start = begin == 0 ? returns.start : returns.days[begin - 1];
  part.assets = returns.assets;
  part.every = returns.every;
  part.periods_per_year = returns.periods_per_year;
  part.kind = returns.kind;
  const auto first = Eigen::Index(begin), count = Eigen::Index(end - begin);
  part.returns = returns.returns.middleRows(first, count);
  part.spans = returns.spans.middleRows(first, count);
  const long before = begin == 0 ? 0 : returns.end(begin - 1);
  for (auto row = begin; row < end; ++row) part.ends.push_back(returns.end(row) - before);
  return part;
}

/// What one part says: means and volatilities per year, correlations of all pairs.
struct Said {
  Eigen::VectorXd means, volatilities;
  Correlation correlation;

  Said(const ReturnTable& part, Denominator denominator) : correlation(correlation_of(part)) {
    const auto rows = part.common_rows();
    const double p = part.periods_per_year;
    const Spans spans(part, rows);
    means.resize(part.returns.cols());
    volatilities.resize(part.returns.cols());
    for (Eigen::Index i = 0; i < part.returns.cols(); ++i) {
      const auto moments = moments_of(spans.as_single(part.returns.col(i)(rows)));
      means[i] = p * moments.mean;
      const double to_divisor = spans.degrees() / spans.divisor(denominator);
      volatilities[i] = std::sqrt(p * moments.variance(Denominator::sample) * to_divisor);
    }
  }

  double mean_correlation(Eigen::Index i) const {
    double sum = 0;
    int pairs = 0;
    for (Eigen::Index j = 0; j < correlation.matrix.cols(); ++j) {
      if (j == i || std::isnan(correlation.matrix(j, i))) continue;
      sum += correlation.matrix(j, i);
      ++pairs;
    }
    return pairs > 0 ? sum / pairs : no_figure;
  }
};

Stability compare(const ReturnTable& returns, std::size_t split, Denominator denominator) {
  const auto first = part_of(returns, 0, split), second = part_of(returns, split, returns.days.size());
  constexpr std::size_t least = 3;
  const auto count_before = first.common_rows().size(), count_after = second.common_rows().size();
  if (count_before < least || count_after < least) {
    throw InputError("stability",
                     fmt::format("{} returns before and {} after are too few to compare", count_before, count_after),
                     {{Means::prices, fmt::format("Give at least {} each: a longer history", least)},
                      {Means::interval, "a shorter interval"}});
  }
  const Said before(first, denominator), after(second, denominator);
  Stability result;
  result.before = count_before;
  result.after = count_after;
  result.before_from = *before.correlation.from;
  result.before_to = *before.correlation.to;
  result.after_from = *after.correlation.from;
  result.after_to = *after.correlation.to;
  const auto n = returns.returns.cols();
  for (Eigen::Index i = 0; i < n; ++i) {
    result.assets.push_back({returns.assets[std::size_t(i)], before.means[i], after.means[i], before.volatilities[i],
                             after.volatilities[i], before.mean_correlation(i), after.mean_correlation(i)});
  }
  std::vector<double> x, y, own_x, own_y;
  for (Eigen::Index j = 0; j < n; ++j) {
    for (Eigen::Index i = j + 1; i < n; ++i) {
      const double a = before.correlation.matrix(i, j), b = after.correlation.matrix(i, j);
      if (std::isnan(a) || std::isnan(b)) continue;
      x.push_back(a);
      y.push_back(b);
    }
  }
  for (const auto& asset : result.assets) {
    if (std::isnan(asset.correlation_before) || std::isnan(asset.correlation_after)) continue;
    own_x.push_back(asset.correlation_before);
    own_y.push_back(asset.correlation_after);
  }
  const auto as_vector = [](const std::vector<double>& v) {
    return Eigen::VectorXd(Eigen::Map<const Eigen::VectorXd>(v.data(), Eigen::Index(v.size())));
  };
  const auto was = as_vector(x), became = as_vector(y);
  result.mean_ranks = rank_correlation(before.means, after.means);
  result.volatility_ranks = rank_correlation(before.volatilities, after.volatilities);
  result.correlation_ranks = rank_correlation(as_vector(own_x), as_vector(own_y));
  result.pair_ranks = rank_correlation(was, became);
  const bool some = was.size() > 0;
  result.average_before = some ? was.mean() : no_figure;
  result.average_after = some ? became.mean() : no_figure;
  result.pair_error = some ? std::sqrt((became - was).squaredNorm() / double(was.size())) : no_figure;
  result.average_error = some ? std::sqrt((became.array() - result.average_before).square().mean()) : no_figure;
  return result;
}

}  // namespace

double rank_correlation(const Eigen::VectorXd& a, const Eigen::VectorXd& b) {
  check_per_asset(b, a.size(), "ranks");
  check_per_asset(a, b.size(), "ranks");
  if (a.size() < 2) return no_figure;
  return correlation_between(ranks_of(a), ranks_of(b));
}

Stability stability_of(const ReturnTable& given, Day split, Denominator denominator) {
  given.check();
  const auto returns = given.at_common_ends();
  const auto at = std::ranges::lower_bound(returns.days, split);
  return compare(returns, std::size_t(at - returns.days.begin()), denominator);
}

Stability stability_of(const ReturnTable& given, Denominator denominator) {
  given.check();
  const auto returns = given.at_common_ends();
  return compare(returns, returns.days.size() / 2, denominator);
}

RollingCorrelation rolling_correlation(const ReturnTable& returns, Eigen::Index a, Eigen::Index b, std::size_t window) {
  returns.check(a);
  returns.check(b);
  RollingCorrelation result{returns.assets[std::size_t(a)], returns.assets[std::size_t(b)], window, {}, {}, {}, {}};
  const auto pair = returns.columns({a, b}).at_common_ends();
  const auto rows = pair.observations();
  const auto where = fmt::format("rolling correlation of {} and {}", result.a, result.b);
  if (window < 4) throw InputError(where, fmt::format("a window of {} periods", window), "Give at least 4");
  const auto most = rows == 0 ? 0 : std::size_t(pair.end(rows - 1));
  if (window > most) {
    throw InputError(where, fmt::format("a window of {} periods is longer than the {} there are", window, most),
                     "Give a shorter window or a longer history");
  }
  // A window holds the returns that begin and end in it.
  std::size_t begin = 0;
  for (std::size_t last = 0; last < rows; ++last) {
    if (pair.end(last) < long(window)) continue;
    while (pair.end(begin) - pair.spans(Eigen::Index(begin), 0) < pair.end(last) - long(window)) ++begin;
    std::vector<std::size_t> held(last + 1 - begin);
    std::iota(held.begin(), held.end(), begin);
    if (held.size() < 3) continue;
    const Eigen::MatrixXd both = Spans(pair, held).as_single(pair.returns(held, Eigen::all));
    const double r = correlation_between(both.col(0), both.col(1));
    const auto interval = fisher_interval(r, held.size());
    result.days.push_back(pair.days[last]);
    result.values.push_back(r);
    result.low.push_back(std::isnan(r) ? no_figure : interval.low);
    result.high.push_back(std::isnan(r) ? no_figure : interval.high);
  }
  return result;
}

}  // namespace inchtide
