#include "rehearsal/chain.hpp"

#include <algorithm>
#include <cmath>

#include "rehearsal/market.hpp"
#include "rehearsal/tolerances.hpp"
#include "rehearsal/weight_orders.hpp"

namespace inchtide {
namespace {

/// Rows at a time: months that are walked once more are still in a near cache, and a walk can be stopped between them.
constexpr std::size_t rows_of_a_piece = 160;
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
  const bool own_bands = !schedule.band || (schedule.band->column.empty() && !schedule.band->cash);
  const bool all_back = !plan.rule && own_bands && schedule.to == Schedule::To::targets && !schedule.cap;
  const bool targets = !plan.estimation && plan.by_date.empty() && plan.weights.size() > 0;
  const bool sizes = options.size == RehearsalOptions::Size::trade && plan.terms.lots.empty() &&
                     plan.terms.smallest_order == 0 && plan.terms.cash_floor == 0;
  const bool events =
      !options.flows.empty() || !options.ends.empty() || options.ended_after || !options.actions.empty();
  return all_back && targets && sizes && !events && options.cash_rate == 0;
}

}  // namespace

Chain::Chain(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options,
             const Calendar& calendar, const TradeTerms& terms, const PathPiece* shared)
    : table_(table),
      plan_(plan),
      options_(options),
      terms_(terms),
      shared_(shared),
      cash_share_(1 - plan.weights.sum()),
      decisions_(calendar, plan.schedule, options),
      path_(table, plan.weights, cash_share_, options.track_targets, decisions_) {
  if (!keeps_to_weights(plan, options) || !is_plain(terms.costs)) return;
  possible_ = !path_.columns().empty() && (plan.weights.array() >= 0).all() && cash_share_ >= -rounding_of_sums &&
              starts_within_targets() && (shared || others_have_prices());
  if (!possible_) return;
  add_rates();
  possible_ = (all_.mean + all_.more_for_buys.abs()).maxCoeff() < near_wealth;
}

