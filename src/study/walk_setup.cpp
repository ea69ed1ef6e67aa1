#include "study/walk_setup.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <chrono>
#include <cmath>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "rehearsal/tolerances.hpp"
#include "study/choosing_anew.hpp"
#include "study/walk_prices.hpp"

namespace inchtide {
namespace {

/// The schedules asked for, each once; else the usual ones that look within the walk.
std::vector<Schedule> schedules_of(const Settings& settings, const PriceTable& walk, std::vector<Notice>& warnings) {
  std::vector<Schedule> schedules;
  for (const auto& schedule : settings.schedules) {
    const auto same = std::ranges::find_if(schedules, [&](const Schedule& s) { return s.same_as(schedule); });
    if (same == schedules.end()) {
      schedules.push_back(schedule);
    } else if (same->name == schedule.name) {
      warnings.push_back(fmt::format("Schedule {} is there more than once, and run once", schedule.name));
    } else {
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

/// Holes of the last column take the price before them; on which days.
std::vector<Day> carry_last_column(PriceTable& walk) {
  const auto last = walk.prices.cols() - 1;
  std::vector<Day> carried;
  for (Eigen::Index t = 1; t < walk.prices.rows(); ++t) {
    if (std::isfinite(walk.prices(t, last)) || !std::isfinite(walk.prices(t - 1, last))) continue;
    walk.prices(t, last) = walk.prices(t - 1, last);
    carried.push_back(walk.days[std::size_t(t)]);
  }
  return carried;
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

/// That a price is a misprint is told by the prices after it, which nobody has on its day.
void warn_of_hindsight(const Universe& universe, const Settings& settings, const PriceTable& walk,
                       std::vector<Notice>& warnings) {
  if (!settings.drop_misprints) return;
  std::vector<std::string> taken_out;
  for (const auto& [asset, spike] : universe.misprints) {
    const bool walked = std::ranges::find(walk.assets, asset, &PricedAsset::code) != walk.assets.end();
    if (spike.day < walk.days.front() || spike.day > walk.days.back() || !walked) continue;
    taken_out.push_back(fmt::format("{} on {}", asset, to_string(spike.day)));
  }
  if (taken_out.empty()) return;
  const auto more = taken_out.size() - 1;
  warnings.push_back(fmt::format(
      "The walk is without a price that is a likely misprint as later ones came back from it, which nobody knew on its "
      "day: {}{}",
      taken_out.front(), more > 0 ? fmt::format(" and {} more", more) : ""));
}

/// The flows of a plan on the walk's days.
std::vector<Flow> flows_of(const Settings& settings, const PriceTable& walk, std::vector<Notice>& warnings) {
  std::vector<Flow> flows;
  for (const auto& plan : settings.flows) {
    plan.check(fmt::format("flow '{}'", plan.name));
    const auto before = flows.size();
    if (plan.day) flows.push_back({*plan.day, plan.amount, plan.of_wealth});
    if (!plan.every) continue;
    const auto looks = plan.every->looks(walk.days);
    for (std::size_t t = 0; t < walk.rows(); ++t) {
      const std::chrono::year_month_day date{walk.days[t]};
      if (!looks[t] || (plan.month && unsigned(date.month()) != unsigned(*plan.month))) continue;
      flows.push_back({walk.days[t], plan.amount, plan.of_wealth});
    }
    if (flows.size() == before) {
      warnings.emplace_back(fmt::format("flow '{}'", plan.name), "none of its days is in the walk",
                            std::vector<Remedy>{"Change its calendar"});
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

/// The row of an asset's last price up to a row; nothing where it has none.
std::optional<std::size_t> row_of_last_price(const PriceTable& table, std::size_t row, Eigen::Index asset) {
  for (auto t = row + 1; t-- > 0;) {
    if (!std::isnan(table.prices(Eigen::Index(t), asset))) return t;
  }
  return std::nullopt;
}

/// So many rows before `first` as it takes to know the last price of each asset that is closed there.
std::size_t rows_to_last_prices(const PriceTable& all, std::size_t first) {
  std::size_t rows = 0;
  for (Eigen::Index i = 0; i < all.prices.cols(); ++i) {
    if (const auto last = row_of_last_price(all, first, i)) rows = std::max(rows, first - *last);
  }
  return rows;
}

/// What is held on a walk's first row, by the weights held now: at its last prices, where splits have not passed over
/// them.
Ledger held(const Eigen::VectorXd& weights, const PriceTable& table, const RehearsalOptions& how) {
  Ledger ledger{Eigen::VectorXd::Zero(weights.size()), how.wealth * (1 - weights.sum())};
  for (Eigen::Index i = 0; i < weights.size(); ++i) {
    if (weights[i] == 0) continue;
    const auto& code = table.assets[std::size_t(i)].code;
    const auto last = row_of_last_price(table, how.first_row, i);
    if (!last) {
      throw InputError(Where::of_asset(code),
                       fmt::format("it is held, and has no price up to {}", to_string(table.days[how.first_row])),
                       {Means::split, "Choose another day"});
    }
    double price = table.prices(Eigen::Index(*last), i);
    for (const auto& action : how.actions) {
      const bool passed = action.ex_day > table.days[*last] && action.ex_day < table.days[how.first_row];
      if (passed && same_name(action.asset, code)) price /= action.split;
    }
    ledger.units[i] = weights[i] * how.wealth / price;
  }
  return ledger;
}

}  // namespace

void FlowPlan::check(const Where& where) const {
  if (every.has_value() == day.has_value()) {
    throw InputError(where, every ? "it has a calendar and a day" : "it has neither a calendar nor a day", "Give one");
  }
  if (every && !every->is_calendar()) {
    throw InputError(where, fmt::format("'{}' is no calendar", every->text()), "Write one, such as 1m@first");
  }
  if (month && !every) throw InputError(where, "a day has its month already", "Leave the month out");
  if (amount == 0) throw InputError(where, "it has no amount", "Give one, or a share of the wealth");
}

PriceTable priced_days(const Universe& universe, const Settings& settings) {
  AlignPolicy any;
  any.kind = AlignPolicy::Kind::any;
  return align(histories_to_walk(universe, settings), any, universe.benchmark ? 1 : 0)
      .table.between(std::nullopt, settings.to);
}

Day split_of(const Settings& settings) {
  if (settings.split) return *settings.split;
  throw InputError("split", "none was given, so the weights would be chosen by the very prices they are tested on",
                   {Means::split, "Give a day: weights are estimated before it and rehearsed from it"});
}

Basis basis_before_split(const Universe& universe, const Sources& sources, const Settings& settings) {
  const auto split = split_of(settings);
  if (!settings.estimate_over || settings.reestimate) return basis_of(universe, sources, settings, split);
  const auto& days = universe.aligned.table.days;
  const auto after = std::ranges::lower_bound(days, split);
  if (after == days.begin()) return basis_of(universe, sources, settings, split);  // says that nothing is before it
  auto basis = basis_on(universe, sources, settings, *(after - 1));
  std::vector<std::string> without;
  for (const auto& asset : universe.assets) {
    if (!find_name(asset, basis.estimate.assets)) without.push_back(asset);
  }
  if (without.empty()) return basis;
  throw InputError("window",
                   fmt::format("not all through the {} before {} are there prices of {}",
                               settings.estimate_over->text(), to_string(split), fmt::join(without, ", ")),
                   {{Means::estimate_window, "Take a shorter one"}, {Means::assets, "leave them out"}});
}

PriceTable walk_of(const Universe& universe, const Settings& settings, std::vector<Notice>& warnings) {
  const auto split = split_of(settings);
  auto walk = priced_days(universe, settings);
  const auto holes = universe.benchmark ? carry_last_column(walk) : std::vector<Day>();
  walk = from_split(walk, split);
  const auto carried = std::ranges::count_if(holes, [&](Day day) { return day >= walk.days.front(); });
  if (carried > 0) {
    warnings.emplace_back(
        Where::of_asset(*universe.benchmark),
        fmt::format("it has no price on {} of the days of the walk, where its last one counts", carried));
  }
  warn_of_hindsight(universe, settings, walk, warnings);
  return walk;
}

WalkSetup::WalkSetup(const Universe& universe, const Basis& basis, const Sources& sources, const Settings& settings,
                     std::vector<Notice>& warnings)
    : walk(walk_of(universe, settings, warnings)),
      table(walk.only(universe.assets)),
      schedules(schedules_of(settings, walk, warnings)) {
  check_for_splits(universe, settings, walk);
  how.wealth = wealth_of(basis, settings);
  how.delay = settings.delay;
  how.risk_free = basis.risk_free;
  how.size = settings.size;
  how.flows = flows_of(settings, walk, warnings);
  how.cash_rate = settings.cash_rate;
  how.overdraft_rate = settings.overdraft_rate;
  how.proceeds_earn = settings.proceeds_earn;
  how.holiday_rows = settings.holiday_rows;
  how.ended_after = settings.ended_after;
  how.ends = settings.ends;
  how.withholding = settings.withholding;
  plan.tags = universe.tags;
  plan.terms = {asset_costs(settings.costs, universe.assets, universe.tags), settings.smallest_order,
                lots_of(settings, universe, table), settings.cash_floor};
  add_history(universe, settings, warnings);
  how.actions = actions_to_walk(universe, sources, walk);
  if (settings.withholding > 0 && how.actions.empty()) {
    warnings.push_back({{},
                        "Nothing is withheld from dividends, as none is paid apart from prices",
                        {{Means::actions, "Give a file of them"}, {Means::price_field, "walk raw closes", "close"}}});
  }
  if (!settings.start_from_current) return;
  if (basis.facts.current.size() == 0) {
    throw InputError("rehearsal", "it is to start from what is held now, which isn't known",
                     {{Means::current, "Give the weights"}});
  }
  how.start = held(basis.facts.current, table, how);
}

void WalkSetup::add_history(const Universe& universe, const Settings& settings, std::vector<Notice>& warnings) {
  const bool impact = has_impact(plan.terms.costs);
  if (!impact && !table.prices.row(0).hasNaN()) return;
  const auto all = priced_days(universe, settings).only(universe.assets);
  const auto first = std::size_t(std::ranges::lower_bound(all.days, walk.days.front()) - all.days.begin());
  how.first_row = std::max(rows_to_last_prices(all, first), impact ? std::min(first, trailing_rows) : 0);
  table = all.between(all.days[first - how.first_row], std::nullopt);
  if (!impact) return;
  how.traded_value = traded_to_walk(universe, table, plan.terms.costs);
  if (auto unknown = notice_of_unknown_impact(table, how.traded_value, plan.terms.costs, how.first_row)) {
    warnings.push_back(std::move(*unknown));
  }
}

}  // namespace inchtide
