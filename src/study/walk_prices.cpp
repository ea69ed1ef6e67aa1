#include "study/walk_prices.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <utility>
#include <vector>

#include "base/numbers.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "rehearsal/tolerances.hpp"

namespace inchtide {
namespace {

/// At the rate of its day.
double dividend_in_currency(const Universe& universe, const CorporateAction& action) {
  PriceHistory dividend{action.asset, universe.tags.value(action.asset, "currency").value_or("")};
  dividend.days = DayList(std::vector<Day>{action.ex_day});
  dividend.prices = {action.dividend};
  const auto from = dividend.currency;
  try {
    return universe.in_currency(std::move(dividend)).prices.front();
  } catch (const InputError&) {  // its prices have rates, so there are some
    throw InputError(Where::of_asset(action.asset, action.ex_day),
                     fmt::format("its dividend of {} {} has no rate of that day", action.dividend, from),
                     {{Means::rates, fmt::format("Give rates of {} in {} around it", from, universe.currency)},
                      {Means::actions, "leave the dividend out"}});
  }
}

}  // namespace

bool had_actions(const Universe& universe, const std::string& asset) {
  return std::ranges::any_of(universe.adjusted, [&](const Adjusted& a) { return a.history.asset == asset; });
}

std::vector<PriceHistory> histories_to_walk(const Universe& universe, const Settings& settings) {
  auto histories = universe.histories;
  for (auto& history : histories) {
    // The benchmark is an index beside the runs, and keeps what actions made of its closes.
    if (!had_actions(universe, history.asset) || universe.benchmark == history.asset) continue;
    const auto bars = std::ranges::find(universe.bars, history.asset, &BarHistory::asset);
    auto raw = bars->history(settings.fields.pick(bars->asset, bars->fields_held()));
    raw.calendar = raw.currency = universe.tags.value(raw.asset, "currency").value_or("");
    if (settings.drop_misprints) (void)drop_spikes(raw);
    history = universe.in_currency(std::move(raw));
  }
  return histories;
}

std::vector<CorporateAction> actions_to_walk(const Universe& universe, const Sources& sources, const PriceTable& walk) {
  std::vector<CorporateAction> actions;
  if (!sources.actions) return actions;
  for (auto action : *sources.actions) {
    if (!find_name(action.asset, universe.assets) || !had_actions(universe, action.asset)) continue;
    const bool is_paid = action.ex_day > walk.days.front() && action.ex_day <= walk.days.back();
    if (action.dividend > 0 && is_paid) action.dividend = dividend_in_currency(universe, action);
    actions.push_back(std::move(action));
  }
  return actions;
}

Eigen::MatrixXd traded_to_walk(const Universe& universe, const PriceTable& walk, const std::vector<AssetCosts>& costs) {
  Eigen::MatrixXd traded = Eigen::MatrixXd::Constant(walk.prices.rows(), walk.prices.cols(), no_figure);
  for (std::size_t i = 0; i < walk.assets.size(); ++i) {
    if (!has_impact({costs[i]})) continue;
    const auto& asset = walk.assets[i].code;
    const auto bars = std::ranges::find(universe.bars, asset, &BarHistory::asset);
    const auto& closes = bars->of(PriceField::close);
    const auto& volumes = bars->of(PriceField::volume);
    PriceHistory money{asset, universe.tags.value(asset, "currency").value_or("")};
    std::vector<Day> days;
    for (std::size_t t = 0; t < bars->days.size() && !closes.empty() && !volumes.empty(); ++t) {
      if (!(closes[t] * volumes[t] > 0)) continue;
      days.push_back(bars->days[t]);
      money.prices.push_back(closes[t] * volumes[t]);
    }
    if (days.empty()) {
      throw InputError(Where::of_asset(asset), "it has no closes with volumes, which impact hangs on",
                       {Means::costs, "Leave its impact out"});
    }
    money.days = DayList(std::move(days));
    money = universe.in_currency(std::move(money));
    for (std::size_t t = 0; t < money.days.size(); ++t) {
      const auto row = std::ranges::lower_bound(walk.days, money.days[t]) - walk.days.begin();
      if (std::size_t(row) == walk.rows() || walk.days[std::size_t(row)] != money.days[t]) continue;
      traded(row, Eigen::Index(i)) = money.prices[t];
    }
  }
  return traded;
}

std::optional<Notice> notice_of_unknown_impact(const PriceTable& walk, const Eigen::MatrixXd& traded,
                                               const std::vector<AssetCosts>& costs, std::size_t first_row) {
  std::vector<std::string> assets;
  for (std::size_t i = 0; i < walk.assets.size(); ++i) {
    if (!has_impact({costs[i]})) continue;
    std::size_t since = trailing_rows, days = 0;  // rows since something was traded
    Day first{};
    for (std::size_t t = 0; t < walk.rows(); ++t) {
      since = traded(Eigen::Index(t), Eigen::Index(i)) > 0 ? 0 : since + 1;
      if (t < first_row || since < trailing_rows || std::isnan(walk.prices(Eigen::Index(t), Eigen::Index(i)))) continue;
      if (days++ == 0) first = walk.days[t];
    }
    if (days == 0) continue;
    assets.push_back(fmt::format("{} (on {}{})", walk.assets[i].code, to_string(first),
                                 days == 1 ? "" : fmt::format(" and {} more day{}", days - 1, days == 2 ? "" : "s")));
  }
  if (assets.empty()) return std::nullopt;
  return Notice({},
                fmt::format("Orders decided when nothing is known to have been traded for {} days pay no impact: {}",
                            trailing_rows, fmt::join(assets, ", ")),
                {{Means::prices, "Give volumes"}, {Means::costs, "leave the impact out"}});
}

void check_for_splits(const Universe& universe, const Settings& settings, const PriceTable& walk) {
  for (const auto& finding : findings_of(universe, settings)) {
    const auto& where = finding.notice.where;
    const bool unit = finding.kind == "unit";
    if ((finding.kind != "split" && !unit) || finding.severity != Severity::warning || !where.day) continue;
    if (*where.day <= walk.days.front() || *where.day > walk.days.back()) continue;
    if (!find_name(where.asset, universe.assets) || find_name(where.asset, settings.real_moves)) continue;
    std::vector<Remedy> ways = {{Means::actions, unit ? "give a file of actions" : "Give a file of actions"},
                                {Means::price_field, "use adjusted closes", "adjusted"},
                                {Means::real_moves, "say that the move is real", where.asset}};
    if (unit) ways.insert(ways.begin(), "Bring the file to one unit");
    throw InputError(Where::of_asset(where.asset),
                     fmt::format("its closes move like {} on {}, and no actions say so: a rehearsal would make or lose "
                                 "money that nobody did",
                                 unit ? "ones in another unit" : "a split", to_string(*where.day)),
                     std::move(ways));
  }
}

}  // namespace inchtide