void Chain::add_rates() {
  const auto& columns = path_.columns();
  const auto n = Eigen::Index(columns.size());
  std::vector<std::pair<OrderCost, OrderCost>> sides;  // of a unit of money bought, and sold
  sides.reserve(columns.size());
  for (const auto column : columns) {
    const auto& costs = terms_.costs[std::size_t(column)];
    sides.emplace_back(costs.buy.of(1), costs.sell.of(1));
  }
  all_ = {nullptr, Eigen::ArrayXd::Zero(n), Eigen::ArrayXd::Zero(n)};
  for (auto part : {&OrderCost::fee, &OrderCost::commission, &OrderCost::half_spread, &OrderCost::stamp_duty,
                    &OrderCost::conversion, &OrderCost::impact, &OrderCost::other}) {
    if (std::ranges::all_of(sides, [&](const auto& s) { return s.first.*part == 0 && s.second.*part == 0; })) continue;
    Part rates{part, Eigen::ArrayXd(n), Eigen::ArrayXd(n)};
    for (Eigen::Index i = 0; i < n; ++i) {
      const auto& [buy, sell] = sides[std::size_t(i)];
      rates.mean[i] = (buy.*part + sell.*part) / 2;
      rates.more_for_buys[i] = (buy.*part - sell.*part) / 2;
    }
    all_.mean += rates.mean;
    all_.more_for_buys += rates.more_for_buys;
    parts_.push_back(std::move(rates));
  }
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

ScaledPositions Chain::begin(const Ledger& ledger, double wealth, Eigen::Index rows) {
  ScaledPositions scaled{ledger.units / wealth, ledger.cash / wealth, wealth, wealth};
  scaled.returns.emplace().quiet.setZero(rows);
  return scaled;
}

/// The rows of one piece, trade by trade. Arrays are of the assets with a target.
class Chain::Piece {
 public:
  /// @param held what there is at its beginning
  Piece(const Chain& chain, WalkState& state, const PathPiece& path, UnitPositions held)
      : chain_(chain),
        state_(state),
        path_(path),
        weights_(chain.path_.targets()),
        held_(std::move(held)),
        orders_(weights_, chain.cash_share_, chain.all_.mean, chain.all_.more_for_buys) {
    if (scaled().returns && scaled().returns->units.size() > 0) add_path_alone();
  }

  /// Returns the row after the last one that it came to: where a trade that is not back to all targets makes another
  /// day the next one, not the end.
  std::size_t walk() {
    auto row = path_.from;
    for (std::size_t k = 0; k < path_.trades.size(); ++k) {
      fill(row, path_.trades[k].traded);
      note_decision(path_.trades[k].decided);
      trade(k);
      row = path_.trades[k].traded + 1;
      if (is_off_path_ && !add_own_rows(k)) {
        scaled().returns.reset();
        return finish(row);
      }
    }
    fill(row, path_.to);
    waits_ = path_.waits;
    return finish(path_.to);
  }

  /// The trades, and of the rows between them those that are asked for or are not the path's. False where costs may
  /// move the days of trades.
  bool trade_all(std::size_t measured_from) {
    auto row = path_.from;
    const auto pass = [&](std::size_t to) {
      if (is_off_path_) {
        fill(row, to);
      } else if (row < to) {
        if (measured_from >= row && measured_from < to) write(measured_from);
        if (to == path_.to) write(to - 1);
        scaled().worth = worth(to - 1);
      }
      row = to;
    };
    for (std::size_t k = 0; k < path_.trades.size(); ++k) {
      pass(path_.trades[k].traded);
      trade(k);
      if (is_off_path_ && !add_own_rows(k)) return false;
      ++row;
    }
    pass(path_.to);
    return true;
  }

  /// What there is at its end, and the decision that is left.
  [[nodiscard]] const UnitPositions& held() const { return held_; }
  [[nodiscard]] const std::optional<std::size_t>& waits() const { return waits_; }

 private:
  ScaledPositions& scaled() const { return *state_.scaled; }
  [[nodiscard]] Eigen::Index in_run(std::size_t row) const { return Eigen::Index(row - chain_.options_.first_row); }
  [[nodiscard]] Eigen::Index in_piece(std::size_t row) const { return Eigen::Index(row - path_.from); }

  /// Of all positions on rows before their own trade, cash aside, for a unit of the wealth after the last one.
  [[nodiscard]] const double* values(std::size_t row) const {
    return is_off_path_ ? own_.data() + (row - own_from_) : path_.value.data() + in_piece(row);
  }

  [[nodiscard]] double worth(std::size_t row) const { return *values(row) + held_.cash; }

  /// A row on which nothing happens.
  void write(std::size_t row) {
    auto& run = state_.so_far;
    run.before[in_run(row)] = run.net[in_run(row)] = scaled().wealth * worth(row);
    run.gross[in_run(row)] = scaled().gross * worth(row);
  }

  /// Of rows on which nothing happens.
  template <typename Worth>
  void keep_returns(std::size_t from, const Worth& worth) {
    auto& kept = *scaled().returns;
    const auto rows = worth.size(), first = in_run(from);
    const auto from_close_to_close = [&](const auto& all, double before, Eigen::Index k) {
      return all[k] / (k == 0 ? before : all[k - 1]) - 1;
    };
    const bool elsewhere = is_off_path_ || path_alone_.size() > 0;
    if (elsewhere) {
      for (Eigen::Index k = 0; k < rows; ++k) {
        kept.own.push_back({first + k, from_close_to_close(worth, scaled().worth, k)});
      }
    }
    if (kept.quiet.size() == 0) return;  // they are known
    auto quiet = kept.quiet.segment(first, rows).array();
    const auto take = [&](const auto& all) {
      quiet[0] = first == 0 ? 0 : from_close_to_close(all, kept.worth, 0);
      quiet.tail(rows - 1) = all.tail(rows - 1) / all.head(rows - 1) - 1;
      kept.worth = all[rows - 1];
    };
    if (!elsewhere) return take(worth);
    const auto* values = path_alone_.size() > 0 ? path_alone_.data() : path_.value.data() + in_piece(from);
    take(Eigen::Map<const Eigen::ArrayXd>(values, rows) + chain_.cash_share_);
  }

  /// Rows on which nothing happens.
  void fill(std::size_t from, std::size_t to) {
    const auto rows = Eigen::Index(to - from);
    if (rows == 0) return;
    auto& run = state_.so_far;
    const Eigen::Map<const Eigen::ArrayXd> held(values(from), rows);
    const auto worth = held + held_.cash;
    run.before.segment(in_run(from), rows) = scaled().wealth * worth;
    run.gross.segment(in_run(from), rows) = scaled().gross * worth;
    run.net.segment(in_run(from), rows) = run.before.segment(in_run(from), rows);
    if (scaled().returns) keep_returns(from, worth);
    scaled().worth = worth[rows - 1];
    if (!chain_.options_.keep_weights) return;
    for (Eigen::Index i = 0; i < weights_.size(); ++i) {
      const auto column = chain_.path_.columns()[std::size_t(i)];
      run.weights.col(column).segment(in_run(from), rows) =
          held_.units[i] * chain_.table_.prices.col(column).segment(Eigen::Index(from), rows).array() / worth;
    }
  }

  /// What is the same on all rows, up to the one that was come to.
  std::size_t finish(std::size_t to) {
    if (waits_) note_decision(*waits_);
    const auto rows = Eigen::Index(to - path_.from), first = in_run(path_.from);
    auto& run = state_.so_far;
    run.flow.segment(first, rows).setZero();
    if (run.paper.size() > 0) {
      run.paper.segment(first, rows) = path_.relatives.head(rows) - (1 - chain_.cash_share_);
      if (first == 0) run.paper[0] = 0;
    }
    state_.net = run.net[first + rows - 1];
    state_.gross = run.gross[first + rows - 1];
    if (scaled().returns && last_trade_) {
      auto& units = scaled().returns->units;
      if (is_off_path_) units = chain_.ledger_of(path_.units.col(*last_trade_), 0).units;
      if (!is_off_path_) units.resize(0);
    }
    return to;
  }

  void note_decision(std::size_t row) {
    if (row < path_.from || chain_.options_.brief) return;
    state_.so_far.log.push_back({Event::Kind::decision, chain_.table_.days[row], "", 0, ""});
  }

  /// Brings all positions back to their weights.
  void trade(std::size_t k) {
    const double whole = *values(path_.trades[k].traded) + held_.cash, wealth = scaled().wealth * whole;
    if (is_off_path_) own_before_ = held_.units * path_.prices.col(Eigen::Index(k)) * (1 / whole);
    before_ = is_off_path_ ? own_before_.data() : &path_.held(0, Eigen::Index(k));
    auto& trade = begin_trade(k, wealth);
    const double cash = held_.cash / whole;
    if (orders_.make(before_, cash)) {
      add_orders(trade, k, cash);
    } else {
      trade_by_ledger(trade, k);
    }
    if (scaled().returns) keep_return(k, whole);
    scaled().worth = 1;
    book(trade, k, whole);
  }

  /// Where all weights would have made another day the next one, a run's days hang on its costs.
  void add_path_alone() {
    const auto to = path_.trades.empty() ? path_.to : path_.trades.front().traded + 1;
    const UnitPositions alone{scaled().returns->units(chain_.path_.columns()).array(), chain_.cash_share_};
    path_alone_.setZero(Eigen::Index(to - path_.from));
    chain_.path_.sum(path_.from, to, alone.units, path_alone_.data());
    if (!chain_.decisions_.hang_on_weights()) return;
    const auto next = path_.trades.empty() ? path_.waits : std::optional(path_.trades.front().decided);
    if (next && *next < path_.from) return;  // it was decided before
    if (chain_.path_.first_decision(path_.from, to, alone, path_alone_.data()) == next) return;
    scaled().returns.reset();
    path_alone_.resize(0);
  }

  /// Of a row with a trade.
  void keep_return(std::size_t k, double whole) {
    auto& kept = *scaled().returns;
    const auto row = in_run(path_.trades[k].traded);
    kept.traded.push_back(row);
    kept.own.push_back({row, whole / scaled().worth * left_ - 1});
    kept.worth = 1;
    path_alone_.resize(0);
    last_trade_ = Eigen::Index(k);
  }

  /// What the orders that were made come to.
  void add_orders(Trade& trade, std::size_t k, double cash) {
    const double wealth = trade.wealth_before;
    const auto& traded = orders_.traded();
    left_ = orders_.left();
    trade.wealth_after = left_ * wealth;
    trade.shrunk = orders_.factor();
    for (const auto& part : chain_.parts_) {
      trade.cost.*part.part = wealth * (part.mean * traded.abs() + part.more_for_buys * traded).sum();
    }
    if (path_.waited.cols() > 0) trade.delay = wealth * (traded * path_.waited.col(Eigen::Index(k))).sum();
    trade.order_count = std::size_t(traded.size() - orders_.turned());
    if (chain_.terms_.keep_orders) list_orders(trade, k);
    is_off_path_ = orders_.turned() > 0;
    double moved = orders_.moved();
    if (is_off_path_) {
      const Eigen::Map<const Eigen::ArrayXd> before(before_, weights_.size());
      const Eigen::ArrayXd after = (before + traded) / left_;
      held_.units = after / path_.prices.col(Eigen::Index(k));
      held_.cash = 1 - after.sum();
      moved = (after - before).abs().sum();
    } else {
      held_.units = path_.units.col(Eigen::Index(k));
      held_.cash = chain_.cash_share_;
    }
    trade.turnover = (moved + std::abs(held_.cash - cash)) / 2;
  }

  /// In its place among the run's.
  Trade& begin_trade(std::size_t k, double wealth) {
    auto& trade = state_.so_far.trades.emplace_back();
    trade.decided = chain_.table_.days[path_.trades[k].decided];
    trade.traded = chain_.table_.days[path_.trades[k].traded];
    trade.wealth_before = wealth;
    return trade;
  }

  void list_orders(Trade& trade, std::size_t k) const {
    const auto& traded = orders_.traded();
    trade.orders.reserve(trade.order_count);
    for (Eigen::Index j = 0; j < traded.size(); ++j) {
      if (traded[j] == 0) continue;
      const auto i = chain_.path_.columns()[std::size_t(j)];
      const double price = path_.prices(j, Eigen::Index(k)), value = traded[j] * trade.wealth_before;
      trade.orders.push_back({i, value / price, price, value, chain_.terms_.costs[std::size_t(i)].of_trade(value)});
    }
  }

  /// The positions that come of it need not be the weights.
  void trade_by_ledger(Trade& trade, std::size_t k) {
    const auto& columns = chain_.path_.columns();
    const auto prices = path_.prices.col(Eigen::Index(k));
    const Eigen::ArrayXd before = scaled().wealth * held_.units;
    auto ledger = chain_.ledger_of(before, scaled().wealth * held_.cash);
    TradingDay day{trade.decided, trade.traded, Eigen::VectorXd::Ones(chain_.plan_.weights.size())};
    day.prices(columns) = prices.matrix();
    trade =
        by_ledger(chain_.plan_, trade.traded, [&] { return ledger.trade({chain_.plan_.weights}, day, chain_.terms_); });
    const Eigen::ArrayXd units = ledger.units(columns).array();
    if (path_.waited.cols() > 0) {
      trade.delay = ((units - before) * prices * path_.waited.col(Eigen::Index(k))).sum();
    }
    held_ = {units / trade.wealth_after, ledger.cash / trade.wealth_after};
    left_ = trade.wealth_after / trade.wealth_before;
    is_off_path_ = true;
  }

  void book(const Trade& trade, std::size_t k, double whole) {
    const auto at = in_run(path_.trades[k].traded);
    auto& run = state_.so_far;
    run.before[at] = trade.wealth_before;
    run.net[at] = scaled().wealth = trade.wealth_after;
    run.gross[at] = scaled().gross *= whole;
    if (chain_.options_.keep_weights) {
      const Eigen::ArrayXd weights = held_.units * path_.prices.col(Eigen::Index(k));
      const auto& columns = chain_.path_.columns();
      for (std::size_t i = 0; i < columns.size(); ++i) run.weights(at, columns[i]) = weights[Eigen::Index(i)];
    }
    if (trade.order_count == 0) run.trades.pop_back();
  }

  /// Walks up to the next trade once more, with the positions that the k-th has left. False where they make another
  /// day the next one: the piece ends after the trade then.
  bool add_own_rows(std::size_t k) {
    const auto& path = chain_.path_;
    const auto traded = path_.trades[k].traded;
    const bool last = k + 1 == path_.trades.size();
    const auto to = last ? path_.to : path_.trades[k + 1].traded + 1;
    own_from_ = traded + 1;
    own_.setZero(Eigen::Index(to - own_from_));
    path.sum(own_from_, to, held_.units, own_.data());
    if (!chain_.decisions_.hang_on_weights()) return true;
    const bool at_once = chain_.decisions_.delay() > 0 && path.decides_after(traded, held_);
    const auto next = last ? path_.waits : std::optional(path_.trades[k + 1].decided);
    if ((at_once ? std::optional(traded) : path.first_decision(own_from_, to, held_, own_.data())) == next) return true;
    if (at_once) waits_ = traded;
    return false;
  }

  const Chain& chain_;
  WalkState& state_;
  const PathPiece& path_;
  const Eigen::ArrayXd& weights_;
  UnitPositions held_;
  std::optional<std::size_t> waits_;
  bool is_off_path_ = false;  // the last trade was not back to all targets
  std::size_t own_from_ = 0;
  Eigen::ArrayXd own_;  // values from that row to the next trade
  // Where the last trade before this piece led elsewhere: values of what all weights would have come to, up to the
  // first.
  Eigen::ArrayXd path_alone_;
  std::optional<Eigen::Index> last_trade_;

  // Of the trade that is made, for each unit of the wealth before it.
  const double* before_ = nullptr;  // weights
  Eigen::ArrayXd own_before_;       // where the path's are not those
  WeightOrders orders_;
  double left_ = 1;  // wealth after it
};

PathPiece Chain::whole_path(const WalkState& begin) const {
  PathPiece whole;
  path_.walk(whole, begin.row, table_.rows(), held_by(*begin.scaled), std::nullopt);
  return whole;
}

void Chain::pass(WalkState& state, std::size_t to_row) const {
  if (state.scaled && shared_ && state.row == shared_->from && to_row >= shared_->to) walk(state, *shared_);
  PathPiece piece;
  while (state.scaled && state.row < to_row) {
    options_.watch.check();
    walk_own(state, std::min(to_row, state.row + rows_of_a_piece), piece);
  }
}

bool Chain::trade_all(WalkState& state) const {
  Piece rows(*this, state, *shared_, held_by(*state.scaled));
  return rows.trade_all(options_.first_row + std::size_t(options_.delay));
}

void Chain::walk_own(WalkState& state, std::size_t to, PathPiece& piece) const {
  std::optional<std::size_t> waits;
  if (state.decision) waits = state.decision->row;
  const auto held = held_by(*state.scaled);
  path_.walk(piece, state.row, to, held, waits);
  const auto bad = piece.bad;
  if (bad == state.row) {
    state.scaled.reset();
    return;
  }
  if (bad < to) path_.walk(piece, state.row, bad, held, waits);
  walk(state, piece);
  if (bad < to && state.row == bad) state.scaled.reset();
}

void Chain::walk(WalkState& state, const PathPiece& piece) const {
  Piece rows(*this, state, piece, held_by(*state.scaled));
  state.row = rows.walk();
  hand_over(state, rows.held(), rows.waits());
}

UnitPositions Chain::held_by(const ScaledPositions& scaled) const {
  return {scaled.units(path_.columns()).array(), scaled.cash};
}

Ledger Chain::ledger_of(const Eigen::ArrayXd& units, double cash) const {
  Ledger ledger{Eigen::VectorXd::Zero(plan_.weights.size()), cash};
  ledger.units(path_.columns()) = units.matrix();
  return ledger;
}

/// What a walk by the ledger would have in its state after the last row.
void Chain::hand_over(WalkState& state, const UnitPositions& held, const std::optional<std::size_t>& waits) const {
  const auto last = Eigen::Index(state.row) - 1;
  auto& scaled = *state.scaled;
  scaled.units = ledger_of(held.units, 0).units;
  scaled.cash = held.cash;
  state.ledger = ledger_of(scaled.wealth * held.units, scaled.wealth * held.cash);
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
