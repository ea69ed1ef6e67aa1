#pragma once
// A rehearsal as its definition reads, slow and obvious: loops over units and cash in long double, every root by
// halving. For fixed targets, targets by an estimate, calendars and bands, to targets, edge and half way, with caps.

#include <map>

#include "rehearsal/slow_holdings.hpp"

namespace inchtide::slow {

class SlowLedger : SlowHoldings {
 public:
  using SlowHoldings::SlowHoldings;

  SlowRun run() {
    Real gross = 0, last = 0;
    for (row_ = 0; row_ < table_.rows(); ++row_) {
      Real fees = row_ > 0 ? charge() : 0;
      take_prices();
      Real before = wealth();
      if (row_ == 0) gross = last = before;
      gross *= (before + fees) / last;
      flow_ = flow_of(before);
      const bool estimates = plan_.estimation && (row_ == 0 || plan_.estimation->when.looks(table_.days)[row_]);
      if (estimates) estimate();
      bool looked = false;
      if (decided_ == none && how_.delay == 0) {
        looked = true;
        look();
      }
      if (decided_ == none || row_ < decided_ + std::size_t(how_.delay) || !trade()) pay();
      flow_in_cash_ = 0;
      if (decided_ == none && !looked) look();
      last = wealth();
      run_.before.push_back(before);
      run_.gross.push_back(gross);
      run_.net.push_back(last);
      run_.flow.push_back(flow_);
    }
    return run_;
  }

 private:
  Look seen() const {
    Look look{row_, day(), Eigen::VectorXd(n_), double(cash_ + owed() + flow_in_cash_), Eigen::VectorXd(n_)};
    const List reached = goals();
    for (std::size_t i = 0; i < n_; ++i) {
      look.holdings[Eigen::Index(i)] = double(units_[i] * p(i));
      look.targets[Eigen::Index(i)] = double(reached[i]);
    }
    return look;
  }

  void estimate() {
    const auto chosen = plan_.estimation->choose(seen());
    for (std::size_t i = 0; i < n_; ++i) targets_[i] = chosen[Eigen::Index(i)];
  }

  bool pinned(std::size_t i) const { return ended_[i] || closed_[i] > how_.holiday_rows; }

  // Targets after the floor of cash, with what cannot be traded at the weight it has.
  List goals() const {
    List goals = targets_;
    const Real sum = sum_of(goals), most = 1 - Real(plan_.terms.cash_floor);
    for (auto& goal : goals) goal *= plan_.terms.cash_floor > 0 && sum > most ? most / sum : 1;
    const Real all = sum_of(goals), now = wealth() + flow_in_cash_;
    Real rest = all, open = 0;
    for (std::size_t i = 0; i < n_; ++i) {
      if (pinned(i)) {
        rest -= units_[i] * p(i) / now;
      } else {
        open += goals[i];
      }
    }
    for (std::size_t i = 0; i < n_; ++i) {
      if (pinned(i)) {
        goals[i] = units_[i] * p(i) / now;
      } else if (std::abs(open) > 1e-12L) {
        goals[i] *= rest / open;
      }
    }
    return goals;
  }

  bool outside(Real weight, Real target) const {
    const auto& band = *plan_.schedule.band;
    const Real width = band.measure == Band::Measure::points ? Real(band.width) : Real(band.width) * std::abs(target);
    if (band.measure == Band::Measure::share && target == 0) return false;
    return std::abs(weight - target) > width + 1e-12L;
  }

  void look() {
    if (row_ > 0) {
      const auto& schedule = plan_.schedule;
      const bool calendar = looks_[row_];
      bool off = false;
      if (schedule.band) {
        const Real now = wealth() + flow_in_cash_;
        const List w = goals();
        std::map<std::string, std::pair<Real, Real>> totals;
        for (std::size_t i = 0; i < n_; ++i) {
          auto& total = totals[group(i)];
          total.first += units_[i] * p(i) / now;
          total.second += w[i];
        }
        for (const auto& entry : totals) off = off || outside(entry.second.first, entry.second.second);
        if (schedule.band->cash) off = off || outside((cash_ + owed() + flow_in_cash_) / now, 1 - sum_of(w));
      }
      bool trades = false;
      if (!schedule.band) {
        trades = calendar;
      } else if (!schedule.every) {
        trades = off;
      } else {
        trades = schedule.join == Schedule::Join::both ? calendar && off : calendar || off;
      }
      if (!trades) return;
    }
    decided_ = row_;
    fixed_.assign(n_, 0);
    if (how_.size == RehearsalOptions::Size::trade) return;
    const Real now = wealth() + flow_in_cash_;
    const List d = weights_at(now);
    for (std::size_t i = 0; i < n_; ++i) fixed_[i] = d[i] * now / p(i);
    fixed_cash_ = 1 - sum_of(d);
  }

