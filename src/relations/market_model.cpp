#include "inchtide/relations/market_model.hpp"

#include <fmt/format.h>

#include <cmath>

#include "base/numbers.hpp"
#include "estimate/moments.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/range.hpp"
#include "returns/spans.hpp"

namespace inchtide {

std::vector<MarketModel> market_models(const ReturnTable& returns, const Eigen::VectorXd& benchmark, double risk_free) {
  returns.check();
  check_benchmark(returns, benchmark);
  finite(risk_free, "risk-free rate");
  const auto rows = rows_beside(returns, benchmark);
  const double p = returns.periods_per_year;
  if (rows.size() < 3) {
    throw InputError("market model", fmt::format("{} returns beside the benchmark are too few", rows.size()),
                     {{Means::prices, "Give a longer history"}, {Means::interval, "take a shorter interval"}});
  }
  const Spans spans(returns, rows);
  const Eigen::VectorXd market = benchmark(rows) - risk_free / p * spans.k;
  const double market_mean = market.sum() / spans.total;
  const Eigen::VectorXd x = market - market_mean * spans.k;
  const double spread = x.squaredNorm();
  if (!(x.cwiseAbs().maxCoeff() > no_return)) {
    throw InputError("market model", "the benchmark never moves", "Choose another benchmark");
  }
  std::vector<MarketModel> models;
  for (Eigen::Index i = 0; i < returns.returns.cols(); ++i) {
    const Eigen::VectorXd excess = returns.returns(rows, i) - risk_free / p * spans.k;
    const double mean = excess.sum() / spans.total;
    const Eigen::VectorXd y = excess - mean * spans.k;
    MarketModel model;
    model.asset = returns.assets[std::size_t(i)];
    model.observations = rows.size();
    model.beta = slopes_on(x, y)[0];
    model.alpha = p * (mean - model.beta * market_mean);
    const Eigen::VectorXd left = y - model.beta * x;
    const double variance = left.squaredNorm() / (spans.degrees() - 1);
    model.beta_error = std::sqrt(variance / spread);
    model.alpha_error = p * std::sqrt(variance * (1 / spans.total + market_mean * market_mean / spread));
    model.specific_volatility = std::sqrt(p * variance);
    const bool moves = y.cwiseAbs().maxCoeff() > no_return;
    model.r_squared = moves ? 1 - left.squaredNorm() / y.squaredNorm() : 0;
    model.correlation = moves ? x.dot(y) / std::sqrt(spread * y.squaredNorm()) : no_figure;
    models.push_back(model);
  }
  return models;
}

}  // namespace inchtide
