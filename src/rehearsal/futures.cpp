#include "inchtide/rehearsal/futures.hpp"

#include <cmath>

#include "base/row_blocks.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/quantile.hpp"

namespace inchtide {

DayRelatives day_relatives(const Eigen::MatrixXd& prices) {
  DayRelatives result;
  const auto whole = [&](Eigen::Index t) { return prices.row(t).allFinite(); };
  for (Eigen::Index t = 1; t < prices.rows(); ++t) {
    if (whole(t) && whole(t - 1)) result.rows.push_back(std::size_t(t));
  }
  if (result.rows.empty()) {
    throw InputError("futures", "on no two days after each other have all assets prices",
                     {{Means::assets, "Leave some assets out"}});
  }
  result.relatives.resize(Eigen::Index(result.rows.size()), prices.cols());
  for (std::size_t k = 0; k < result.rows.size(); ++k) {
    const auto t = Eigen::Index(result.rows[k]);
    result.relatives.row(Eigen::Index(k)) = prices.row(t).cwiseQuotient(prices.row(t - 1));
  }
  return result;
}

std::vector<std::size_t> drawn_rows(std::size_t rows, std::size_t wanted, double block, std::uint64_t seed,
                                    std::size_t draw) {
  if (rows < 1 || !(block >= 1)) throw InputError("futures", "nothing can be drawn", "Give rows, and blocks from 1");
  return rows_of_blocks(row_blocks(RandomDraw(seed, draw), block, rows, wanted), rows);
}

PriceTable drawn_history(const PriceTable& walk, const Eigen::MatrixXd& relatives, double block, std::uint64_t seed,
                         std::size_t draw) {
  if (walk.rows() == 0 || relatives.cols() != walk.prices.cols()) {
    throw InputError("futures", "the days that are drawn are those of other assets", "Give a column an asset");
  }
  for (Eigen::Index i = 0; i < walk.prices.cols(); ++i) {
    if (std::isfinite(walk.prices(0, i))) continue;
    throw InputError(Where::of_asset(walk.assets[std::size_t(i)].code, walk.days.front()),
                     "it has no price there, from which drawn ones could go on",
                     {{Means::split, "Begin on another day"}, {Means::assets, "leave it out"}});
  }
  auto history = walk;
  const auto rows = drawn_rows(std::size_t(relatives.rows()), walk.rows() - 1, block, seed, draw);
  for (Eigen::Index i = 0; i < history.prices.cols(); ++i) {
    for (std::size_t t = 0; t < rows.size(); ++t) {
      const auto at = Eigen::Index(t);
      history.prices(at + 1, i) = history.prices(at, i) * relatives(Eigen::Index(rows[t]), i);
    }
  }
  return history;
}

DrawnShare share_below(const Eigen::VectorXd& figures, double bound) {
  const double count = double(figures.size());
  const double share = double((figures.array() < bound).count()) / count;
  return {share, std::sqrt(share * (1 - share) / count)};
}

const std::vector<double>& told_quantiles() {
  static const std::vector<double> told = {0.05, 0.25, 0.5, 0.75, 0.95};
  return told;
}

Eigen::VectorXd quantiles_of(const Eigen::VectorXd& figures) {
  std::vector<double> values(figures.begin(), figures.end());
  Eigen::VectorXd quantiles(Eigen::Index(told_quantiles().size()));
  for (std::size_t k = 0; k < told_quantiles().size(); ++k) {
    quantiles[Eigen::Index(k)] = quantile(values, told_quantiles()[k]);
  }
  return quantiles;
}

}  // namespace inchtide
