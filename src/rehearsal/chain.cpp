#include "rehearsal/chain.hpp"

#include <algorithm>
#include <cmath>

#include "rehearsal/market.hpp"
#include "rehearsal/tolerances.hpp"

namespace inchtide {
namespace {

/// Rows at a time: months that are walked once more are still in a near cache, and a walk can be stopped between them.
constexpr std::size_t rows_of_a_piece = 256;
/// Rates from here on are left to the ledger, which sees whether they reach the wealth.
constexpr double near_wealth = 0.5;
/// Weights that sum to 1 but for rounding leave no cash to earn or to borrow.
constexpr double rounding_of_sums = 1e-12;

bool is_plain(const std::vector<AssetCosts>& costs) {
  return std::ranges::all_of(costs, [](const AssetCosts& c) {
    return c.buy.is_proportional() && c.sell.is_proportional() && c.custody == 0 && c.borrowing == 0;
  });
}

/// Nothing is set that hangs on money or that comes between trades.
bool keeps_to_weights(const RehearsalPlan& plan, const RehearsalOptions& options) {
  const auto& schedule = plan.schedule;
  const bool calendar = !plan.rule && !schedule.band && schedule.to == Schedule::To::targets && !schedule.cap;
  const bool targets = !plan.estimation && plan.by_date.empty() && plan.weights.size() > 0;
  const bool sizes = options.size == RehearsalOptions::Size::trade && plan.terms.lots.empty() &&
                     plan.terms.smallest_order == 0 && plan.terms.cash_floor == 0;
  const bool events =
      !options.flows.empty() || !options.ends.empty() || options.ended_after || !options.actions.empty();
  return calendar && targets && sizes && !events && options.cash_rate == 0;
}

}  // namespace

Chain::Chain(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options,
             const Calendar& calendar, const TradeTerms& terms)
    : table_(table),
      plan_(plan),
      options_(options),
      calendar_(calendar),
      terms_(terms),
      path_(table, plan.weights, options.track_targets) {
  if (!keeps_to_weights(plan, options) || !is_plain(terms.costs)) return;
  const double sum = plan.weights.sum();
  possible_ = !path_.columns().empty() && (plan.weights.array() >= 0).all() && sum <= 1 + rounding_of_sums &&
              starts_within_targets() && others_have_prices();
  if (!possible_) return;
  cash_share_ = 1 - sum;
  const auto n = Eigen::Index(path_.columns().size());
  const auto rate = [&](Eigen::Index i, double OrderCost::*part) {
    const auto& costs = terms.costs[std::size_t(path_.columns()[std::size_t(i)])];
    return std::pair(costs.buy.of(1).*part, costs.sell.of(1).*part);
  };
  all_ = {nullptr, Eigen::ArrayXd::Zero(n), Eigen::ArrayXd::Zero(n)};
  for (auto part : {&OrderCost::fee, &OrderCost::commission, &OrderCost::half_spread, &OrderCost::stamp_duty,
                    &OrderCost::conversion, &OrderCost::impact, &OrderCost::other}) {
    Part rates{part, Eigen::ArrayXd(n), Eigen::ArrayXd(n)};
    for (Eigen::Index i = 0; i < n; ++i) {
      const auto [buy, sell] = rate(i, part);
      rates.mean[i] = (buy + sell) / 2;
      rates.more_for_buys[i] = (buy - sell) / 2;
    }
    all_.mean += rates.mean;
    all_.more_for_buys += rates.more_for_buys;
    if ((rates.mean != 0).any()) parts_.push_back(std::move(rates));
  }
  possible_ = (all_.mean + all_.more_for_buys.abs()).maxCoeff() < near_wealth;
}

/// Nothing is held that has no target.
bool Chain::starts_within_targets() const {
  if (!options_.start) return true;
  const auto& start = *options_.start;
  const auto units = start.units.array();
  return (units >= 0).all() && start.cash >= 0 && start.owed == 0 && (units == 0 || plan_.weights.array() > 0).all();
}

/// Prices that are none are an error wherever they are; the path looks at those with a target.
bool Chain::others_have_prices() const {
  for (Eigen::Index i = 0; i < plan_.weights.size(); ++i) {
    if (plan_.weights[i] == 0 && (table_.prices.col(i).array() <= 0).any()) return false;
  }
  return true;
}

ScaledPositions Chain::begin(const Ledger& ledger, double wealth) {
  return {ledger.units / wealth, ledger.cash / wealth, wealth};
}

/// The rows of one piece, trade by trade. Arrays are of the assets with a target.
class Chain::Piece {
 public:
  Piece(const Chain& chain, WalkState& state, PathPiece& path, Eigen::ArrayXd units)
      : chain_(chain), state_(state), path_(path), weights_(chain.path_.targets()), units_(std::move(units)) {}