  std::string group(std::size_t i) const {
    const auto& code = table_.assets[i].code;
    const auto& column = plan_.schedule.band->column;
    return column.empty() ? code : plan_.tags.value(code, column).value_or("");
  }

  // The weights of the wealth after the trade that its destination has.
  List weights_at(Real after) const {
    const auto& schedule = plan_.schedule;
    if (fixed_cash_ && decided_ != row_none_) {
      List d(n_);
      for (std::size_t i = 0; i < n_; ++i) d[i] = fixed_[i] * p(i) / after;
      return d;
    }
    List d = goals();
    const bool first = run_.trades.empty() && !how_.start;
    if (first) return d;
    if (schedule.to != Schedule::To::targets) d = to_band(d, after);
    if (schedule.cap) {
      const bool depends = schedule.to != Schedule::To::targets;
      const Real base = depends ? after : wealth() + flow_in_cash_;
      Real turnover = 0, change = 0;
      for (std::size_t i = 0; i < n_; ++i) {
        turnover += std::abs(d[i] - units_[i] * p(i) / base) / 2;
        change += d[i] - units_[i] * p(i) / base;
      }
      turnover += std::abs(change) / 2;
      for (std::size_t i = 0; i < n_ && turnover > *schedule.cap; ++i) {
        const Real now = units_[i] * p(i) / base;
        d[i] = now + (d[i] - now) * *schedule.cap / turnover;
      }
    }
    return d;
  }

  // To the edge or half way: those outside go there, the counter-trade is levelled.
  List to_band(const List& w, Real after) const {
    const auto& band = *plan_.schedule.band;
    const Real now = wealth() + flow_in_cash_;
    std::map<std::string, Real> held, target, before;
    for (std::size_t i = 0; i < n_; ++i) {
      held[group(i)] += units_[i] * p(i) / after;
      before[group(i)] += units_[i] * p(i) / now;
      target[group(i)] += w[i];
    }
    const auto goal = [&](Real weight, Real to) {
      const Real width = band.measure == Band::Measure::points ? Real(band.width) : Real(band.width) * std::abs(to);
      if (plan_.schedule.to == Schedule::To::half) return to + (weight - to) / 2;
      return weight > to ? to + width : to - width;
    };
    List d(n_);
    for (std::size_t i = 0; i < n_; ++i) d[i] = units_[i] * p(i) / after;
    const auto move = [&](const std::string& name, Real by) {
      Real off = 0;
      const auto part = [&](std::size_t i) { return std::max<Real>(0, by < 0 ? d[i] - w[i] : w[i] - d[i]); };
      for (std::size_t i = 0; i < n_; ++i) off += group(i) == name ? part(i) : 0;
      const List parts = d;
      for (std::size_t i = 0; i < n_; ++i) {
        if (group(i) != name || off == 0) continue;
        const Real share = std::max<Real>(0, by < 0 ? parts[i] - w[i] : w[i] - parts[i]) / off;
        d[i] += by * share;
      }
    };
    Real need = (now - after) / after;
    for (const auto& entry : target) {
      if (!outside(before[entry.first], entry.second)) continue;
      const Real by = goal(before[entry.first], entry.second) - held[entry.first];
      move(entry.first, by);
      need += by;
    }
    const Real money = cash_ + owed() + flow_in_cash_, cash_target = 1 - sum_of(w), off = money / after - cash_target;
    if (band.cash && outside(money / now, cash_target)) {
      need += goal(money / now, cash_target) - money / after;
    } else if (need > 0) {
      need -= std::min(need, std::max<Real>(off, 0));
    } else {
      need -= std::max(need, std::min<Real>(off, 0));
    }
    // Levelled: each group off in the other direction is brought to one deviation.
    std::map<std::string, Real> deviation;
    for (std::size_t i = 0; i < n_; ++i) deviation[group(i)] += d[i] - w[i];
    const Real sign = need > 0 ? 1 : -1;
    const auto taken = [&](Real level) {
      Real sum = 0;
      for (const auto& entry : deviation) sum += std::max<Real>(0, sign * entry.second - level);
      return sum;
    };
    const Real level = taken(0) <= std::abs(need) ? 0 : root(0, 10, [&](Real l) { return std::abs(need) - taken(l); });
    for (const auto& entry : deviation) {
      const Real by = std::max<Real>(0, sign * entry.second - level);
      if (by > 0) move(entry.first, -sign * by);
    }
    return d;
  }

