#pragma once
// What the slow ledger holds, unit by unit and in cash: prices, splits, dividends, ends, fees, interest and flows.

#include <utility>

#include "inchtide/rehearsal/rehearsal.hpp"
#include "rehearsal/slow_costs.hpp"

namespace inchtide::slow {

struct SlowTrade {
  std::size_t decided, traded;
  List units;  // bought and sold
  Real cost = 0, after = 0, turnover = 0;
};

struct SlowRun {
  List before, net, gross, flow;
  std::vector<SlowTrade> trades;
  Real custody = 0, borrowing = 0, interest = 0, dividends = 0, cost = 0, haircuts = 0, price_gains = 0;
};

class SlowHoldings {
 public:
  SlowHoldings(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options)
      : table_(table),
        plan_(plan),
        how_(options),
        n_(table.assets.size()),
        units_(n_, 0),
        price_(n_, NAN),
        closed_(n_, 0),
        ended_(n_, false),
        targets_(n_, 0),
        cash_(options.wealth),
        looks_(plan.schedule.looks(table.days)) {
    if (options.start) {
      for (std::size_t i = 0; i < n_; ++i) units_[i] = options.start->units[Eigen::Index(i)];
      cash_ = options.start->cash;
    }
    for (std::size_t i = 0; i < n_ && plan.weights.size() > 0; ++i) targets_[i] = plan.weights[Eigen::Index(i)];
    costs_ = plan.terms.costs;
    costs_.resize(n_);
  }

 protected:
  static constexpr std::size_t none = std::size_t(-1);

  Day day() const { return table_.days[row_]; }
  Real p(std::size_t i) const { return std::isnan(price_[i]) ? Real(1) : price_[i]; }
  Real owed() const {
    Real sum = 0;
    for (const auto& entry : owed_) sum += entry.second;
    return sum;
  }
  Real wealth() const {
    Real sum = cash_ + owed();
    for (std::size_t i = 0; i < n_; ++i) sum += units_[i] * p(i);
    return sum;
  }

  Real charge() {
    const Real years = Real((day() - table_.days[row_ - 1]).count()) / 365;
    Real custody = 0, borrowing = 0, shorts = 0;
    for (std::size_t i = 0; i < n_; ++i) {
      const Real value = units_[i] * p(i);
      custody += std::abs(value) * costs_[i].custody * years;
      if (value < 0) shorts -= value, borrowing -= value * costs_[i].borrowing * years;
    }
    Real interest = 0;
    if (cash_ < 0) interest = years * cash_ * how_.overdraft_rate.value_or(how_.risk_free);
    const Real earns = cash_ - (how_.proceeds_earn ? 0 : shorts);
    if (earns > 0) interest += years * earns * how_.cash_rate;
    cash_ += interest - custody - borrowing;
    run_.custody += custody, run_.borrowing += borrowing, run_.interest += interest;
    return custody + borrowing;
  }

  void take_prices() {
    for (std::size_t i = 0; i < n_; ++i) {
      const double own = table_.prices(Eigen::Index(row_), Eigen::Index(i));
      Real split = 1, dividend = 0;
      Day pay = day();
      for (const auto& action : how_.actions) {
        if (row_ == 0 || action.asset != table_.assets[i].code || action.ex_day > day() ||
            action.ex_day <= table_.days[row_ - 1]) {
          continue;
        }
        split *= action.split;
        dividend += action.dividend;
        if (action.pay_day) pay = *action.pay_day;
      }
      const Real old_value = units_[i] * p(i), old_units = units_[i];
      if (std::isnan(own)) {
        ++closed_[i];
        price_[i] /= split;
      } else {
        closed_[i] = 0;
        price_[i] = own;
      }
      if (dividend > 0 && old_units != 0) {
        const Real paid = old_units * dividend * (1 - Real(how_.withholding));
        owed_.push_back({pay, paid});
        run_.dividends += paid;
      }
      units_[i] *= split;
      if (split != 1) fixed_[i] *= split;
      if (row_ > 0 && !ended_[i]) run_.price_gains += units_[i] * p(i) - old_value;
      if (split != 1 && !plan_.terms.lots.empty()) {
        const Real whole = std::copysign(std::floor(std::abs(units_[i]) + 1e-9L), units_[i]);
        cash_ += (units_[i] - whole) * p(i);
        units_[i] = whole;
      }
      for (const auto& end : how_.ends) {
        if (end.asset == table_.assets[i].code && end.day <= day() && !ended_[i]) cash_in(i, end.haircut);
      }
      if (how_.ended_after && closed_[i] >= *how_.ended_after && !std::isnan(price_[i]) && !ended_[i]) cash_in(i, 0);
    }
    for (std::size_t k = 0; k < owed_.size();) {
      if (owed_[k].first <= day()) {
        cash_ += owed_[k].second;
        owed_.erase(owed_.begin() + std::ptrdiff_t(k));
      } else {
        ++k;
      }
    }
  }

  void cash_in(std::size_t i, Real haircut) {
    const Real value = units_[i] * p(i);
    ended_[i] = true;
    run_.haircuts += std::abs(value) * haircut;
    cash_ += value - std::abs(value) * haircut;
    units_[i] = 0;
  }

  Real flow_of(Real before) {
    Real sum = 0;
    for (const auto& flow : how_.flows) {
      const bool today = flow.day <= day() && (row_ == 0 || flow.day > table_.days[row_ - 1]);
      if (today) sum += flow.of_wealth ? Real(flow.amount) * before : Real(flow.amount);
    }
    flow_in_cash_ = sum;
    return sum;
  }

  const PriceTable& table_;
  const RehearsalPlan& plan_;
  const RehearsalOptions& how_;
  std::size_t n_, row_ = 0;
  List units_, price_;
  std::vector<int> closed_;
  std::vector<bool> ended_;
  List targets_, fixed_ = List(n_, 0);
  Real cash_;
  std::vector<bool> looks_;
  std::vector<AssetCosts> costs_;
  std::vector<std::pair<Day, Real>> owed_;
  std::size_t decided_ = none, decided_for_pay_ = none;
  static constexpr std::size_t row_none_ = none;
  std::optional<Real> fixed_cash_;
  Real flow_ = 0, flow_in_cash_ = 0;
  SlowRun run_;
};

}  // namespace inchtide::slow
