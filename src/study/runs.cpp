#include "inchtide/study/runs.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <exception>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/executor.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/study/luck.hpp"
#include "rehearsal/tolerances.hpp"
#include "study/choosing_anew.hpp"
#include "study/walk_prices.hpp"

namespace inchtide {
namespace {

/// Weights that sum to more than 1 by no more than this borrow nothing.
constexpr double rounding_of_budget = 1e-9;

/// The schedules asked for, each once; else the usual ones that look within the walk.
std::vector<Schedule> schedules_of(const Settings& settings, const PriceTable& walk, std::vector<Notice>& warnings) {
  std::vector<Schedule> schedules;
  for (const auto& schedule : settings.schedules) {
    const auto same = std::ranges::find_if(schedules, [&](const Schedule& s) { return s.same_as(schedule); });
    if (same == schedules.end()) {
      schedules.push_back(schedule);
    } else if (same->name != schedule.name) {
      warnings.push_back(fmt::format("Schedule {} is the same as {} and isn't run again", schedule.name, same->name));
    }
  }
  if (!schedules.empty()) return schedules;
  for (const char* text : {"never", "1m", "1q", "1y"}) {
    auto schedule = Schedule::parse(text, "schedules");
    const auto looks = schedule.looks(walk.days);
    if (!schedule.every || std::ranges::find(looks, true) != looks.end()) schedules.push_back(std::move(schedule));
  }
  return schedules;
}

/// The benchmark's last price where it has none.
void carry_last_column(PriceTable& walk, const std::string& benchmark, std::vector<Notice>& warnings) {
  const auto last = walk.prices.cols() - 1;
  std::size_t carried = 0;
  for (Eigen::Index t = 1; t < walk.prices.rows(); ++t) {
    if (std::isfinite(walk.prices(t, last)) || !std::isfinite(walk.prices(t - 1, last))) continue;
    walk.prices(t, last) = walk.prices(t - 1, last);
    ++carried;
  }
  if (carried == 0) return;
  warnings.push_back(
      fmt::format("{} has no price on {} of the days of the walk: its last one counts there", benchmark, carried));
}

/// From the last day before the split, on which the first purchase is decided.
PriceTable from_split(const PriceTable& prices, Day split) {
  const auto first_after = std::ranges::lower_bound(prices.days, split);
  if (first_after == prices.days.begin() || first_after == prices.days.end()) {
    throw InputError("split", fmt::format("{} leaves no prices on one side of it", to_string(split)),
                     {Means::split, fmt::format("Choose a day between {} and {}", to_string(prices.days.front()),
                                                to_string(prices.days.back()))});
  }
  return prices.between(*(first_after - 1), std::nullopt);
}

/// Cash below zero may cost nothing, and then pays too much.
void warn_of_borrowing(const Portfolios& portfolios, double rate, std::vector<Notice>& warnings) {
  for (const auto& allocation : portfolios.all) {
    const double borrowed = allocation.weights.sum() - 1;
    if (borrowed <= rounding_of_budget || rate > 0) continue;
    warnings.push_back(
        fmt::format("{} borrows {} of wealth, for nothing in this walk: it earns too much by what that would cost",
                    allocation.name, percent_text(borrowed)));
  }
}

/// The flows of a plan on the walk's days.
std::vector<Flow> flows_of(const Settings& settings, const PriceTable& walk) {
  std::vector<Flow> flows;
  for (const auto& plan : settings.flows) {
    if (plan.day) flows.push_back({*plan.day, plan.amount, plan.of_wealth});
    if (!plan.every) continue;
    const auto looks = plan.every->looks(walk.days);
    for (std::size_t t = 0; t < walk.rows(); ++t) {
      const std::chrono::year_month_day date{walk.days[t]};
      if (!looks[t] || (plan.month && unsigned(date.month()) != unsigned(*plan.month))) continue;
      flows.push_back({walk.days[t], plan.amount, plan.of_wealth});
    }
  }
  return flows;
}

/// Real units need real prices.
std::vector<double> lots_of(const Settings& settings, const Universe& universe, const PriceTable& table) {
  if (settings.lots.empty()) return {};
  for (const auto& asset : table.assets) {
    if (asset.field != PriceField::adjusted_close) continue;
    throw InputError(Where::of_asset(asset.code),
                     "its prices are adjusted closes, which are no prices of a unit: whole units and lots mean nothing",
                     {{Means::price_field, "Use raw closes", "close"}, "leave the lots out"});
  }
  return by_class(settings.lots, universe.assets, universe.tags, 1);
}

/// Of one interval: as many as it usually has.
int rows_of(const Interval& every) {
  constexpr int usual[] = {1, 5, 21, 63, 252};  // of a day, a week, a month, a quarter, a year
  return usual[std::size_t(every.unit())] * every.count();
}

/// First rows that are tried of one calendar, evenly over its interval.
constexpr int most_starts = 21;

bool has_impact(const std::vector<AssetCosts>& costs) {
  return std::ranges::any_of(costs, [](const AssetCosts& c) { return c.buy.impact > 0 || c.sell.impact > 0; });
}

/// The days on which any asset has a price of its own, and the benchmark's prices on them.
PriceTable priced_days(const Universe& universe, const Settings& settings) {
  AlignPolicy any;
  any.kind = AlignPolicy::Kind::any;
  return align(histories_to_walk(universe, settings), any, universe.benchmark ? 1 : 0)
      .table.between(std::nullopt, settings.to);
}

/// What is held on a walk's first row, by the weights held now.
Ledger held(const Eigen::VectorXd& weights, const PriceTable& table, std::size_t first_row, double wealth) {
  Ledger ledger{Eigen::VectorXd::Zero(weights.size()), wealth * (1 - weights.sum())};
  for (Eigen::Index i = 0; i < weights.size(); ++i) {
    if (weights[i] == 0) continue;
    const double price = table.prices(Eigen::Index(first_row), i);
    if (std::isnan(price)) {
      throw InputError(Where::of_asset(table.assets[std::size_t(i)].code),
                       fmt::format("it is held, and has no price on {}", to_string(table.days[first_row])),
                       {Means::split, "Choose another day"});
    }
    ledger.units[i] = weights[i] * wealth / price;
  }
  return ledger;
}

}  // namespace

Day split_of(const Settings& settings) {
  if (settings.split) return *settings.split;
  throw InputError("split", "none was given, so the weights would be chosen by the very prices they are tested on",
                   {Means::split, "Give a day: weights are estimated before it and rehearsed from it"});
}

PriceTable walk_of(const Universe& universe, const Settings& settings, std::vector<Notice>& warnings) {
  const auto split = split_of(settings);
  auto walk = priced_days(universe, settings);
  if (universe.benchmark) carry_last_column(walk, *universe.benchmark, warnings);
  return from_split(walk, split);
}

namespace {

/// Makes the runs of a study.
class Rehearsing {
 public:
  Rehearsing(const Universe& universe, const Basis& basis, const Portfolios& portfolios, const Sources& sources,
             const Settings& settings, const Watch& watch)
      : universe_(universe),
        basis_(basis),
        portfolios_(portfolios),
        sources_(sources),
        settings_(settings),
        walk_(walk_of(universe, settings, runs_.warnings)),
        table_(walk_.only(universe.assets)),
        schedules_(schedules_of(settings, walk_, runs_.warnings)) {
    how_.wealth = wealth_of(basis, settings);
    how_.delay = settings.delay;
    how_.risk_free = basis.risk_free;
    how_.watch = watch;
    how_.keep_weights = true;
    how_.size = settings.size;
    how_.flows = flows_of(settings, walk_);
    how_.cash_rate = settings.cash_rate;
    how_.overdraft_rate = settings.overdraft_rate;
    how_.proceeds_earn = settings.proceeds_earn;
    how_.holiday_rows = settings.holiday_rows;
    how_.ended_after = settings.ended_after;
    how_.ends = settings.ends;
    how_.actions = actions_to_walk(universe, sources);
    how_.withholding = settings.withholding;
    check_for_splits(universe, settings, walk_.days.front());
    plan_.tags = universe.tags;
    plan_.terms = {asset_costs(settings.costs, universe.assets, universe.tags), settings.smallest_order,
                   lots_of(settings, universe, table_), settings.cash_floor};
    if (has_impact(plan_.terms.costs)) look_back_for_impact();
    if (settings.start_from_current) start_from_current();
  }