  /// Returns the units for each unit of wealth after the last trade.
  Eigen::ArrayXd walk() {
    auto row = path_.from;
    for (std::size_t k = 0; k < path_.trades.size(); ++k) {
      fill(row, path_.trades[k].traded);
      trade(k);
      row = path_.trades[k].traded + 1;
    }
    fill(row, path_.to);
    return std::move(units_);
  }

 private:
  ScaledPositions& scaled() const { return *state_.scaled; }
  [[nodiscard]] Eigen::Index in_run(std::size_t row) const { return Eigen::Index(row - chain_.options_.first_row); }
  /// Of all for a unit of the wealth after the last trade, on a row before its own.
  [[nodiscard]] double value(std::size_t row) const {
    return path_.value[Eigen::Index(row - path_.from)] + scaled().cash;
  }

  /// The figures of a row from its wealth before and after its trade.
  void fill_row(std::size_t row, double before, double after) {
    auto& run = state_.so_far;
    const auto at = in_run(row);
    run.before[at] = before;
    run.net[at] = after;
    run.flow[at] = 0;
    run.gross[at] = state_.gross *= before / state_.net;
    if (run.paper.size() > 0) {
      const bool first = row == chain_.options_.first_row;
      run.paper[at] = first ? 0.0 : path_.relatives[Eigen::Index(row - path_.from)] - (1 - chain_.cash_share_);
    }
    state_.net = after;
  }

  void fill(std::size_t from, std::size_t to) {
    for (auto row = from; row < to; ++row) {
      const double wealth = scaled().wealth * value(row);
      fill_row(row, wealth, wealth);
    }
    keep_weights(from, to);
  }

  void keep_weights(std::size_t from, std::size_t to) {
    if (!chain_.options_.keep_weights || to == from) return;
    const auto rows = Eigen::Index(to - from);
    const Eigen::ArrayXd values = path_.value.segment(Eigen::Index(from - path_.from), rows) + scaled().cash;
    for (Eigen::Index i = 0; i < units_.size(); ++i) {
      const auto column = chain_.path_.columns()[std::size_t(i)];
      state_.so_far.weights.col(column).segment(in_run(from), rows) =
          units_[i] * chain_.table_.prices.col(column).segment(Eigen::Index(from), rows).array() / values;
    }
  }

  /// Brings all positions back to their weights.
  void trade(std::size_t k) {
    const auto prices = path_.traded.col(Eigen::Index(k));
    const double whole = value(path_.trades[k].traded), wealth = scaled().wealth * whole, cash = scaled().cash / whole;
    const Eigen::ArrayXd held = units_ * prices / whole;
    const auto orders = orders_for(held, cash);
    if (!orders) {
      trade_by_ledger(k, wealth);
      return;
    }
    const auto& traded = orders->traded;
    const Eigen::ArrayXd size = traded.abs();
    Trade trade = begin_trade(k, wealth);
    trade.wealth_after = orders->left * wealth;
    trade.shrunk = orders->factor;
    for (const auto& part : chain_.parts_) {
      trade.cost.*part.part = wealth * (part.mean * size + part.more_for_buys * traded).sum();
    }
    trade.delay = wealth * (traded * waited_for(k)).sum();
    trade.order_count = std::size_t(traded.size() - orders->turned);
    if (chain_.terms_.keep_orders) add_orders(trade, traded * wealth, k);
    if (orders->turned == 0) {
      units_ = weights_ / prices;
      scaled().cash = chain_.cash_share_;
      trade.turnover = ((weights_ - held).abs().sum() + std::abs(scaled().cash - cash)) / 2;
    } else {
      const Eigen::ArrayXd after = (held + traded) / orders->left;
      units_ = after / prices;
      scaled().cash = 1 - after.sum();
      trade.turnover = ((after - held).abs().sum() + std::abs(scaled().cash - cash)) / 2;
      chain_.path_.again(path_, k, units_);
    }
    book(std::move(trade), k);
  }

  /// What waiting for a trade cost, of each unit of value that is bought.
  [[nodiscard]] Eigen::ArrayXd waited_for(std::size_t k) const {
    return 1 - path_.decided.col(Eigen::Index(k)) / path_.traded.col(Eigen::Index(k));
  }

  /// What a trade comes to, for each unit of the wealth before it.
  struct Orders {
    double left = 1;          // wealth after it
    double factor = 1;        // of purchases
    Eigen::ArrayXd traded;    // bought, or sold below 0
    Eigen::Index turned = 0;  // orders that were dropped; without, all positions are the weights of what is left
  };

