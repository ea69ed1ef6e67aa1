#include "inchtide/weights/sensitivity.hpp"

#include <algorithm>
#include <cmath>
#include <optional>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/executor.hpp"
#include "inchtide/base/quantile.hpp"
#include "inchtide/base/range.hpp"
#include "inchtide/estimate/benchmark.hpp"

namespace inchtide {
namespace {

constexpr int levels = 41;
constexpr double same_volatility = 1e-9;

/// What one draw comes to; empty where it has none.
struct Drawn {
  bool solved = false;
  std::vector<std::optional<double>> returns;           // at each level of volatility
  std::vector<std::optional<Eigen::VectorXd>> weights;  // of each aim
};

std::optional<Eigen::VectorXd> weights_of(const Frontier& frontier, const Aim& aim, double risk_free) {
  try {
    return choose(frontier, aim, risk_free).weights;
  } catch (const Error&) {  // no such portfolio in this draw
    return std::nullopt;
  }
}

Drawn solve(const Estimate& estimate, const Limits& limits, const LimitFacts& facts, const std::vector<Aim>& aims,
            double risk_free, const std::vector<double>& volatilities) {
  Drawn drawn;
  try {
    const auto frontier = trace_frontier(estimate, limits, facts);
    const double least = frontier.corners().back().volatility, most = frontier.corners().front().volatility;
    for (double volatility : volatilities) {
      // A ceiling on volatility is where many draws end: at it, whatever rounding makes of it.
      const double there = std::clamp(volatility, least, most);
      if (!frontier.bounds().tracking_error && std::abs(there - volatility) <= same_volatility * volatility) {
        const double of_weights = frontier.at_volatility(there).expected_return;
        drawn.returns.emplace_back(whole_return(of_weights, frontier.bounds().budget, risk_free));
      } else {
        drawn.returns.emplace_back();
      }
    }
    for (const auto& aim : aims) drawn.weights.push_back(weights_of(frontier, aim, risk_free));
    drawn.solved = true;
  } catch (const Error&) {
  }
  return drawn;
}

WeightBands bands_of(const std::vector<Drawn>& draws, std::size_t aim, Eigen::Index assets, double coverage) {
  WeightBands bands;
  std::vector<const Eigen::VectorXd*> all;
  for (const auto& drawn : draws) {
    if (drawn.solved && drawn.weights[aim]) all.push_back(&*drawn.weights[aim]);
  }
  bands.draws = int(all.size());
  bands.average = bands.low = bands.high = bands.held = Eigen::VectorXd::Zero(assets);
  if (all.empty()) return bands;
  for (Eigen::Index i = 0; i < assets; ++i) {
    std::vector<double> values;
    int held = 0;
    for (const auto* weights : all) {
      values.push_back((*weights)[i]);
      bands.average[i] += (*weights)[i] / double(all.size());
      held += is_held((*weights)[i]) ? 1 : 0;
    }
    bands.held[i] = held / double(all.size());
    bands.low[i] = quantile(values, (1 - coverage) / 2);
    bands.high[i] = quantile(values, (1 + coverage) / 2);
  }
  return bands;
}

}  // namespace

Sensitivity sensitivity(const ReturnTable& given, const EstimateOfDraw& estimate, const Limits& limits,
                        const LimitFacts& facts, const std::vector<Aim>& aims, double risk_free,
                        const BootstrapOptions& options, const Eigen::VectorXd& benchmark) {
  given.check();
  finite(risk_free, "risk-free rate");
  for (const auto& aim : aims) aim.check();
  const auto returns = given.at_common_ends();
  const auto common = returns.common_rows();
  if (benchmark.size() > 0) check_benchmark(returns, benchmark);
  Sensitivity result;
  result.block = check_draws(options, common.size());
  result.draws = options.draws;
  const auto as_it_was = trace_frontier(estimate(returns, benchmark), limits, facts);
  const double least = as_it_was.corners().back().volatility, most = as_it_was.corners().front().volatility;
  std::vector<double> volatilities;
  for (int k = 0; k < levels; ++k) volatilities.push_back(least + k / double(levels - 1) * (most - least));

  const auto one_draw = [&](std::size_t draw) -> Drawn {
    auto drawn = returns;
    std::vector<Eigen::Index> rows;
    for (auto row : draw_of_rows(options, result.block, int(draw), common.size())) {
      rows.push_back(Eigen::Index(common[row]));
    }
    drawn.returns = returns.returns(rows, Eigen::all);
    drawn.spans = returns.spans(rows, Eigen::all);
    drawn.ends.clear();
    long end = 0;
    for (auto row : rows) drawn.ends.push_back(end += returns.spans(row, 0));
    drawn.days.resize(rows.size());
    try {
      Eigen::VectorXd beside;
      if (benchmark.size() > 0) beside = benchmark(rows);
      const auto of_draw = estimate(drawn, beside);
      auto seen = facts;
      if (seen.benchmark && beside.size() > 0) seen.benchmark = benchmark_beside(of_draw.covariance, drawn, beside);
      return solve(of_draw, limits, seen, aims, risk_free, volatilities);
    } catch (const Interrupted&) {
      throw;
    } catch (const Error&) {  // the estimate has nothing to say of this draw
      return {};
    }
  };
  const auto draws = Executor(options.threads).collect(std::size_t(options.draws), one_draw, options.watch);

  result.left_out = int(std::ranges::count_if(draws, [](const Drawn& drawn) { return !drawn.solved; }));
  for (std::size_t level = 0; level < volatilities.size(); ++level) {
    std::vector<double> values;
    for (const auto& drawn : draws) {
      if (drawn.solved && drawn.returns[level]) values.push_back(*drawn.returns[level]);
    }
    if (2 * values.size() < draws.size() || values.empty()) continue;
    FrontierBand band{volatilities[level], 0, 0, 0, int(values.size())};
    band.low = quantile(values, (1 - options.coverage) / 2);
    band.middle = quantile(values, 0.5);
    band.high = quantile(values, (1 + options.coverage) / 2);
    result.frontier.push_back(band);
  }
  for (std::size_t aim = 0; aim < aims.size(); ++aim) {
    auto bands = bands_of(draws, aim, returns.returns.cols(), options.coverage);
    bands.aim = aims[aim].text();
    if (const auto weights = weights_of(as_it_was, aims[aim], risk_free)) bands.weights = *weights;
    result.portfolios.push_back(std::move(bands));
  }
  return result;
}

}  // namespace inchtide
