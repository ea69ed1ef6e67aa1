#include "measures.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <utility>

#include "inchtide/base/errors.hpp"
#include "rehearsal/return_sums.hpp"
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

void set_growth(Rehearsal& run, const RehearsalOptions& options, double growth) {
  const auto first = Eigen::Index(options.delay);
  const double years = years_between(run.days[std::size_t(first)], run.days.back());
  const auto per_year = [&](double ratio) { return std::pow(ratio, 1 / years) - 1; };
  run.growth = growth;
  run.growth_per_year = per_year(1 + growth);
  run.cost_per_year = per_year(run.gross[run.gross.size() - 1] / run.gross[first]) - run.growth_per_year;
}

/// Those of rows without a trade apart, where a walk kept them so: then they are the same bits at any level of costs.
void measure_ratios(Rehearsal& run, const RehearsalOptions& options, const Levels& levels, const KeptReturns* kept) {
  const auto rows = levels.rows() - 1;
  const double* targets = run.paper.size() > 0 ? run.paper.data() + (run.paper.size() - rows) : nullptr;
  const double least = options.risk_free / run.rows_per_year;
  if (kept == nullptr) {
    ReturnSums(levels.returns(), targets, {}, least).measure(run, {}, options.risk_free);
  } else {
    ReturnSums(kept->quiet.tail(rows), targets, trades_behind(*kept, options.delay), least)
        .measure(run, own_behind(*kept, options.delay), options.risk_free);
  }
}

void measure_returns(Rehearsal& run, const RehearsalOptions& options, const KeptReturns* kept) {
  const auto base = std::size_t(options.delay);
  const Levels levels(run, options.delay);
  set_growth(run, options, levels.growth());
  measure_ratios(run, options, levels, kept);
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

/// What waiting and the parts of costs took of growth.
void share_costs(Rehearsal& run, Eigen::Index first, double years) {
  double logs = 0;
  for (const auto& trade : run.trades) {
    if (trade.traded < run.days[std::size_t(first)]) continue;
    const double wealth = trade.wealth_before + trade.flow;
    run.shortfall.delay += trade.delay / wealth / years;
    run.shortfall.costs += trade.cost.total() / wealth / years;
    const double share = std::log(wealth / trade.wealth_after) / years;
    add_share(run.cost_shares.trading, trade.cost, share);
    logs += share;
  }
  const double all = std::log(run.gross[run.gross.size() - 1] / run.gross[first]) - std::log1p(run.growth);
  if (run.running.custody + run.running.borrowing > 0) run.cost_shares.charges = all / years - logs;
}

void measure_trades(Rehearsal& run, const RehearsalOptions& options, Eigen::Index first) {
  const double years = years_between(run.days[std::size_t(first)], run.days.back());
  double turnover = 0, purchase = 0;
  for (const auto& trade : run.trades) {
    turnover += trade.turnover;
    if (&trade == &run.trades.front() && !options.start) purchase = trade.turnover;
    run.costs += trade.cost;
    run.order_count += trade.order_count;
  }
  run.costs_paid = run.costs.total();
  run.turnover_per_year = turnover / years;
  run.turnover_after_first = (turnover - purchase) / years;
  if (!options.brief) share_costs(run, first, years);
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

}  // namespace

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

std::vector<Eigen::Index> trades_behind(const KeptReturns& kept, Eigen::Index first) {
  std::vector<Eigen::Index> rows;
  for (const auto row : kept.traded) {
    if (row > first) rows.push_back(row - first - 1);
  }
  return rows;
}

std::vector<KeptReturns::Own> own_behind(const KeptReturns& kept, Eigen::Index first) {
  std::vector<KeptReturns::Own> own;
  own.reserve(kept.own.size());
  for (const auto& [row, value] : kept.own) {
    if (row > first) own.push_back({row - first - 1, value});
  }
  return own;
}

void measure_at_costs(Rehearsal& run, const RehearsalOptions& options, const ReturnSums& sums,
                      const std::vector<KeptReturns::Own>& own, double max_drawdown) {
  const auto first = Eigen::Index(options.delay), last = run.net.size() - 1;
  set_growth(run, options, run.net[last] / run.before[first] - 1);
  sums.measure(run, own, options.risk_free);
  run.max_drawdown = max_drawdown;
  measure_trades(run, options, first);
}

void measure(Rehearsal& run, const RehearsalOptions& options, const KeptReturns* kept) {
  measure_returns(run, options, kept);
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