  /// W + sum of rate x |w W - h| = V is straight in W while no side turns. A purchase whose side does is dropped, and
  /// as it would have been sold at W, what it keeps is short in cash: the others are made smaller. None where an order
  /// is too small to be one, or where more turn: the ledger trades then.
  [[nodiscard]] std::optional<Orders> orders_for(const Eigen::ArrayXd& held, double cash) const {
    const Eigen::ArrayXd change = weights_ - held, size = change.abs();
    if (size.minCoeff() < rounding_order) return std::nullopt;
    const Eigen::ArrayXd side = change / size;
    const Eigen::ArrayXd rates = chain_.all_.mean * side + chain_.all_.more_for_buys;  // below 0 for sales
    Orders orders;
    orders.left = (1 + (rates * held).sum()) / (1 + (rates * weights_).sum());
    orders.traded = weights_ * orders.left - held;
    if ((orders.traded * side).minCoeff() >= rounding_order) return orders;
    if (!drop_turned(orders, side, rates, held, cash)) return std::nullopt;
    return orders;
  }

  /// Orders without those that turned. Wealth and cash after them are straight in sums over both sides, so the factor
  /// of the purchases that leaves cash at its floor takes a few steps on figures alone.
  bool drop_turned(Orders& orders, const Eigen::ArrayXd& side, const Eigen::ArrayXd& rates, const Eigen::ArrayXd& held,
                   double cash) const {
    const Eigen::ArrayXd stays = (orders.traded * side >= 0).cast<double>();
    orders.turned = Eigen::Index(double(side.size()) - stays.sum());
    const Eigen::ArrayXd buys = (side > 0).cast<double>() * stays, sells = (side < 0).cast<double>() * stays;
    const Side bought(buys, weights_, held, rates), sold(sells, weights_, held, rates);
    const auto wealth = [&](double factor) {
      return (1 + factor * bought.held_cost + sold.held_cost) / (1 + factor * bought.cost + sold.cost);
    };
    const auto room = [&](double factor) {
      const double left = wealth(factor), floor = std::min(0.0, chain_.cash_share_) * left;
      return cash - factor * bought.paid(left) - sold.paid(left) - floor;
    };
    orders.left = wealth(1);
    double at = room(1);
    for (int step = 0; at < -cash_rounding && step < newton_steps; ++step) {
      orders.factor += at / bought.paid(orders.left);
      orders.left = wealth(orders.factor);
      at = room(orders.factor);
      if (std::abs(at) <= cash_rounding) break;
    }
    const Eigen::ArrayXd change = weights_ * orders.left - held;
    orders.traded = change * (orders.factor * buys + sells);
    const bool more = (orders.traded * side + (1 - stays) < rounding_order).any();  // turn, or are too small
    return at >= -cash_rounding && !more;
  }

  /// Sums over the orders of one side.
  struct Side {
    Side(const Eigen::ArrayXd& members, const Eigen::ArrayXd& weights, const Eigen::ArrayXd& held,
         const Eigen::ArrayXd& rates)
        : weight((members * weights).sum()),
          position((members * held).sum()),
          cost((members * weights * rates).sum()),
          held_cost((members * held * rates).sum()) {}
    /// What the orders take out of cash, their costs included.
    [[nodiscard]] double paid(double left) const { return (weight + cost) * left - (position + held_cost); }
    double weight, position, cost, held_cost;
  };

  Trade begin_trade(std::size_t k, double wealth) const {
    Trade trade;
    trade.decided = chain_.table_.days[path_.trades[k].decided];
    trade.traded = chain_.table_.days[path_.trades[k].traded];
    trade.wealth_before = wealth;
    return trade;
  }

  void add_orders(Trade& trade, const Eigen::ArrayXd& values, std::size_t k) const {
    trade.orders.reserve(trade.order_count);
    for (Eigen::Index j = 0; j < values.size(); ++j) {
      if (values[j] == 0) continue;
      const auto i = chain_.path_.columns()[std::size_t(j)];
      const double price = path_.traded(j, Eigen::Index(k));
      trade.orders.push_back(
          {i, values[j] / price, price, values[j], chain_.terms_.costs[std::size_t(i)].of_trade(values[j])});
    }
  }

  /// The positions that come of it are no longer the weights, so the rows up to the next trade are walked once more.
  void trade_by_ledger(std::size_t k, double wealth) {
    const auto& columns = chain_.path_.columns();
    const auto prices = path_.traded.col(Eigen::Index(k));
    const Eigen::ArrayXd before = scaled().wealth * units_;
    auto ledger = chain_.ledger_of(before, scaled().wealth * scaled().cash);
    const auto dates = begin_trade(k, wealth);
    TradingDay day{dates.decided, dates.traded, Eigen::VectorXd::Ones(chain_.plan_.weights.size())};
    day.prices(columns) = prices.matrix();
    auto trade = ledger.trade({chain_.plan_.weights}, day, chain_.terms_);
    const Eigen::ArrayXd units = ledger.units(columns).array();
    trade.delay = ((units - before) * prices * waited_for(k)).sum();
    units_ = units / trade.wealth_after;
    scaled().cash = ledger.cash / trade.wealth_after;
    chain_.path_.again(path_, k, units_);
    book(std::move(trade), k);
  }

