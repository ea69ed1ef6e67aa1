#include "rehearsal/market.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "rehearsal/calendar.hpp"
#include "rehearsal/tolerances.hpp"

namespace inchtide {
namespace {

void note(WalkState& state, Event event) {
  state.so_far.log.push_back(std::move(event));
}

}  // namespace

Market::Market(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options)
    : table_(table), options_(options) {
  read_actions();
  read_ends(plan);
}

void Market::read_actions() {
  for (const auto& action : options_.actions) {
    const auto asset = find_name(action.asset, table_.codes());
    if (!asset || action.ex_day <= table_.days.front() || action.ex_day > table_.days.back()) continue;
    if (!(action.split > 0) || !std::isfinite(action.split) || !(action.dividend >= 0) ||
        !std::isfinite(action.dividend)) {
      throw InputError(Where::of_asset(action.asset),
                       fmt::format("a split of {} and a dividend of {} on {}", action.split, action.dividend,
                                   to_string(action.ex_day)),
                       "Give a split above 0 and a dividend of 0 or more");
    }
    const auto row = std::size_t(std::ranges::lower_bound(table_.days, action.ex_day) - table_.days.begin());
    actions_.push_back({row, Eigen::Index(*asset), action.split, action.dividend, action.pay_day});
  }
  std::ranges::stable_sort(actions_, {}, &Action::row);
}

void Market::read_ends(const RehearsalPlan& plan) {
  for (const auto& end : options_.ends) {
    const auto asset = find_name(end.asset, table_.codes());
    if (!asset) continue;  // of an asset that this run doesn't have
    const auto where = Where::of_asset(end.asset);
    if (end.day < table_.days[options_.first_row] || end.day > table_.days.back()) {
      throw InputError(where,
                       fmt::format("its end on {} lies outside the rehearsal '{}'", to_string(end.day), plan.name),
                       fmt::format("Give a day from {} to {}", to_string(table_.days[options_.first_row]),
                                   to_string(table_.days.back())));
    }
    if (!(end.haircut >= 0 && end.haircut <= 1)) {
      throw InputError(where, fmt::format("a haircut of {}", end.haircut), "Give a share from 0 to 1");
    }
    const auto row = std::size_t(std::ranges::lower_bound(table_.days, end.day) - table_.days.begin());
    for (std::size_t t = row; t < table_.rows(); ++t) {
      if (table_.days[t] <= end.day || std::isnan(table_.prices(Eigen::Index(t), Eigen::Index(*asset)))) continue;
      throw InputError(
          where, fmt::format("it ends on {} and has a price on {}", to_string(end.day), to_string(table_.days[t])),
          "Give the day of its last price, or no end");
    }
    ends_.push_back({row, Eigen::Index(*asset), end.haircut});
  }
  std::ranges::stable_sort(ends_, {}, &End::row);
}

bool Market::acts(std::size_t row) const {
  return std::ranges::binary_search(actions_, row, {}, &Action::row) ||
         std::ranges::binary_search(ends_, row, {}, &End::row);
}

void Market::look_back(WalkState& state) const {
  for (std::size_t t = 0; t < options_.first_row; ++t) {
    price(state, t);
    for (const auto& action : of_row(actions_, t)) {
      if (state.closed_for[std::size_t(action.asset)] > 0) state.last_price[action.asset] /= action.split;
    }
  }
}

double Market::wealth_at_start(const WalkState& state) const {
  double wealth = state.ledger.cash + state.ledger.owed;
  for (Eigen::Index i = 0; i < state.ledger.units.size(); ++i) {
    if (state.ledger.units[i] == 0) continue;
    const double own = table_.prices(Eigen::Index(options_.first_row), i);
    if (!std::isnan(own) && (!(own > 0) || std::isinf(own))) table_.check();
    const double price = std::isnan(own) ? state.last_price[i] : own;
    if (std::isnan(price)) {
      throw InputError(Where::of_asset(table_.assets[std::size_t(i)].code),
                       fmt::format("it is held, and has no price up to {}", to_string(table_.days[options_.first_row])),
                       "Start later");
    }
    wealth += state.ledger.units[i] * price;
  }
  return wealth;
}

double Market::paper_return(const WalkState& before, std::size_t row, const Eigen::VectorXd& weights) const {
  double sum = 0;
  for (Eigen::Index i = 0; i < weights.size(); ++i) {
    const double own = table_.prices(Eigen::Index(row), i), last = before.last_price[i];
    if (weights[i] == 0 || std::isnan(last)) continue;
    double held = std::isnan(own) ? last : own, paid = 0;  // for a share of the row before
    for (const auto& action : of_row(actions_, row)) {
      if (action.asset != i) continue;
      paid += action.dividend * (1 - options_.withholding);
      if (!std::isnan(own)) held *= action.split;
    }
    sum += weights[i] * ((held + paid) / last - 1);
  }
  const double years = double((table_.days[row] - table_.days[row - 1]).count()) / days_of_charges;
  return sum + (1 - weights.sum()) * years * options_.cash_rate;
}

double Market::pass(WalkState& state, std::size_t row, const TradeTerms& terms) const {
  const double fees = row > options_.first_row ? charge(state, row, terms.costs) : 0.0;
  price(state, row);
  end_those_due(state, row);
  act(state, row, terms);
  pay_out(state, row);
  return fees;
}

/// On the values of the close before.
double Market::charge(WalkState& state, std::size_t row, const std::vector<AssetCosts>& costs) const {
  const double years = double((table_.days[row] - table_.days[row - 1]).count()) / days_of_charges;
  double custody = 0, borrowing = 0, shorts = 0;
  for (Eigen::Index i = 0; i < state.ledger.units.size(); ++i) {
    if (state.ledger.units[i] == 0) continue;
    const double value = state.ledger.units[i] * state.last_price[i];
    custody += std::abs(value) * costs[std::size_t(i)].custody;
    if (value >= 0) continue;
    shorts -= value;
    borrowing -= value * costs[std::size_t(i)].borrowing;
  }
  custody *= years;
  borrowing *= years;
  const double cash = state.ledger.cash, earning = std::max(0.0, options_.proceeds_earn ? cash : cash - shorts);
  const double overdraft = options_.overdraft_rate.value_or(options_.risk_free);
  const double interest = years * (earning * options_.cash_rate + std::min(0.0, cash) * overdraft);
  state.ledger.cash += interest - custody - borrowing;
  auto& running = state.so_far.running;
  running.custody += custody;
  running.borrowing += borrowing;
  running.interest += interest;
  return custody + borrowing;
}

void Market::price(WalkState& state, std::size_t row) const {
  for (Eigen::Index i = 0; i < state.last_price.size(); ++i) {
    const double own = table_.prices(Eigen::Index(row), i);
    auto& closed = state.closed_for[std::size_t(i)];
    if (std::isnan(own)) {
      ++closed;
      continue;
    }
    if (!(own > 0) || std::isinf(own)) table_.check();  // which names it
    if (state.ended[std::size_t(i)]) {
      const auto& log = state.so_far.log;
      const auto& code = table_.assets[std::size_t(i)].code;
      const auto end = std::ranges::find_if(
          log, [&](const Event& event) { return event.kind == Event::Kind::end && event.asset == code; });
      throw InputError(Where::of_asset(code),
                       fmt::format("it was taken to have ended on {} and has a price on {}",
                                   to_string(end == log.end() ? Day{} : end->day), to_string(table_.days[row])),
                       "Let more rows pass before an asset has ended, or declare the day");
    }
    state.last_price[i] = own;
    closed = 0;
  }
}

void Market::end_those_due(WalkState& state, std::size_t row) const {
  for (const auto& end : of_row(ends_, row)) {
    this->end(state, row, end.asset, end.haircut);
  }
  if (!options_.ended_after) return;
  for (std::size_t i = 0; i < state.closed_for.size(); ++i) {
    if (state.closed_for[i] >= *options_.ended_after && !std::isnan(state.last_price[Eigen::Index(i)])) {
      end(state, row, Eigen::Index(i), 0);
    }
  }
}

void Market::end(WalkState& state, std::size_t row, Eigen::Index asset, double haircut) const {
  auto& ended = state.ended[std::size_t(asset)];
  if (ended) return;
  ended = 1;
  const double units = state.ledger.units[asset];
  const double value = units == 0 ? 0 : units * state.last_price[asset];
  state.ledger.units[asset] = 0;
  state.ledger.cash += value - std::abs(value) * haircut;
  state.so_far.running.haircuts += std::abs(value) * haircut;
  note(state, {Event::Kind::end, table_.days[row], table_.assets[std::size_t(asset)].code, value, ""});
}

void Market::act(WalkState& state, std::size_t row, const TradeTerms& terms) const {
  if (row <= options_.first_row) return;  // what is held then has them behind it
  for (const auto& action : of_row(actions_, row)) {
    auto& units = state.ledger.units[action.asset];
    const auto& code = table_.assets[std::size_t(action.asset)].code;
    if (state.decision) {
      auto& decided = state.decision->prices[action.asset];
      decided = (decided - action.dividend * (1 - options_.withholding)) / action.split;
    }
    if (action.dividend > 0 && units != 0) {
      const double cash = units * action.dividend * (1 - options_.withholding);
      note(state, {Event::Kind::dividend, table_.days[row], code, cash, ""});
      state.so_far.running.dividends += cash;
      state.owed.emplace_back(action.pay_day.value_or(table_.days[row]), cash);
      state.ledger.owed += cash;
    }
    if (action.split != 1) split(state, row, action, terms);
  }
}

void Market::split(WalkState& state, std::size_t row, const Action& action, const TradeTerms& terms) const {
  auto& units = state.ledger.units[action.asset];
  auto& price = state.last_price[action.asset];
  if (state.closed_for[std::size_t(action.asset)] > 0) price /= action.split;  // its last price is of old shares
  if (state.decision && state.decision->units.size() > 0) state.decision->units[action.asset] *= action.split;
  if (units == 0) return;
  units *= action.split;
  note(state, {Event::Kind::split, table_.days[row], table_.assets[std::size_t(action.asset)].code, action.split, ""});
  if (terms.lots.empty()) return;
  const double whole = std::copysign(std::floor(std::abs(units) * (1 + lot_rounding)), units);
  state.ledger.cash += (units - whole) * price;  // a fraction of a share is paid out
  units = whole;
}

void Market::pay_out(WalkState& state, std::size_t row) const {
  std::erase_if(state.owed, [&](const auto& dividend) {
    if (dividend.first > table_.days[row]) return false;
    state.ledger.cash += dividend.second;
    return true;
  });
  state.ledger.owed = 0;
  for (const auto& dividend : state.owed) state.ledger.owed += dividend.second;
}

Eigen::VectorXd Market::impact_at(std::size_t row) const {
  if (options_.traded_value.size() == 0) return Eigen::VectorXd::Zero(table_.prices.cols());
  return impact_figures(table_, options_.traded_value, row, [&](std::size_t t, Eigen::Index asset) {
    double split = 1;
    for (const auto& action : of_row(actions_, t)) split *= action.asset == asset ? action.split : 1.0;
    return split;
  });
}

Eigen::VectorXd impact_figures(const PriceTable& prices, const Eigen::MatrixXd& traded_value, std::size_t row,
                               const std::function<double(std::size_t, Eigen::Index)>& split) {
  Eigen::VectorXd market = Eigen::VectorXd::Zero(prices.prices.cols());
  const auto from = row + 1 > trailing_rows ? row + 1 - trailing_rows : 0;
  for (Eigen::Index i = 0; i < market.size(); ++i) {
    double sum = 0, squares = 0, traded = 0, last = std::numeric_limits<double>::quiet_NaN();
    int returns = 0, days = 0;
    for (std::size_t t = from; t <= row; ++t) {
      const double price = prices.prices(Eigen::Index(t), i), value = traded_value(Eigen::Index(t), i);
      if (std::isfinite(value) && value > 0) traded += value, ++days;
      if (split) last /= split(t, i);
      if (std::isnan(price)) continue;
      if (!std::isnan(last)) {
        const double r = price / last - 1;
        sum += r, squares += r * r, ++returns;
      }
      last = price;
    }
    if (returns < 2 || days == 0) continue;
    const double variance = std::max(0.0, (squares - sum * sum / returns) / (returns - 1));
    market[i] = std::sqrt(variance / (traded / days));
  }
  return market;
}

}  // namespace inchtide