  Real market(std::size_t i) const {
    if (how_.traded_value.size() == 0) return 0;
    List returns;
    Real traded = 0, last = NAN;
    int days = 0;
    for (std::size_t t = decided_ >= 20 ? decided_ - 20 : 0; t <= decided_; ++t) {
      const double value = how_.traded_value(Eigen::Index(t), Eigen::Index(i)),
                   price = table_.prices(Eigen::Index(t), Eigen::Index(i));
      if (value > 0) traded += value, ++days;
      for (const auto& action : how_.actions) {
        if (t > 0 && action.asset == table_.assets[i].code && action.ex_day <= table_.days[t] &&
            action.ex_day > table_.days[t - 1]) {
          last /= action.split;
        }
      }
      if (std::isnan(price)) continue;
      if (!std::isnan(last)) returns.push_back(price / last - 1);
      last = price;
    }
    if (returns.size() < 2 || days == 0) return 0;
    const Real mean = sum_of(returns) / returns.size();
    Real squares = 0;
    for (Real r : returns) squares += (r - mean) * (r - mean);
    return std::sqrt(squares / (returns.size() - 1) / (traded / days));
  }

  bool trade() {
    const Real now = wealth() + flow_in_cash_, smallest = std::max<Real>(plan_.terms.smallest_order, 1e-9L * now);
    List d = weights_at(now);
    std::vector<bool> keeps(n_, false);
    for (std::size_t i = 0; i < n_; ++i) {
      if (closed_[i] == 0 && !ended_[i]) continue;
      if (std::abs(d[i] * now - units_[i] * p(i)) >= smallest && !pinned(i)) return false;
      keeps[i] = true;
    }
    const bool depends = fixed_cash_.has_value() || plan_.schedule.to != Schedule::To::targets;
    std::vector<std::size_t> orders;
    List side(n_, 0);
    Real after = now, factor = 1;
    const auto size = [&](std::size_t i, Real w) {
      return std::max<Real>(0, side[i] * (d[i] * w - units_[i] * p(i))) * (side[i] > 0 ? factor : 1);
    };
    const auto all_costs = [&](Real w) {
      Real sum = 0;
      for (auto i : orders) {
        sum += cost_of(side[i] > 0 ? costs_[i].buy : costs_[i].sell, size(i, w), market(i));
      }
      return sum;
    };
    const auto settle = [&] {
      for (bool again = true; again;) {
        after = root(0, now, [&](Real w) { return w + all_costs(w) - now; });
        again =
            std::erase_if(orders, [&](std::size_t i) { return side[i] * (d[i] * after - units_[i] * p(i)) < 0; }) > 0;
      }
    };
    const auto decide = [&](Real w) {
      orders.clear();
      for (std::size_t i = 0; i < n_; ++i) {
        const Real change = d[i] * w - units_[i] * p(i);
        if (keeps[i] || std::abs(change) < std::max<Real>(plan_.terms.smallest_order, 1e-9L * w)) continue;
        side[i] = change > 0 ? 1 : -1;
        orders.push_back(i);
      }
    };
    decide(now);
    settle();
    for (int step = 0; depends && step < 100; ++step) {
      d = weights_at(after);
      decide(after);
      settle();
    }
    const auto cash_left = [&] {
      Real cash = cash_ + flow_in_cash_ - all_costs(after);
      for (auto i : orders) cash -= side[i] * size(i, after);
      return cash;
    };
    const auto floor = [&] {
      return std::min<Real>(plan_.terms.cash_floor, fixed_cash_ ? *fixed_cash_ : 1 - sum_of(d)) * after;
    };
    if (cash_left() < floor() - 1e-14L * now) {
      const auto decided = orders;
      const auto shortness = [&](Real f) {
        orders = decided;
        factor = f;
        settle();
        return floor() - cash_left();
      };
      if (shortness(0) < 0) {
        const Real f = root(0, 1, shortness);
        shortness(f);
      }
    }
    List bought(n_, 0);
    for (auto i : orders) bought[i] = size(i, after) < 1e-9L * now ? 0 : side[i] * size(i, after) / p(i);
    if (!plan_.terms.lots.empty()) bought = in_lots(bought, floor_share(d) * now, smallest);
    book(bought);
    return true;
  }