  void book(Trade trade, std::size_t k) {
    const auto row = path_.trades[k].traded;
    fill_row(row, trade.wealth_before, trade.wealth_after);
    scaled().wealth = trade.wealth_after;
    if (chain_.options_.keep_weights) {
      const Eigen::ArrayXd weights = units_ * path_.traded.col(Eigen::Index(k));
      const auto& columns = chain_.path_.columns();
      for (std::size_t i = 0; i < columns.size(); ++i) {
        state_.so_far.weights(in_run(row), columns[i]) = weights[Eigen::Index(i)];
      }
    }
    if (trade.order_count > 0) state_.so_far.trades.push_back(std::move(trade));
  }

  const Chain& chain_;
  WalkState& state_;
  PathPiece& path_;
  const Eigen::ArrayXd& weights_;
  Eigen::ArrayXd units_;
};

/// What is decided and traded on rows up to one, which hangs on the calendar alone.
std::vector<TradeRows> Chain::decide(std::optional<std::size_t>& waits, std::size_t from, std::size_t to,
                                     std::vector<Event>& log) const {
  std::vector<TradeRows> trades;
  const auto look = [&](std::size_t row) {
    if (row != options_.first_row && !calendar_.looks(row)) return;
    waits = row;
    log.push_back({Event::Kind::decision, table_.days[row], "", 0, ""});
  };
  const auto delay = std::size_t(options_.delay);
  for (auto row = from; row < to; ++row) {
    bool looked = false;
    if (!waits && delay == 0) {
      look(row);
      looked = true;
    }
    if (waits && row >= *waits + delay) {
      trades.push_back({*waits, row});
      waits.reset();
    }
    if (!waits && !looked) look(row);
  }
  return trades;
}

void Chain::pass(WalkState& state, std::size_t to_row) const {
  PathPiece piece;
  while (state.scaled && state.row < to_row) {
    options_.watch.check();
    const auto to = std::min(to_row, state.row + rows_of_a_piece);
    walk_piece(state, to, piece);
  }
}

void Chain::walk_piece(WalkState& state, std::size_t to, PathPiece& piece) const {
  std::optional<std::size_t> waits;
  if (state.decision) waits = state.decision->row;
  const Eigen::ArrayXd units = state.scaled->units(path_.columns()).array();
  std::vector<Event> log;
  auto still = waits;
  path_.walk(piece, state.row, to, units, decide(still, state.row, to, log));
  const bool ends = piece.bad < to;
  if (ends) {
    to = piece.bad;
    if (to == state.row) {
      state.scaled.reset();
      return;
    }
    log.clear();
    still = waits;
    auto trades = decide(still, state.row, to, log);
    path_.walk(piece, state.row, to, units, std::move(trades));
  }
  const auto after = Piece(*this, state, piece, units).walk();
  auto& told = state.so_far.log;
  told.insert(told.end(), log.begin(), log.end());
  state.row = to;
  hand_over(state, after, still);
  if (ends) state.scaled.reset();
}

Ledger Chain::ledger_of(const Eigen::ArrayXd& units, double cash) const {
  Ledger ledger{Eigen::VectorXd::Zero(plan_.weights.size()), cash};
  ledger.units(path_.columns()) = units.matrix();
  return ledger;
}

/// What a walk by the ledger would have in its state after the last row.
void Chain::hand_over(WalkState& state, const Eigen::ArrayXd& units, const std::optional<std::size_t>& waits) const {
  const auto last = Eigen::Index(state.row) - 1;
  auto& scaled = *state.scaled;
  scaled.units = ledger_of(units, 0).units;
  state.ledger = ledger_of(scaled.wealth * units, scaled.wealth * scaled.cash);
  for (Eigen::Index i = 0; i < state.last_price.size(); ++i) {
    const double price = table_.prices(last, i);
    auto& closed = state.closed_for[std::size_t(i)];
    closed = std::isnan(price) ? closed + 1 : 0;
    if (!std::isnan(price)) state.last_price[i] = price;
  }
  state.decision.reset();
  if (!waits) return;
  state.decision = Decision{*waits};
  state.decision->prices = table_.prices.row(Eigen::Index(*waits)).transpose();
}

}  // namespace inchtide