  Runs make() {
    for (const auto& allocation : portfolios_.all) {
      for (const auto& schedule : schedules_) {
        const bool after = schedule.to == Schedule::To::after_costs;
        if (!after || (allocation.aim && counts_costs(*allocation.aim))) {
          add(allocation, schedule);
        } else {
          runs_.warnings.push_back(fmt::format("{} has no return to weigh against costs, so {} is not run for it",
                                               allocation.name, schedule.name));
        }
      }
    }
    if (runs_.all.empty() && first_) std::rethrow_exception(first_);
    add_equal();
    add_benchmark();
    warn_of_borrowing(portfolios_, settings_.overdraft_rate.value_or(basis_.risk_free), runs_.warnings);
    warn_of_failures();
    for (const auto& aim : portfolios_.unanswered) {
      runs_.warnings.push_back(aim.notice.led_by(aim.name + " has no portfolio and is not rehearsed"));
    }
    if (settings_.costs.empty()) {
      runs_.warnings.push_back(
          {{}, "No trading costs were given: these runs trade for free", {{Means::costs, "Give some", "10bp"}}});
    }
    return std::move(runs_);
  }

  /// The same weights on the same number of rows, from other first rows.
  std::vector<TimingLuck> timing(const std::string& portfolio, int threads) {
    std::vector<TimingLuck> all;
    const auto allocation = std::ranges::find(portfolios_.all, portfolio, &Allocation::name);
    if (allocation == portfolios_.all.end() || settings_.reestimate) return all;
    how_.keep_weights = how_.track_targets = false;
    auto plan = plan_;
    plan.weights = allocation->weights;
    plan.terms.keep_orders = false;
    for (const auto& schedule : schedules_) {
      if (!schedule.every || schedule.band || schedule.to != Schedule::To::targets) continue;
      const int rows = rows_of(*schedule.every), starts = std::min(rows, most_starts);
      if (starts < 2 || std::size_t(rows) + std::size_t(settings_.delay) >= walk_.rows()) continue;
      auto how = how_;
      how.watch = {how_.watch.stop, {}};
      const auto growth = Executor(threads).collect(
          std::size_t(starts),
          [&](std::size_t k) {
            auto moved = plan;
            moved.schedule = schedule;
            moved.schedule.every = Interval(rows, Unit::day);
            moved.schedule.anchor = int(k) * rows / starts;
            return rehearse(table_, moved, how).growth_per_year;
          },
          how_.watch);
      const auto [lowest, highest] = std::ranges::minmax(growth);
      all.push_back({allocation->name, schedule.name, rows, starts, lowest, highest});
    }
    return all;
  }

