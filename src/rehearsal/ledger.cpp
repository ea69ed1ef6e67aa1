#include "inchtide/rehearsal/ledger.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/range.hpp"
#include "rehearsal/tolerances.hpp"

namespace inchtide {
namespace {

/// One order as it is worked out: `side` 1 buys and -1 sells. What nearly all orders cost is in figures of its own: the
/// sums are gone through at every step towards the wealth.
struct Draft {
  Draft(Eigen::Index which, double towards, const SideCosts& of_side, double impact_of)
      : asset(which), side(towards), costs(&of_side), market(impact_of) {
    plain = of_side.tiers.size() <= 1 && of_side.impact == 0 && !of_side.own;
    fee = of_side.fee;
    commission = of_side.tiers.empty() ? 0 : of_side.tiers.front().rate;
    least = of_side.least;
    most = of_side.most;
    rest = of_side.half_spread + of_side.stamp_duty + of_side.conversion;
  }

  [[nodiscard]] double cost(double value) const {
    if (!plain) return costs->of(value, market).total();
    return fee + std::min(most, std::max(least, commission * value)) + rest * value;
  }
  [[nodiscard]] double marginal(double value) const {
    if (!plain) return costs->marginal(value, market);
    const double of_value = commission * value;
    return rest + (of_value >= least && of_value < most ? commission : 0.0);
  }

  Eigen::Index asset;
  double side;
  const SideCosts* costs;
  double market;
  bool dropped = false;

 private:
  bool plain;
  double fee, commission, least, most, rest;
};

/// What the orders come to at one wealth after trading.
class Drafts {
 public:
  Drafts(const Eigen::VectorXd& held, const TradingDay& day, const TradeTerms& terms)
      : held_(held), day_(day), terms_(terms) {}

  /// Orders towards the weights of `wealth`, of at least the smallest value.
  void decide(const Eigen::VectorXd& weights, const std::vector<char>& keeps, double wealth) {
    const double smallest = std::max(terms_.smallest_order, rounding_order * wealth);
    all.clear();
    for (Eigen::Index i = 0; i < held_.size(); ++i) {
      const double change = weights[i] * wealth - held_[i];
      if ((!keeps.empty() && keeps[std::size_t(i)]) || std::abs(change) < smallest) continue;
      const auto& costs = terms_.costs[std::size_t(i)];
      const auto& side = change > 0 ? costs.buy : costs.sell;
      all.emplace_back(i, change > 0 ? 1.0 : -1.0, side, day_.market.size() > 0 ? day_.market[i] : 0.0);
    }
  }

  [[nodiscard]] double size(const Draft& draft, const Eigen::VectorXd& weights, double wealth, double factor) const {
    const double value = std::max(0.0, draft.side * (weights[draft.asset] * wealth - held_[draft.asset]));
    return draft.side > 0 ? factor * value : value;
  }

  /// What all come to at one wealth and factor of purchases, in one go: it is asked for at every step.
  struct Sums {
    double cost = 0, slope = 0;  ///< and how fast it rises with the wealth
    double traded = 0;           ///< bought less sold
    double purchases = 0;        ///< how fast cash falls with the factor, but for what that does to the wealth
    bool turned = false;         ///< some side turns
  };
  [[nodiscard]] Sums sums(const Eigen::VectorXd& weights, double wealth, double factor) const {
    Sums sums;
    for (const auto& draft : all) {
      if (draft.dropped) continue;
      const double weight = weights[draft.asset], change = draft.side * (weight * wealth - held_[draft.asset]);
      const double whole = std::max(0.0, change), share = draft.side > 0 ? factor : 1.0, value = share * whole;
      const double marginal = draft.marginal(value);
      sums.turned = sums.turned || change < 0;
      sums.cost += draft.cost(value);
      sums.slope += marginal * draft.side * weight * share;
      sums.traded += draft.side * value;
      if (draft.side > 0) sums.purchases += whole * (1 + marginal);
    }
    return sums;
  }

  /// Drops the orders whose side turns at this wealth.
  void drop_turned(const Eigen::VectorXd& weights, double wealth) {
    for (auto& draft : all) {
      draft.dropped = draft.dropped || draft.side * (weights[draft.asset] * wealth - held_[draft.asset]) < 0;
    }
  }

  /// Those that were dropped so far are so for good.
  void forget_dropped() {
    std::erase_if(all, [](const Draft& draft) { return draft.dropped; });
  }
  void take_all_back() {
    for (auto& draft : all) draft.dropped = false;
  }

