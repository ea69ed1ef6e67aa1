#include "rehearsal/return_sums.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

#include "rehearsal/long_run.hpp"

namespace inchtide {

/// How far a row moves the ratio, by the delta method on mean and variance: straight in its return and its square.
struct ReturnSums::Moved {
  /// @param mean of the returns as they are given
  Moved(double mean, double variance, double ratio)
      : by_square(-ratio / (2 * variance)),
        by_return(1 / std::sqrt(variance) + ratio * mean / variance),
        always(-mean / std::sqrt(variance) - ratio / 2 * (mean * mean / variance - 1)) {}
  [[nodiscard]] double without_always(double off) const { return (by_square * off + by_return) * off; }
  double by_square, by_return, always;
};

/// A row that is another in a run, beside what the sums have it as.
struct ReturnSums::Changed {
  Eigen::Index row;
  const Around* around;  ///< of one with a trade
  double had, off;
};

ReturnSums::ReturnSums(Eigen::ArrayXd returns, const double* targets, std::vector<Eigen::Index> trades, double least)
    : rows_(returns.size()), lags_(usual_lags(rows_)), trades_(std::move(trades)), least_(least) {
  const double quiet = double(rows_ - Eigen::Index(trades_.size()));
  const auto set_traded = [&](Eigen::ArrayXd& figures, double to) {
    for (const auto t : trades_) figures[t] = to;
  };
  const auto less_mean = [&](Eigen::ArrayXd& figures) {
    set_traded(figures, 0);
    const double mean = quiet > 0 ? figures.sum() / quiet : 0;
    figures -= mean;
    set_traded(figures, 0);
    return mean;
  };
  if (targets != nullptr) {
    targets_ = Eigen::Map<const Eigen::ArrayXd>(targets, rows_);
    apart_ = returns - targets_;
    mean_apart_ = less_mean(apart_);
    apart_sum_ = apart_.sum();
    apart_squares_ = apart_.square().sum();
  }
  set_traded(returns, least);
  below_ = (returns - least).min(0).square().sum();
  mean_ = less_mean(returns);
  off_ = std::move(returns);
  add_lags();
  for (const auto trade : trades_) around_trades_.push_back(around(trade));
}

/// Products of rows.
void ReturnSums::add_lags() {
  const Eigen::ArrayXd squares = off_.square();
  sum_ = off_.sum();
  squares_ = squares.sum();
  of_returns_ = lagged_sum(off_, off_, lags_);
  of_squares_ = lagged_sum(squares, squares, lags_);
  of_both_ = lagged_sum(squares, off_, lags_) + lagged_sum(off_, squares, lags_);
  double ends = 0, ends_squares = 0;  // of as many rows as the lag, on both sides
  for (Eigen::Index lag = 0; lag <= lags_; ++lag) {
    if (lag > 0) {
      ends += off_[lag - 1] + off_[rows_ - lag];
      ends_squares += squares[lag - 1] + squares[rows_ - lag];
    }
    const double weight = lag_weight(lag, lags_);
    all_returns_ += weight * (2 * sum_ - ends);
    all_squares_ += weight * (2 * squares_ - ends_squares);
    pairs_ += weight * double(rows_ - lag);
  }
}

ReturnSums::Around ReturnSums::around(Eigen::Index row) const {
  Around around;
  for (Eigen::Index lag = 1; lag <= lags_; ++lag) {
    const double weight = lag_weight(lag, lags_);
    for (const auto t : {row - lag, row + lag}) {
      if (t < 0 || t >= rows_) continue;
      around.squares += weight * off_[t] * off_[t];
      around.sum += weight * off_[t];
      around.count += weight;
    }
  }
  return around;
}

/// Of the mean of what moves the ratio: all rows as the sums have them, those with a trade as if they returned the
/// mean, and then what the changed ones move beyond that.
double ReturnSums::long_run_error(const Moved& moved, std::span<const Changed> changed) const {
  const auto [by_square, by_return, always] = moved;
  double sum = by_square * by_square * of_squares_ + by_square * by_return * of_both_ +
               by_return * by_return * of_returns_ +
               always * (by_square * all_squares_ + by_return * all_returns_ + always * pairs_);
  std::vector<double> more(changed.size());
  for (std::size_t k = 0; k < changed.size(); ++k) {
    const auto& row = changed[k];
    const double had = moved.without_always(row.had);
    more[k] = moved.without_always(row.off) - had;
    const auto sides = row.around != nullptr ? *row.around : around(row.row);
    double beside =
        more[k] + 2 * (had + always) + by_square * sides.squares + by_return * sides.sum + always * sides.count;
    for (auto j = k; j > 0 && row.row - changed[j - 1].row <= lags_; --j) {
      beside += lag_weight(row.row - changed[j - 1].row, lags_) * more[j - 1];
    }
    sum += more[k] * beside;
  }
  return std::sqrt(std::max(0.0, sum)) / double(rows_);
}

void ReturnSums::measure(Rehearsal& run, std::span<const KeptReturns::Own> own, double risk_free) const {
  const double count = double(rows_), rows = run.rows_per_year;
  const auto loss = [&](double value) { return std::min(0.0, value - least_) * std::min(0.0, value - least_); };
  double sum = sum_, squares = squares_, below = below_, apart_sum = apart_sum_, apart_squares = apart_squares_;
  std::vector<Changed> changed;
  changed.reserve(own.size());
  std::size_t trade = 0;
  for (const auto& [t, value] : own) {
    while (trade < trades_.size() && trades_[trade] < t) ++trade;
    const bool traded = trade < trades_.size() && trades_[trade] == t;
    const double had = off_[t], off = value - mean_;
    changed.push_back({t, traded ? &around_trades_[trade] : nullptr, had, off});
    sum += off - had;
    squares += off * off - had * had;
    below += loss(value) - (traded ? 0 : loss(had + mean_));
    if (apart_.size() == 0) continue;
    const double apart = value - targets_[t] - mean_apart_;
    apart_sum += apart - apart_[t];
    apart_squares += apart * apart - apart_[t] * apart_[t];
  }
  const double beyond = sum / count;
  run.mean_per_year = rows * (mean_ + beyond);
  const double variance = count > 1 ? std::max(0.0, squares - count * beyond * beyond) / (count - 1) : 0.0;
  run.volatility = std::sqrt(rows * variance);
  const double downside = std::sqrt(rows * std::max(0.0, below) / count);
  if (downside > 0) run.sortino = (run.mean_per_year - risk_free) / downside;
  if (run.volatility > 0) {
    run.sharpe = (run.mean_per_year - risk_free) / run.volatility;
    const double per_row = run.sharpe / std::sqrt(rows);
    run.sharpe_error = std::sqrt((1 + per_row * per_row / 2) / count * rows);
    run.sharpe_error_correlated = long_run_error(Moved(beyond, variance, per_row), changed) * std::sqrt(rows);
  }
  if (count > 1 && apart_.size() > 0) {
    const double around_mean = std::max(0.0, apart_squares - apart_sum * apart_sum / count);
    run.tracking_to_targets = std::sqrt(rows * around_mean / (count - 1));
  }
}

}  // namespace inchtide