 private:
  /// What the first trades' impact hangs on is history.
  void look_back_for_impact() {
    const auto all = priced_days(universe_, settings_).only(universe_.assets);
    const auto first = std::size_t(std::ranges::lower_bound(all.days, walk_.days.front()) - all.days.begin());
    how_.first_row = std::min(first, trailing_rows);
    table_ = all.between(all.days[first - how_.first_row], std::nullopt);
    how_.traded_value = traded_to_walk(universe_, table_);
  }

  /// Once a reason.
  void warn_of_failures() {
    std::vector<std::string> told;
    for (const auto& failed : runs_.failed) {
      const auto why = failed.why.text();
      if (std::ranges::find(told, why) != told.end()) continue;
      told.push_back(why);
      const auto same = std::ranges::count_if(runs_.failed, [&](const FailedRun& f) { return f.why.text() == why; });
      const auto more = same > 1 ? fmt::format(" and {} more", same - 1) : std::string();
      runs_.warnings.push_back(failed.why.led_by(failed.name + more + " could not be rehearsed"));
    }
  }

  void start_from_current() {
    if (basis_.facts.current.size() == 0) {
      throw InputError("rehearsal", "it is to start from what is held now, which isn't known",
                       {{Means::current, "Give the weights"}});
    }
    how_.start = held(basis_.facts.current, table_, how_.first_row, how_.wealth);
  }