  std::vector<Draft> all;

 private:
  const Eigen::VectorXd& held_;
  const TradingDay& day_;
  const TradeTerms& terms_;
};

struct Settled {
  double wealth;
  Drafts::Sums sums;  // at that wealth
};

/// The wealth after trading: W + costs(W) = wealth. Newton's method, which for convex costs and from above ends at the
/// root after finitely many steps where they are straight; kept between two ends where they aren't convex.
Settled wealth_after(const Drafts& drafts, const Eigen::VectorXd& weights, double wealth, double factor, double at) {
  double low = 0, high = wealth;
  for (int step = 0; step < most_steps; ++step) {
    const auto sums = drafts.sums(weights, at, factor);
    const double excess = (at - wealth) + sums.cost;
    (excess > 0 ? high : low) = at;
    const double next = at - excess / (1 + sums.slope);
    if (std::abs(next - at) <= std::numeric_limits<double>::epsilon() * wealth) return {at, sums};
    at = next > low && next < high ? next : (low + high) / 2;
    if (at <= low || at >= high) break;
  }
  return {low, drafts.sums(weights, low, factor)};
}

/// The trade while it is worked out.
class Trading {
 public:
  Trading(const Ledger& ledger, const TradingDay& day, const TradeTerms& terms)
      : held_(ledger.units.cwiseProduct(day.prices)),
        wealth_(held_.sum() + ledger.cash + ledger.owed + day.flow),
        cash_(ledger.cash + day.flow),
        drafts_(held_, day, terms),
        terms_(terms) {}

  /// Decides on orders and solves for the wealth after them; purchases made smaller where cash asks for it.
  void go_to(const Destination& destination) {
    weights_ = destination.at ? destination.at(wealth_) : destination.weights;
    meant_cash_ = destination.cash;
    drafts_.decide(weights_, destination.keeps, wealth_);
    if (drafts_.sums(weights_, 0, 1).cost >= wealth_) {
      throw InputError("costs", "they could reach all wealth", "Lower them, or trade less often");
    }
    after_ = wealth_;
    settle();
    for (int step = 0; destination.at && step < most_steps; ++step) {
      const double before = after_;
      weights_ = destination.at(after_);
      drafts_.decide(weights_, destination.keeps, after_);
      settle();
      if (std::abs(after_ - before) <= std::numeric_limits<double>::epsilon() * wealth_) break;
    }
    const double floor = floor_at(after_);
    if (cash_after() < floor - cash_rounding * wealth_) shrink();
  }

  /// The values bought and sold, one an asset; purchases made so small that they are nothing are none.
  [[nodiscard]] Eigen::VectorXd values() const {
    Eigen::VectorXd values = Eigen::VectorXd::Zero(held_.size());
    for (const auto& draft : drafts_.all) {
      if (draft.dropped) continue;
      const double size = drafts_.size(draft, weights_, after_, factor_);
      if (size >= rounding_order * wealth_) values[draft.asset] = draft.side * size;
    }
    return values;
  }

  /// What cash may not fall below.
  [[nodiscard]] double floor_at(double wealth) const {
    const double meant = meant_cash_ ? *meant_cash_ : 1 - weights_.sum();  // below 0 where the weights borrow
    return std::min(terms_.cash_floor, meant) * wealth;
  }

  [[nodiscard]] double cash_after() const { return cash_ - sums_.cost - sums_.traded; }

  [[nodiscard]] double factor() const { return factor_; }
  [[nodiscard]] const Eigen::VectorXd& held() const { return held_; }
  [[nodiscard]] double shortfall() const {
    const double below = floor_at(after_) - cash_after();
    return below >= rounding_order * wealth_ ? below : 0;  // cash at its floor is as near as orders are exact
  }

 private:
  void settle() {
    for (;;) {
      const auto settled = wealth_after(drafts_, weights_, wealth_, factor_, after_);
      after_ = settled.wealth;
      sums_ = settled.sums;
      if (!sums_.turned) return;
      drafts_.drop_turned(weights_, after_);
    }
  }

  /// By how much cash is above its floor where purchases are multiplied by a factor.
  double room(double factor) {
    drafts_.take_all_back();
    factor_ = factor;
    settle();
    return cash_after() - floor_at(after_);
  }

