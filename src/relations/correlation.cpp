#include "inchtide/relations/correlation.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>

#include "base/blas.hpp"
#include "base/numbers.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/range.hpp"
#include "inchtide/relations/repair.hpp"
#include "relations/tolerances.hpp"
#include "returns/spans.hpp"

namespace inchtide {
namespace {

void check_all_move(const Correlation& correlation) {
  if (correlation.motionless.empty()) return;
  throw InputError(Where::of_asset(correlation.motionless.front()), "it never moves, so it has no correlation",
                   {Means::assets, "Leave it out"});
}

}  // namespace

Correlation Correlation::in_order(const std::vector<std::size_t>& order) const {
  Correlation result = *this;
  for (std::size_t i = 0; i < order.size(); ++i) result.assets[i] = assets[order[i]];
  result.matrix = matrix(order, order);
  if (variances.size() > 0) result.variances = variances(order);
  if (population_parts.size() > 0) result.population_parts = population_parts(order);
  if (pair_observations.size() > 0) result.pair_observations = pair_observations(order, order);
  return result;
}

namespace {

/// Columns around their mean, of unit length; all NaN where one never moves. Returns their lengths before, 0 for such.
Eigen::VectorXd make_unit(Eigen::MatrixXd& x) {
  const double tiny = no_return * std::max(1.0, x.cwiseAbs().maxCoeff());
  Eigen::VectorXd lengths = Eigen::VectorXd::Zero(x.cols());
  for (Eigen::Index i = 0; i < x.cols(); ++i) {
    auto column = x.col(i);
    column.array() -= column.mean();
    column.array() -= column.mean();
    if (column.cwiseAbs().maxCoeff() > tiny) {
      lengths[i] = column.norm();
      column /= lengths[i];
    } else {
      column.setConstant(no_figure);
    }
  }
  return lengths;
}

}  // namespace

Eigen::MatrixXd Correlation::covariance(Denominator denominator) const {
  Eigen::VectorXd roots = variances.cwiseSqrt();
  for (Eigen::Index i = 0; i < roots.size(); ++i) {
    if (denominator == Denominator::population) roots[i] *= std::sqrt(population_parts[i]);
  }
  Eigen::MatrixXd result = roots.asDiagonal() * matrix * roots.asDiagonal();
  for (Eigen::Index i = 0; i < roots.size(); ++i) {
    if (variances[i] > 0) continue;
    result.row(i).setZero();
    result.col(i).setZero();
  }
  return result;
}

Correlation correlation_of(const ReturnTable& given) {
  given.check();
  const auto returns = given.at_common_ends();
  const auto rows = returns.common_rows();
  if (rows.size() < 2) {
    throw InputError("correlation", fmt::format("{} return common to all assets is too few", rows.size()),
                     {{Means::prices, "Give a longer history"},
                      {Means::interval, "take a shorter interval"},
                      {Means::assets, "look at fewer assets"}});
  }
  Correlation result;
  result.assets = returns.assets;
  result.observations = rows.size();
  result.from = returns.days[rows.front()];
  result.to = returns.days[rows.back()];
  const Spans spans(returns, rows);
  Eigen::MatrixXd x = spans.as_single(returns.returns(rows, Eigen::all));
  result.population_parts = Eigen::VectorXd::Constant(x.cols(), spans.degrees() / spans.total);
  result.variances = make_unit(x).cwiseAbs2() * (returns.periods_per_year / double(rows.size() - 1));
  for (Eigen::Index i = 0; i < x.cols(); ++i) {
    if (std::isnan(x(0, i))) result.motionless.push_back(returns.assets[std::size_t(i)]);
  }
  result.matrix = blas::gram(x, 1).cwiseMax(-1.0).cwiseMin(1.0);
  for (Eigen::Index i = 0; i < x.cols(); ++i) {
    if (std::isnan(x(0, i))) {
      result.matrix.row(i).setConstant(no_figure);
      result.matrix.col(i).setConstant(no_figure);
    }
    result.matrix(i, i) = 1;
  }
  return result;
}

namespace {

/// The part of a matrix that is known, repaired where it contradicts itself.
void repair(Correlation& correlation) {
  std::vector<Eigen::Index> known;
  for (Eigen::Index i = 0; i < correlation.matrix.cols(); ++i) {
    const auto& asset = correlation.assets[std::size_t(i)];
    if (std::ranges::find(correlation.motionless, asset) == correlation.motionless.end()) known.push_back(i);
  }
  if (known.empty()) return;
  const auto repaired = nearest_correlation(correlation.matrix(known, known));
  if (repaired.distance == 0) return;
  correlation.matrix(known, known) = repaired.matrix;
  const auto name = [&](Eigen::Index i) { return correlation.assets[std::size_t(known[std::size_t(i)])]; };
  correlation.repair = CorrelationRepair{repaired.least_eigenvalue, repaired.distance, repaired.largest_change,
                                         name(repaired.row), name(repaired.column)};
}

}  // namespace

Correlation pairwise_correlation(const ReturnTable& returns) {
  returns.check();
  const auto n = returns.returns.cols();
  Correlation result;
  result.assets = returns.assets;
  result.matrix = Eigen::MatrixXd::Identity(n, n);
  result.pair_observations = Eigen::MatrixXi::Zero(n, n);
  result.variances = result.population_parts = Eigen::VectorXd::Zero(n);
  result.observations = returns.observations();
  std::vector<bool> moves(std::size_t(n), n == 1);
  for (Eigen::Index j = 0; j < n; ++j) {
    for (Eigen::Index i = j; i < n; ++i) {
      const auto pair = returns.columns({i, j}).at_common_ends();
      const auto rows = pair.common_rows();
      const auto& a = result.assets[std::size_t(j)];
      const auto& b = result.assets[std::size_t(i)];
      if (rows.size() < 2) {
        throw InputError(fmt::format("correlation of {} and {}", a, b),
                         fmt::format("{} return in common is too few", rows.size()),
                         "Leave one of them out, or give longer histories");
      }
      result.pair_observations(i, j) = result.pair_observations(j, i) = int(rows.size());
      result.observations = std::min(result.observations, rows.size());
      if (i == j) {
        const auto first = pair.days[rows.front()], last = pair.days[rows.back()];
        result.from = result.from ? std::min(*result.from, first) : first;
        result.to = result.to ? std::max(*result.to, last) : last;
        const Spans spans(pair, rows);
        Eigen::MatrixXd x = spans.as_single(pair.returns(rows, std::vector<Eigen::Index>{0}));
        result.population_parts[i] = spans.degrees() / spans.total;
        result.variances[i] = returns.periods_per_year * make_unit(x).squaredNorm() / double(rows.size() - 1);
        moves[std::size_t(i)] = !std::isnan(x(0, 0));
        if (!moves[std::size_t(i)]) result.motionless.push_back(a);
        continue;
      }
      Eigen::MatrixXd x = Spans(pair, rows).as_single(pair.returns(rows, Eigen::all));
      make_unit(x);
      const double r = std::clamp(x.col(0).dot(x.col(1)), -1.0, 1.0);
      result.matrix(i, j) = result.matrix(j, i) = r;
    }
  }
  for (Eigen::Index j = 0; j < n; ++j) {
    for (Eigen::Index i = j + 1; i < n; ++i) {
      if (!std::isnan(result.matrix(i, j))) continue;
      const auto& a = result.assets[std::size_t(j)];
      const auto& b = result.assets[std::size_t(i)];
      const bool known = moves[std::size_t(i)] && moves[std::size_t(j)];
      if (known) {
        throw InputError(fmt::format("correlation of {} and {}", a, b),
                         "one of them never moves over the periods that they have in common",
                         "Leave one of them out, or give longer histories");
      }
    }
  }
  for (Eigen::Index i = 0; i < n; ++i) {
    if (moves[std::size_t(i)]) continue;
    result.matrix.row(i).setConstant(no_figure);
    result.matrix.col(i).setConstant(no_figure);
    result.matrix(i, i) = 1;
  }
  repair(result);
  return result;
}

Eigen::VectorXd correlations_with(const ReturnTable& returns, const Eigen::VectorXd& benchmark) {
  returns.check();
  check_benchmark(returns, benchmark);
  const auto rows = rows_beside(returns, benchmark);
  if (rows.size() < 2) {
    throw InputError("correlation", fmt::format("{} return beside the benchmark is too few", rows.size()),
                     {{Means::prices, "Give a longer history"}, {Means::interval, "take a shorter interval"}});
  }
  const Spans spans(returns, rows);
  Eigen::MatrixXd x = spans.as_single(returns.returns(rows, Eigen::all)), market = spans.as_single(benchmark(rows));
  make_unit(x);
  make_unit(market);
  Eigen::VectorXd result = x.transpose() * market.col(0);
  for (double& r : result) r = std::clamp(r, -1.0, 1.0);  // NaN stays NaN
  return result;
}

Interval95 fisher_interval(double correlation, std::size_t observations) {
  if (observations <= 3 || std::isnan(correlation)) return {};
  within(correlation, -1 - correlation_slack, 1 + correlation_slack, "correlation");
  if (std::abs(correlation) >= 1) return {correlation, correlation};
  constexpr double normal_95 = 1.959963984540054;
  const double z = std::atanh(correlation), half = normal_95 / std::sqrt(double(observations) - 3);
  return {std::tanh(z - half), std::tanh(z + half)};
}

std::vector<PairAverage> average_correlations(const Correlation& correlation, const Tags& tags,
                                              const std::string& column) {
  struct Sum {
    double sum = 0;
    std::size_t pairs = 0;
    void add(double value) { sum += value, ++pairs; }
    PairAverage named(const std::string& of) const { return {of, sum / double(pairs), pairs}; }
  };
  Sum all, within, across;
  std::map<std::string, Sum> by_value;
  const auto n = correlation.assets.size();
  for (std::size_t j = 0; j < n; ++j) {
    const auto b = tags.value(correlation.assets[j], column);
    for (std::size_t i = j + 1; i < n; ++i) {
      const double r = correlation.matrix(Eigen::Index(i), Eigen::Index(j));
      if (std::isnan(r)) continue;
      all.add(r);
      const auto a = tags.value(correlation.assets[i], column);
      if (!a || !b) continue;
      if (same_name(*a, *b)) {
        within.add(r);
        by_value[*b].add(r);
      } else {
        across.add(r);
      }
    }
  }
  std::vector<PairAverage> result;
  if (all.pairs > 0) result.push_back(all.named("all pairs"));
  if (within.pairs > 0) result.push_back(within.named(fmt::format("within the same {}", column)));
  if (across.pairs > 0) result.push_back(across.named(fmt::format("across {}s", column)));
  for (const auto& [value, sum] : by_value) result.push_back(sum.named(fmt::format("within {} {}", column, value)));
  return result;
}

double average_correlation(const Correlation& correlation, bool absolute) {
  double sum = 0;
  std::size_t pairs = 0;
  for (Eigen::Index j = 0; j < correlation.matrix.cols(); ++j) {
    for (Eigen::Index i = j + 1; i < correlation.matrix.rows(); ++i) {
      const double r = correlation.matrix(i, j);
      if (std::isnan(r)) continue;
      sum += absolute ? std::abs(r) : r;
      ++pairs;
    }
  }
  return pairs > 0 ? sum / double(pairs) : 0;
}

std::vector<Pair> pairs_of(const Correlation& correlation) {
  std::vector<Pair> pairs;
  for (Eigen::Index j = 0; j < correlation.matrix.cols(); ++j) {
    for (Eigen::Index i = j + 1; i < correlation.matrix.rows(); ++i) {
      const double r = correlation.matrix(i, j);
      if (std::isnan(r)) continue;
      const auto observations = correlation.observations_of(i, j);
      pairs.push_back({j, i, r, observations, fisher_interval(r, observations)});
    }
  }
  std::ranges::stable_sort(pairs, {}, &Pair::correlation);
  return pairs;
}

std::vector<Pair> negative_pairs(const Correlation& correlation) {
  auto pairs = pairs_of(correlation);
  pairs.erase(std::ranges::find_if(pairs, [](const Pair& pair) { return !(pair.correlation < 0); }), pairs.end());
  return pairs;
}

PrincipalComponents principal_components(const Correlation& correlation) {
  check_all_move(correlation);
  const auto [values, vectors] = blas::eigen_symmetric(correlation.matrix);
  return {values.reverse().cwiseMax(0) / double(values.size()), vectors.rowwise().reverse()};
}

std::vector<std::size_t> order_by_tag(const std::vector<std::string>& assets, const Tags& tags,
                                      const std::string& column) {
  std::vector<std::string> values;
  std::vector<std::size_t> place;
  for (const auto& asset : assets) {
    const auto value = tags.value(asset, column).value_or("");
    const auto found = find_name(value, values);
    place.push_back(found.value_or(values.size()));
    if (!found) values.push_back(value);
  }
  std::vector<std::size_t> order(assets.size());
  std::iota(order.begin(), order.end(), std::size_t(0));
  std::ranges::stable_sort(order, {}, [&](std::size_t i) { return place[i]; });
  return order;
}

std::vector<std::size_t> order_by_clustering(const Correlation& correlation) {
  check_all_move(correlation);
  const auto n = correlation.assets.size();
  std::vector<std::vector<std::size_t>> groups;
  for (std::size_t i = 0; i < n; ++i) groups.push_back({i});
  Eigen::MatrixXd distance = ((1 - correlation.matrix.array()) / 2).cwiseMax(0).sqrt();
  std::vector<std::size_t> alive(n);  // rows of `distance` that still stand for a group
  std::iota(alive.begin(), alive.end(), std::size_t(0));
  while (alive.size() > 1) {
    std::size_t a = 0, b = 1;
    for (std::size_t i = 0; i < alive.size(); ++i) {
      for (std::size_t j = i + 1; j < alive.size(); ++j) {
        if (distance(Eigen::Index(alive[i]), Eigen::Index(alive[j])) <
            distance(Eigen::Index(alive[a]), Eigen::Index(alive[b]))) {
          a = i, b = j;
        }
      }
    }
    const auto into = alive[a], from = alive[b];
    const double size_into = double(groups[into].size()), size_from = double(groups[from].size());
    for (auto other : alive) {
      const double joined = (size_into * distance(Eigen::Index(into), Eigen::Index(other)) +
                             size_from * distance(Eigen::Index(from), Eigen::Index(other))) /
                            (size_into + size_from);
      distance(Eigen::Index(into), Eigen::Index(other)) = distance(Eigen::Index(other), Eigen::Index(into)) = joined;
    }
    groups[into].insert(groups[into].end(), groups[from].begin(), groups[from].end());
    alive.erase(alive.begin() + std::ptrdiff_t(b));
  }
  return groups[alive.front()];
}

}  // namespace inchtide