  void add(const Allocation& allocation, const Schedule& schedule) {
    auto plan = plan_;
    plan.name = fmt::format("{}, {}", allocation.name, schedule.name);
    plan.aim = allocation.name;
    plan.weights = allocation.weights;
    plan.schedule = schedule;
    std::vector<Promise> promises{
        {plan.name, {}, {}, allocation.expected_return, allocation.volatility, allocation.sharpe}};
    latest_ = basis_;
    if (settings_.reestimate && allocation.aim) reestimate(plan, allocation, promises);
    if (schedule.to == Schedule::To::after_costs) {
      plan.after_costs = [&](const Look& look) {
        return after_costs_by(latest_, universe_, settings_, *allocation.aim, look, proportional(plan_.terms.costs));
      };
    }
    attempt(plan.name, [&] {
      runs_.all.push_back(rehearse(table_, plan, how_));
      runs_.all.back().schedule = schedule.name;
      keep(promises);
    });
  }

  void reestimate(RehearsalPlan& plan, const Allocation& allocation, std::vector<Promise>& promises) {
    promises.clear();
    const auto name = plan.name;
    plan.estimation = Reestimation{
        *settings_.reestimate,
        [this, &allocation, &promises, name, near = Eigen::VectorXd()](const Look& look) mutable {
          auto basis = basis_on(universe_, holding(look), settings_, look.day);
          auto chosen = choose_by(basis, universe_, settings_, *allocation.aim, look, near);
          near = chosen.weights;
          promises.push_back({name, look.day, {}, chosen.expected_return, chosen.volatility, chosen.sharpe});
          latest_ = std::move(basis);
          return chosen.weights;
        }};
  }

  /// The sources with what is held on a close as the weights held now.
  Sources holding(const Look& look) const {
    auto sources = sources_;
    const Eigen::VectorXd held = look.weights();
    sources.held.reset();
    sources.current = WeightList{"held", universe_.assets, {held.begin(), held.end()}};
    return sources;
  }

  template <typename Make>
  void attempt(const std::string& name, Make make) {
    try {
      make();
    } catch (const InputError& error) {
      runs_.failed.push_back({name, error.notice()});
      if (!first_) first_ = std::current_exception();
    }
  }

  /// The plainest portfolio stands beside the others: the same in each asset that has a price when it begins.
  void add_equal() {
    const auto schedule =
        std::ranges::find_if(schedules_, [](const Schedule& s) { return s.to != Schedule::To::after_costs; });
    const bool has_it = std::ranges::any_of(
        portfolios_.all, [](const Allocation& a) { return a.aim && a.aim->kind == Aim::Kind::equal; });
    if (has_it || schedule == schedules_.end()) return;
    const auto first = table_.prices.row(Eigen::Index(how_.first_row)).transpose().array();
    auto plan = plan_;
    plan.weights = first.isNaN().select(0.0, Eigen::VectorXd::Ones(first.size())).matrix();
    plan.weights /= plan.weights.sum();
    plan.schedule = *schedule;
    plan.aim = Aim{Aim::Kind::equal, 0}.text();
    plan.name = fmt::format("{}, {}", plan.aim, plan.schedule.name);
    attempt(plan.name, [&] {
      runs_.all.push_back(rehearse(table_, plan, how_));
      runs_.all.back().schedule = plan.schedule.name;
    });
  }