  /// The largest factor that leaves cash at its floor, between two ends. Steps by the price of the purchases, which is
  /// nearly all of what a factor changes; by halves where they don't close in.
  void shrink() {
    drafts_.forget_dropped();
    double low = 0, high = 1, at = cash_after() - floor_at(after_);
    for (int step = 0; step < most_steps && high > low; ++step) {
      const double guess = factor_ + at / sums_.purchases;
      const bool helps = step < newton_steps && guess > low && guess < high;
      const double next = helps ? guess : (low + high) / 2;
      if (next <= low || next >= high) break;
      at = room(next);
      if (std::abs(at) <= cash_rounding * wealth_) return;
      (at > 0 ? low : high) = next;
    }
    room(low);
  }

  Eigen::VectorXd held_, weights_;
  std::optional<double> meant_cash_;
  double wealth_, cash_, after_ = 0, factor_ = 1;
  Drafts drafts_;
  Drafts::Sums sums_;  // at the wealth after
  const TradeTerms& terms_;
};

/// Positions in whole lots: each rounded toward zero, then single lots bought in order of the largest shortfall in
/// value, of at least half a lot, while cash stays at its floor.
class Lots {
 public:
  Lots(const Ledger& ledger, const TradingDay& day, const TradeTerms& terms, const Trading& trading)
      : before_(ledger.units), units_(ledger.units), day_(day), terms_(terms) {
    const Eigen::VectorXd values = trading.values();
    smallest_ = std::max(terms.smallest_order, rounding_order * ledger.wealth(day.prices));
    cash_ = ledger.cash + day.flow;
    struct Want {
      Eigen::Index asset;
      double short_of;  // money
    };
    std::vector<Want> wants;
    for (Eigen::Index i = 0; i < values.size(); ++i) {
      if (values[i] == 0) continue;
      const double lot = terms.lots[std::size_t(i)], meant = before_[i] + values[i] / day.prices[i];
      units_[i] = lot * std::trunc(meant / lot * (1 + lot_rounding));
      const double value = lot * day.prices[i], short_of = meant * day.prices[i] - units_[i] * day.prices[i];
      if (short_of >= value / 2) wants.push_back({i, short_of});
      if (is_too_small(i)) units_[i] = before_[i];
    }
    for (Eigen::Index i = 0; i < values.size(); ++i) cash_ -= outlay(i);
    std::ranges::stable_sort(wants, std::greater{}, &Want::short_of);
    const double floor = trading.floor_at(ledger.wealth(day.prices) + day.flow);
    for (const auto& want : wants) buy_a_lot(want.asset, floor);
  }

  [[nodiscard]] const Eigen::VectorXd& units() const { return units_; }

 private:
  [[nodiscard]] double value(Eigen::Index i) const { return (units_[i] - before_[i]) * day_.prices[i]; }
  [[nodiscard]] bool is_too_small(Eigen::Index i) const { return std::abs(value(i)) < smallest_; }
  /// What the net order of an asset takes out of cash, its cost included.
  [[nodiscard]] double outlay(Eigen::Index i) const {
    if (units_[i] == before_[i]) return 0;
    const double market = day_.market.size() > 0 ? day_.market[i] : 0.0, value = this->value(i);
    const auto& costs = terms_.costs[std::size_t(i)];
    return value + Draft(i, 0, value > 0 ? costs.buy : costs.sell, market).cost(std::abs(value));
  }

  void buy_a_lot(Eigen::Index i, double floor) {
    const double units = units_[i], paid = outlay(i);
    units_[i] += terms_.lots[std::size_t(i)];
    const double left = cash_ + paid - outlay(i);
    if (left >= floor && !(units_[i] != before_[i] && is_too_small(i))) {
      cash_ = left;
    } else {
      units_[i] = units;  // it doesn't fit; a smaller one may
    }
  }

