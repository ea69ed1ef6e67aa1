#include "measures.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <utility>

#include "inchtide/base/errors.hpp"
#include "rehearsal/tolerances.hpp"
#include "returns/drawdown.hpp"

namespace inchtide {
namespace {

constexpr const char* names_of_events[] = {"decision", "wait", "suspension", "end",    "split",
                                           "dividend", "flow", "estimate",   "failure"};  // as the kinds are

/// Money that comes in or goes out behind the first row changes wealth without being growth.
bool has_flows(const Rehearsal& run, Eigen::Index first) {
  return (run.flow.tail(run.net.size() - first - 1).array() != 0).any();
}

/// Wealth after a close's trade for each unit before it, what came in included.
double factor_of_trade(const Rehearsal& run, Eigen::Index t) {
  return run.net[t] / (run.before[t] + run.flow[t]);
}

/// Growth from close to close, flows aside, from `first` on: the first is that of the close's trade alone.
Eigen::ArrayXd net_factors(const Rehearsal& run, Eigen::Index first) {
  const auto rows = run.net.size() - first;
  Eigen::ArrayXd factors(rows);
  factors[0] = factor_of_trade(run, first);
  factors.tail(rows - 1) = run.before.tail(rows - 1).array() / run.net.segment(first, rows - 1).array();
  for (Eigen::Index k = 1; k < rows; ++k) {
    if (run.net[first + k] != run.before[first + k] + run.flow[first + k])
      factors[k] *= factor_of_trade(run, first + k);
  }
  return factors;
}

/// What one who starts with some wealth and adds nothing has at each close.
class Levels {
 public:
  Levels(const Rehearsal& run, Eigen::Index first) : rows_(run.net.size() - first) {
    if (!has_flows(run, first)) {  // wealth itself
      at_ = run.net.data() + first;
      growth_ = at_[rows_ - 1] / (run.before[first] + run.flow[first]) - 1;
      return;
    }
    products_ = net_factors(run, first);
    for (Eigen::Index k = 1; k < rows_; ++k) products_[k] *= products_[k - 1];
    at_ = products_.data();
    growth_ = at_[rows_ - 1] - 1;
  }
  Levels(const Levels&) = delete;
  Levels& operator=(const Levels&) = delete;

  [[nodiscard]] double operator[](Eigen::Index k) const { return at_[k]; }
  [[nodiscard]] Eigen::Index rows() const { return rows_; }
  [[nodiscard]] const double* data() const { return at_; }
  /// From before the first close's trade to the end.
  [[nodiscard]] double growth() const { return growth_; }
  [[nodiscard]] Eigen::ArrayXd returns() const {
    using Some = Eigen::Map<const Eigen::ArrayXd>;
    return Some(at_ + 1, rows_ - 1) / Some(at_, rows_ - 1) - 1;
  }