  Real floor_share(const List& d) const {
    return std::min<Real>(plan_.terms.cash_floor, fixed_cash_ ? *fixed_cash_ : 1 - sum_of(d));
  }

  List in_lots(const List& meant, Real floor, Real smallest) {
    List units(n_, 0);
    std::vector<std::size_t> order;
    List short_of(n_, 0);
    const auto outlay = [&](std::size_t i, Real u) {
      return u == 0 ? Real(0) : u * p(i) + cost_of(costs_[i], u * p(i), market(i));
    };
    Real cash = cash_ + flow_in_cash_;
    for (std::size_t i = 0; i < n_; ++i) {
      if (meant[i] == 0) continue;
      const Real lot = plan_.terms.lots[i], whole = units_[i] + meant[i];
      Real there = std::trunc(whole / lot + std::copysign(1e-9L, whole)) * lot;
      short_of[i] = (whole - there) * p(i);
      if (short_of[i] >= lot * p(i) / 2) order.push_back(i);
      units[i] = there - units_[i];
      if (std::abs(units[i] * p(i)) < smallest) units[i] = 0;
      cash -= outlay(i, units[i]);
    }
    std::stable_sort(order.begin(), order.end(), [&](auto a, auto b) { return short_of[a] > short_of[b]; });
    for (auto i : order) {
      const Real more = units[i] + plan_.terms.lots[i];
      const Real left = cash + outlay(i, units[i]) - outlay(i, more);
      if (left < floor || (more != 0 && std::abs(more * p(i)) < smallest)) continue;
      cash = left;
      units[i] = more;
    }
    return units;
  }

  // Withdrawals on a row without a trade: all long positions sell the same share.
  void pay() {
    if (flow_in_cash_ >= 0 || cash_ + flow_in_cash_ >= 0 || sum_of(targets_) > 1 + 1e-9L) {
      cash_ += flow_in_cash_;
      return;
    }
    decided_for_pay_ = decided_ == none ? row_ : decided_;
    const std::size_t saved = decided_;
    decided_ = decided_for_pay_;
    const auto raised = [&](Real share) {
      Real sum = 0;
      for (std::size_t i = 0; i < n_; ++i) {
        const Real value = units_[i] * p(i);
        if (value > 0) sum += share * value - cost_of(costs_[i].sell, share * value, market(i));
      }
      return sum + cash_ + flow_in_cash_;
    };
    const Real share = raised(1) < 0 ? 1 : root(0, 1, raised);
    List sold(n_, 0);
    for (std::size_t i = 0; i < n_; ++i) {
      if (units_[i] * p(i) <= 0) continue;
      sold[i] = -share * units_[i];
      if (plan_.terms.lots.empty()) continue;
      const Real lot = plan_.terms.lots[i];
      sold[i] = std::floor((units_[i] + sold[i]) / lot + 1e-9L) * lot - units_[i];
    }
    const auto fixed = fixed_cash_;
    const auto trades = run_.trades.size();
    book(sold);
    if (run_.trades.size() > trades) run_.trades.back().decided = row_;
    decided_ = saved;
    fixed_cash_ = fixed;
  }

  void book(const List& bought) {
    SlowTrade trade{decided_, row_, bought};
    const Real old = wealth();
    List weights;
    for (std::size_t i = 0; i < n_; ++i) weights.push_back(units_[i] * p(i) / old);
    const Real cash_weight = (cash_ + owed()) / old;
    cash_ += flow_in_cash_;
    flow_in_cash_ = 0;
    bool any = false;
    for (std::size_t i = 0; i < n_; ++i) {
      if (bought[i] == 0) continue;
      any = true;
      const Real value = bought[i] * p(i), cost = cost_of(costs_[i], value, market(i));
      cash_ -= value + cost;
      units_[i] += bought[i];
      trade.cost += cost;
    }
    decided_ = none;
    fixed_cash_.reset();
    trade.after = wealth();
    for (std::size_t i = 0; i < n_; ++i) trade.turnover += std::abs(units_[i] * p(i) / trade.after - weights[i]) / 2;
    trade.turnover += std::abs((cash_ + owed()) / trade.after - cash_weight) / 2;
    run_.cost += trade.cost;
    if (any) run_.trades.push_back(trade);
  }
};

}  // namespace inchtide::slow