  Eigen::VectorXd before_, units_;
  const TradingDay& day_;
  const TradeTerms& terms_;
  double smallest_ = 0, cash_ = 0;
};

/// Writes the orders that lead to these units into the trade and the ledger.
void book(Ledger& ledger, Trade& trade, const Eigen::VectorXd& units, const Eigen::VectorXd& values,
          const TradingDay& day, const TradeTerms& terms) {
  const Eigen::VectorXd held = ledger.units.cwiseProduct(day.prices);
  const double cash_before = ledger.cash + ledger.owed;
  trade.decided = day.decided;
  trade.traded = day.traded;
  trade.flow = day.flow;
  trade.wealth_before = held.sum() + cash_before;
  ledger.cash += day.flow;
  double bought = 0;
  trade.order_count = std::size_t((values.array() != 0).count());
  if (terms.keep_orders) trade.orders.reserve(trade.order_count);
  for (Eigen::Index i = 0; i < values.size(); ++i) {
    if (values[i] == 0) continue;
    const double market = day.market.size() > 0 ? day.market[i] : 0.0;
    const auto cost = terms.costs[std::size_t(i)].of_trade(values[i], market);
    if (terms.keep_orders) trade.orders.push_back({i, units[i] - ledger.units[i], day.prices[i], values[i], cost});
    trade.cost += cost;
    bought += values[i];
  }
  ledger.cash -= bought + trade.cost.total();
  ledger.units = units;
  const Eigen::VectorXd after = held + values;
  trade.wealth_after = after.sum() + ledger.cash + ledger.owed;
  const Eigen::VectorXd change = after / trade.wealth_after - held / trade.wealth_before;
  const double cash_change = (ledger.cash + ledger.owed) / trade.wealth_after - cash_before / trade.wealth_before;
  trade.turnover = (change.cwiseAbs().sum() + std::abs(cash_change)) / 2;
}

void check_shapes(const Ledger& ledger, const Destination* destination, const TradingDay& day,
                  const TradeTerms& terms) {
  const auto n = ledger.units.size();
  const auto fits = [&](std::size_t count, const char* name, bool may_be_empty) {
    if (Eigen::Index(count) == n || (count == 0 && may_be_empty)) return;
    throw InputError("trade", fmt::format("{} {} for {} assets", count, name, n), "Give one an asset");
  };
  check_per_asset(day.prices, n, "prices");
  finite(day.flow, "flow");
  fits(terms.costs.size(), "costs", false);
  fits(terms.lots.size(), "lots", true);
  fits(std::size_t(day.market.size()), "market figures", true);
  if (!destination) return;
  if (!destination->at) check_per_asset(destination->weights, n, "weights");
  fits(destination->keeps.size(), "marks of what is kept", true);
}

}  // namespace

Trade Ledger::trade(const Destination& destination, const TradingDay& day, const TradeTerms& terms) {
  check_shapes(*this, &destination, day, terms);
  Trading trading(*this, day, terms);
  trading.go_to(destination);
  Trade trade;
  trade.shrunk = trading.factor();
  trade.shortfall = trading.shortfall();
  Eigen::VectorXd values = trading.values(), after = units;
  if (terms.lots.empty()) {
    for (Eigen::Index i = 0; i < values.size(); ++i) {
      if (values[i] != 0) after[i] = (trading.held()[i] + values[i]) / day.prices[i];
    }
  } else {
    after = Lots(*this, day, terms, trading).units();
    values = (after - units).cwiseProduct(day.prices);
  }
  book(*this, trade, after, values, day, terms);
  return trade;
}

Trade Ledger::raise_cash(const TradingDay& day, const TradeTerms& terms) {
  check_shapes(*this, nullptr, day, terms);
  const Eigen::VectorXd held = units.cwiseProduct(day.prices).cwiseMax(0);
  const double need = -(cash + day.flow);
  // What selling a share of all long positions leaves after its costs, less what is needed.
  const auto room = [&](double share) {
    double raised = 0;
    for (Eigen::Index i = 0; i < held.size(); ++i) {
      if (held[i] <= 0) continue;
      const double market = day.market.size() > 0 ? day.market[i] : 0.0;
      raised += share * held[i] - terms.costs[std::size_t(i)].sell.of(share * held[i], market).total();
    }
    return raised - need;
  };
  Trade trade;
  trade.reason = Trade::Reason::withdrawal;
  double low = 0, high = 1;
  if (need <= 0) {
    high = 0;
  } else if (room(1) < 0) {
    trade.shortfall = -room(1);
  } else {
    for (int step = 0; step < most_steps && high - low > std::numeric_limits<double>::epsilon(); ++step) {
      const double middle = (low + high) / 2;
      (room(middle) < 0 ? low : high) = middle;
    }
  }
  Eigen::VectorXd values = -high * held, after = units;
  for (Eigen::Index i = 0; i < values.size(); ++i) {
    if (values[i] == 0) continue;
    after[i] *= 1 - high;
    if (terms.lots.empty()) continue;
    const double lot = terms.lots[std::size_t(i)];
    after[i] = lot * std::floor(after[i] / lot * (1 + lot_rounding));
    values[i] = (after[i] - units[i]) * day.prices[i];
  }
  book(*this, trade, after, values, day, terms);
  return trade;
}

}  // namespace inchtide