 private:
  Eigen::Index rows_;
  Eigen::ArrayXd products_;
  const double* at_ = nullptr;
  double growth_ = 0;
};

/// Squares of some daily returns: less their mean, of what is below the least, of what lies between them and the
/// targets' less its mean.
template <typename Some>
struct Squares {
  Some total = Some::Zero(), below = Some::Zero(), from_targets = Some::Zero();
  EIGEN_ALWAYS_INLINE Some add(const Some& here, const Some& targets, double mean, double least, double between) {
    const Some moved = here - mean;
    total += moved * moved;
    below += (here - least).min(0).square();
    from_targets += (here - targets - between).square();
    return moved;
  }
};

/// All of a run's, in one pass. The returns lose their mean.
Squares<Eigen::Array<double, 1, 1>> squares_of(Eigen::ArrayXd& daily, const double* targets, double mean,
                                               double least) {
  using One = Eigen::Array<double, 1, 1>;
  using Two = Eigen::Array2d;
  const double between = mean - Eigen::Map<const Eigen::ArrayXd>(targets, daily.size()).mean();
  Squares<Two> twos;
  Squares<One> all;
  Eigen::Index t = 0;
  for (; t + 2 <= daily.size(); t += 2) {
    Eigen::Map<Two> here(daily.data() + t);
    here = twos.add(here, Eigen::Map<const Two>(targets + t), mean, least, between);
  }
  if (t < daily.size()) daily.tail<1>() = all.add(daily.tail<1>(), One(targets[t]), mean, least, between);
  all.total += twos.total.sum();
  all.below += twos.below.sum();
  all.from_targets += twos.from_targets.sum();
  return all;
}

/// The standard error of a ratio per row from returns that may hang together: the delta method on mean and variance.
/// @param off returns less their mean
double correlated_error(Eigen::ArrayXd off, double variance, double ratio) {
  const auto rows = off.size();
  const auto lags = std::min(rows - 1, Eigen::Index(4 * std::pow(double(rows) / 100, 2.0 / 9)));
  const double by_deviation = 1 / std::sqrt(variance);
  off = off * by_deviation - ratio / 2 * ((off * by_deviation).square() - 1);  // how far each row moves the ratio
  return long_run_error(off, lags);
}

void measure_ratios(Rehearsal& run, Eigen::ArrayXd daily, double risk_free) {
  const double mean = daily.mean(), count = double(daily.size()), rows = run.rows_per_year;
  run.mean_per_year = rows * mean;
  const bool has_targets = run.paper.size() > 0;
  const Eigen::VectorXd& targets = has_targets ? run.paper : run.net;  // any, where there are none
  const auto squares = squares_of(daily, targets.data() + (targets.size() - daily.size()), mean, risk_free / rows);
  const double variance = count > 1 ? squares.total[0] / (count - 1) : 0.0;
  run.volatility = std::sqrt(rows * variance);
  const double downside = std::sqrt(rows * squares.below[0] / count);
  if (downside > 0) run.sortino = (run.mean_per_year - risk_free) / downside;
  if (run.volatility > 0) {
    run.sharpe = (run.mean_per_year - risk_free) / run.volatility;
    const double per_row = run.sharpe / std::sqrt(rows);
    run.sharpe_error = std::sqrt((1 + per_row * per_row / 2) / count * rows);
    run.sharpe_error_correlated = correlated_error(std::move(daily), variance, per_row) * std::sqrt(rows);
  }
  if (count > 1 && has_targets) run.tracking_to_targets = std::sqrt(rows * squares.from_targets[0] / (count - 1));
}

/// @param days of the levels
UnderWater longest_under_water(const Levels& level, const Day* days) {
  UnderWater longest;
  Eigen::Index peak = 0;
  for (Eigen::Index t = 1; t < level.rows(); ++t) {
    const bool back = level[t] >= level[peak];
    const int length = int((days[t] - days[peak]).count());
    if ((!back || t > peak + 1) && length > longest.days) longest = {days[peak], days[t], length, back};
    if (back) peak = t;
  }
  return longest;
}

struct Fall {
  double depth = 0;
  Eigen::Index peak = 0, trough = 0;
};

/// The deepest, row by row only where one may be deeper than all before.
Fall deepest_fall(const Levels& levels) {
  constexpr Eigen::Index together = 16;
  DeepestFall fall;
  Fall found;
  Eigen::Index high_from = 0, peak_from = 0;  // the group of rows in which the high was met; that the fall is from
  for (Eigen::Index from = 0; from < levels.rows(); from += together) {
    const auto count = std::min(together, levels.rows() - from);
    const double high = fall.high();
    const Eigen::Map<const Eigen::ArrayXd> some(levels.data() + from, count);
    if (!fall.pass(some.minCoeff(), some.maxCoeff())) {
      for (auto t = from; t < from + count; ++t) {
        if (fall.add(levels[t])) {
          found.trough = t;
          peak_from = fall.high() > high ? from : high_from;
        }
      }
    }
    if (fall.high() > high) high_from = from;
  }
  if (fall.depth() < 0) {
    found.peak = std::find(levels.data() + peak_from, levels.data() + found.trough, fall.from()) - levels.data();
  }
  found.depth = fall.depth();
  return found;
}

void measure_returns(Rehearsal& run, const RehearsalOptions& options, Eigen::Index first) {
  const Levels levels(run, first);
  const auto base = std::size_t(first);
  const double years = years_between(run.days[base], run.days.back());
  const auto per_year = [&](double ratio) { return std::pow(ratio, 1 / years) - 1; };
  run.growth = levels.growth();
  run.growth_per_year = per_year(1 + run.growth);
  run.cost_per_year = per_year(run.gross[run.gross.size() - 1] / run.gross[first]) - run.growth_per_year;
  measure_ratios(run, levels.returns(), options.risk_free);
  const auto fall = deepest_fall(levels);
  run.max_drawdown = fall.depth;
  run.max_drawdown_from = run.days[base + std::size_t(fall.peak)];
  run.max_drawdown_to = run.days[base + std::size_t(fall.trough)];
  if (!options.brief) run.under_water = longest_under_water(levels, &run.days[base]);
}

/// Parts of the log of wealth before over wealth after a trade, as its costs are.
void add_share(OrderCost& shares, const OrderCost& cost, double share) {
  const double all = cost.total();
  if (all <= 0) return;
  for (auto part : {&OrderCost::fee, &OrderCost::commission, &OrderCost::half_spread, &OrderCost::stamp_duty,
                    &OrderCost::conversion, &OrderCost::impact, &OrderCost::other}) {
    shares.*part += share * (cost.*part / all);
  }
}

void measure_trades(Rehearsal& run, const RehearsalOptions& options, Eigen::Index first) {
  const double years = years_between(run.days[std::size_t(first)], run.days.back());
  double turnover = 0, purchase = 0, logs = 0;
  for (const auto& trade : run.trades) {
    turnover += trade.turnover;
    if (&trade == &run.trades.front() && !options.start) purchase = trade.turnover;
    run.costs += trade.cost;
    run.order_count += trade.order_count;
    if (trade.traded < run.days[std::size_t(first)]) continue;
    const double wealth = trade.wealth_before + trade.flow;
    run.shortfall.delay += trade.delay / wealth / years;
    run.shortfall.costs += trade.cost.total() / wealth / years;
    const double share = std::log(wealth / trade.wealth_after) / years;
    add_share(run.cost_shares.trading, trade.cost, share);
    logs += share;
  }
  run.costs_paid = run.costs.total();
  run.turnover_per_year = turnover / years;
  run.turnover_after_first = (turnover - purchase) / years;
  const double all = std::log(run.gross[run.gross.size() - 1] / run.gross[first]) - std::log1p(run.growth);
  if (run.running.custody + run.running.borrowing > 0) run.cost_shares.charges = all / years - logs;
}

/// Flows by their years since the first; halves the rates between one that leaves too little and one that leaves
/// enough. A balance below 0 on the way is too little whatever comes of it.
MoneyWeighted money_weighted(const Rehearsal& run, Eigen::Index first) {
  const auto last = run.net.size() - 1;
  const auto years_at = [&](Eigen::Index t) {
    return years_between(run.days[std::size_t(first)], run.days[std::size_t(t)]);
  };
  std::vector<std::pair<double, double>> flows;
  for (auto t = first + 1; t < last; ++t) {
    if (run.flow[t] != 0) flows.emplace_back(years_at(t), run.flow[t]);
  }
  const auto balance = [&](double log_rate) {  // at the end; below 0 where it was so before
    double at = 0, money = run.before[first] + run.flow[first];
    for (const auto& [years, flow] : flows) {
      money = money * std::exp(log_rate * (years - at)) + flow;
      at = years;
      if (money < 0) return -1.0;
    }
    return money * std::exp(log_rate * (years_at(last) - at)) + run.flow[last];
  };
  const double end = run.net[last];
  double low = -1, high = 1;
  while (balance(low) >= end && low > -1e6) low *= 2;
  while (balance(high) < end && high < 1e6) high *= 2;
  for (int step = 0; step < most_steps; ++step) {
    const double middle = low + (high - low) / 2;
    if (middle <= low || middle >= high) break;
    (balance(middle) < end ? low : high) = middle;
  }
  if (std::abs(balance(high) - end) > rounding_order * end) {
    return {{}, "what was taken out is more than the money at the start and its growth could pay"};
  }
  return {std::expm1(high), ""};
}

std::vector<SpanOfRun> spans_of(const Rehearsal& run, int delay, bool months) {
  const Eigen::ArrayXd factors = net_factors(run, delay);
  std::vector<SpanOfRun> spans;
  double net = 1, gross = run.gross[delay];
  for (Eigen::Index k = 0; k < factors.size(); ++k) {
    const auto t = k + delay;
    const std::chrono::year_month_day date{run.days[std::size_t(t)]};
    const int year = int(date.year());
    const unsigned month = months ? unsigned(date.month()) : 0;
    if (spans.empty() || spans.back().year != year || spans.back().month != month) {
      if (!spans.empty()) gross = run.gross[t - 1];
      spans.push_back({year, month});
      net = 1;
    }
    net *= factors[k];
    spans.back().growth = net - 1;
    spans.back().cost = run.gross[t] / gross - net;
  }
  return spans;
}

constexpr Eigen::Index lags_together = 8;

/// Sums of the products of a series with itself at lags from `first` on, in one pass for all.
Eigen::Array<double, lags_together, 1> lagged_products(const Eigen::ArrayXd& series, Eigen::Index first) {
  using Two = Eigen::Array2d;
  std::array<Two, lags_together> sums;
  sums.fill(Two::Zero());
  const double* from = series.data();
  const auto rows = std::max<Eigen::Index>(0, series.size() - first - lags_together + 1) / 2 * 2;  // that all lags have
  for (Eigen::Index t = 0; t < rows; t += 2) {
    const Two here = Eigen::Map<const Two>(from + t);
    const auto add = [&](Eigen::Index k) __attribute__((always_inline)) {
      sums[std::size_t(k)] += here * Eigen::Map<const Two>(from + t + first + k);
    };
    add(0), add(1), add(2), add(3), add(4), add(5), add(6), add(7);
  }
  Eigen::Array<double, lags_together, 1> products;
  for (Eigen::Index k = 0; k < lags_together; ++k) {
    products[k] = sums[std::size_t(k)].sum();
    for (auto t = rows; t + first + k < series.size(); ++t) products[k] += from[t] * from[t + first + k];
  }
  return products;
}

}  // namespace

double long_run_error(const Eigen::ArrayXd& series, Eigen::Index lags) {
  double sum = 0;
  for (Eigen::Index first = 0; first <= lags; first += lags_together) {
    const auto products = lagged_products(series, first);
    for (auto lag = first; lag <= std::min(lags, first + lags_together - 1); ++lag) {
      sum += (lag == 0 ? 1.0 : 2 * (1 - double(lag) / double(lags + 1))) * products[lag - first];
    }
  }
  return std::sqrt(std::max(0.0, sum)) / double(series.size());
}

Eigen::VectorXd returns_of(const Rehearsal& run, int delay) {
  return Levels(run, delay).returns();
}

AgainstBenchmark against(const Rehearsal& run, const Rehearsal& benchmark, int delay) {
  if (run.days != benchmark.days) {
    throw InputError(fmt::format("rehearsal '{}'", run.name),
                     fmt::format("{} was walked over other days", benchmark.name), "Rehearse both over the same");
  }
  const Eigen::ArrayXd own = returns_of(run, delay), other = returns_of(benchmark, delay);
  const Eigen::ArrayXd off = own - other, moved = other - other.mean();
  const double count = double(own.size());
  AgainstBenchmark result;
  if (count < 2) return result;
  result.tracking_error = std::sqrt(run.rows_per_year * (off - off.mean()).square().sum() / (count - 1));
  if (result.tracking_error > 0) result.information_ratio = run.rows_per_year * off.mean() / result.tracking_error;
  if (moved.square().sum() > 0) result.beta = (moved * own).sum() / moved.square().sum();
  const auto capture = [&](const auto& days) {
    const double of = days.select(other, 0.0).sum();
    return of == 0 ? 0.0 : days.select(own, 0.0).sum() / of;
  };
  result.up_capture = capture(other > 0);
  result.down_capture = capture(other < 0);
  return result;
}

const char* name_of(Event::Kind kind) {
  return names_of_events[std::size_t(kind)];
}

std::optional<Event::Kind> event_named(std::string_view name) {
  const auto found = std::ranges::find(names_of_events, name, [](const char* text) { return std::string_view(text); });
  if (found == std::end(names_of_events)) return std::nullopt;
  return Event::Kind(found - std::begin(names_of_events));
}

std::vector<SpanOfRun> years_of(const Rehearsal& run, int delay) {
  return spans_of(run, delay, false);
}

std::vector<SpanOfRun> months_of(const Rehearsal& run, int delay) {
  return spans_of(run, delay, true);
}

void measure(Rehearsal& run, const RehearsalOptions& options) {
  measure_returns(run, options, options.delay);
  measure_trades(run, options, options.delay);
  if (options.brief) return;
  const auto years = years_of(run, options.delay), months = months_of(run, options.delay);
  const auto best = [](const auto& spans) { return *std::ranges::max_element(spans, {}, &SpanOfRun::growth); };
  const auto worst = [](const auto& spans) { return *std::ranges::min_element(spans, {}, &SpanOfRun::growth); };
  run.best_month = best(months);
  run.worst_month = worst(months);
  run.best_year = best(years);
  run.worst_year = worst(years);
  run.money_weighted = money_weighted(run, options.delay);
}

}  // namespace inchtide