  void add_benchmark() {
    if (!universe_.benchmark) return;
    RehearsalPlan plan{*universe_.benchmark, fmt::format("{} (no costs)", *universe_.benchmark),
                       Eigen::VectorXd::Ones(1)};
    RehearsalOptions how{how_.wealth, settings_.delay, basis_.risk_free, how_.watch};
    how.flows = how_.flows;
    attempt(plan.name, [&] {
      const auto benchmark = rehearse(walk_.only({*universe_.benchmark}), plan, how);
      runs_.all.push_back(benchmark);
      for (const auto& run : runs_.all) runs_.against.push_back(against(run, benchmark, settings_.delay));
    });
  }

  /// What the days between its estimates brought, of the last run.
  void keep(std::vector<Promise>& promises) {
    const auto& run = runs_.all.back();
    PromiseKept kept{run.name, promises.size()};
    double squares = 0, promised = 0;
    std::vector<double> differences;
    for (std::size_t k = 0; k < promises.size(); ++k) {
      auto& promise = promises[k];
      const bool whole = promises.size() == 1;
      const auto row_of = [&](Day day) {
        return std::size_t(std::ranges::lower_bound(run.days, day) - run.days.begin());
      };
      const auto delay = std::size_t(settings_.delay);
      const auto from = (whole ? 0 : row_of(promise.from)) + delay;
      const auto end = k + 1 < promises.size() ? row_of(promises[k + 1].from) + delay : run.days.size();
      const auto to = std::min(end, run.days.size() - 1);
      if (to < from + 2) continue;
      const auto brought = delivered(run, from, to, basis_.risk_free);
      promise.from = run.days[from];
      promise.to = run.days[to];
      promise.delivered_return = brought.mean;
      promise.delivered_volatility = brought.volatility;
      promise.delivered_sharpe = brought.sharpe;
      squares += brought.squares;
      promised += double(to - from) * promise.volatility * promise.volatility / run.rows_per_year;
      differences.push_back(brought.mean - promise.expected_return);
      runs_.promised.push_back(promise);
    }
    if (differences.empty()) return;
    kept.estimates = differences.size();
    if (promised > 0) kept.volatility_ratio = std::sqrt(squares / promised);
    const Eigen::Map<const Eigen::ArrayXd> all(differences.data(), Eigen::Index(differences.size()));
    kept.mean_difference = all.mean();
    const double count = double(differences.size());
    if (count > 1) kept.difference_error = std::sqrt((all - all.mean()).square().sum() / (count - 1) / count);
    runs_.kept.push_back(kept);
  }

  const Universe& universe_;
  const Basis& basis_;
  const Portfolios& portfolios_;
  const Sources& sources_;
  const Settings& settings_;
  Runs runs_;
  PriceTable walk_, table_;
  Basis latest_;  // of the run that is being made
  std::vector<Schedule> schedules_;
  RehearsalOptions how_;
  RehearsalPlan plan_;
  std::exception_ptr first_;
};

}  // namespace

Runs runs_of(const Universe& universe, const Basis& basis, const Portfolios& portfolios, const Sources& sources,
             const Settings& settings, const Watch& watch) {
  return Rehearsing(universe, basis, portfolios, sources, settings, watch).make();
}

std::vector<TimingLuck> timing_of(const Universe& universe, const Basis& basis, const Portfolios& portfolios,
                                  const Sources& sources, const Settings& settings, const std::string& portfolio,
                                  const LuckOptions& options) {
  return Rehearsing(universe, basis, portfolios, sources, settings, options.watch).timing(portfolio, options.threads);
}

}  // namespace inchtide
