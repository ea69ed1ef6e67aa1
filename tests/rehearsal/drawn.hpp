#pragma once
// Mandates of everything at once, drawn at random.

#include <cmath>
#include <initializer_list>
#include <random>
#include <string>

#include "inchtide/rehearsal/rehearsal.hpp"

namespace inchtide::test {

/// A mandate of everything at once, drawn at random.
struct Drawn {
  PriceTable table;
  RehearsalPlan plan;
  RehearsalOptions options;
};

class Draw {
 public:
  explicit Draw(unsigned seed) : random_(seed) {}

  Drawn all() {
    prices();
    weights();
    schedule();
    costs();
    if (chance(0.3)) units();
    if (chance(0.4)) flows();
    if (chance(0.3)) holes();
    if (chance(0.2)) actions();
    if (chance(0.2)) estimate();
    auto& options = drawn_.options;
    options.wealth = std::exp(uniform(9, 17));
    options.delay = pick({0, 1, 1, 2, 5});
    options.risk_free = 0.02;
    if (chance(0.3)) options.cash_rate = uniform(-0.01, 0.05);
    if (chance(0.3)) options.overdraft_rate = uniform(0, 0.1);
    options.proceeds_earn = chance(0.3);
    if (chance(0.3)) options.size = RehearsalOptions::Size::decision;
    if (chance(0.3)) drawn_.plan.terms.smallest_order = options.wealth * uniform(0, 0.01);
    if (chance(0.3)) drawn_.plan.terms.cash_floor = uniform(0, 0.03);
    return std::move(drawn_);
  }

  /// Fixed weights looked at by a calendar, at costs in proportion: what a walk keeps to its path for.
  Drawn plain() {
    prices();
    auto& plan = drawn_.plan;
    plan.weights.resize(n_);
    for (auto& w : plan.weights) w = uniform(0.01, 1);
    plan.weights *= (chance(0.7) ? 1 : uniform(0.5, 1)) / plan.weights.sum();
    if (n_ > 1 && chance(0.3)) plan.weights[0] = 0;
    plan.schedule = Schedule::parse(pick<const char*>({"never", "1w", "2w", "1m", "1m@3", "5d", "1d", "band:1pp",
                                                       "band:10%", "1w+band:2pp", "2w|band:5%"}),
                                    "");
    for (int i = 0; i < n_; ++i) {
      AssetCosts costs;
      costs.buy.tiers = costs.sell.tiers = {{0, uniform(0, 0.02)}};
      costs.buy.stamp_duty = chance(0.5) ? uniform(0, 0.02) : 0;
      costs.sell.half_spread = uniform(0, 0.002);
      plan.terms.costs.push_back(costs);
    }
    if (chance(0.1)) plan.terms.costs.clear();
    auto& options = drawn_.options;
    options.wealth = std::exp(uniform(9, 17));
    options.delay = pick({0, 1, 1, 2, 5});
    options.risk_free = 0.02;
    if (chance(0.3)) start();
    if (chance(0.3)) holes();
    options.ends.clear();
    options.ended_after.reset();
    return std::move(drawn_);
  }

 private:
  /// From units of some of the assets, and cash.
  void start() {
    Ledger ledger{Eigen::VectorXd::Zero(n_), drawn_.options.wealth * uniform(0, 0.5)};
    for (int i = 0; i < n_; ++i) {
      if (chance(0.6)) ledger.units[i] = drawn_.options.wealth / n_ * uniform(0.2, 1) / drawn_.table.prices(0, i);
    }
    drawn_.options.start = ledger;
  }

  double uniform(double low, double high) { return std::uniform_real_distribution<double>(low, high)(random_); }
  bool chance(double share) { return uniform(0, 1) < share; }
  template <typename Value>
  Value pick(std::initializer_list<Value> values) {
    return *(values.begin() + std::size_t(uniform(0, double(values.size()))));
  }

  void prices() {
    auto& table = drawn_.table;
    n_ = pick({1, 2, 3, 5, 8});
    rows_ = int(uniform(12, 120));
    for (Day day = *parse_day("2023-05-02"); int(table.days.size()) < rows_; day += std::chrono::days{1}) {
      if (std::chrono::weekday{day}.iso_encoding() <= 5 && !chance(0.03)) table.days.push_back(day);
    }
    table.prices.resize(rows_, n_);
    std::normal_distribution<double> normal;
    for (int i = 0; i < n_; ++i) {
      table.assets.push_back({"A" + std::to_string(i + 1), "HLC", PriceField::close});
      double price = std::exp(uniform(1, 5));
      for (int t = 0; t < rows_; ++t) table.prices(t, i) = price *= std::exp(0.03 * normal(random_));
      drawn_.plan.tags.assets.push_back(table.assets.back().code);
      drawn_.plan.tags.rows.push_back({i % 3 == 0 ? "even" : "odd"});
    }
    drawn_.plan.tags.columns = {"kind"};
  }

  void weights() {
    Eigen::VectorXd weights(n_);
    const bool shorts = chance(0.2);
    for (auto& w : weights) w = uniform(shorts ? -0.3 : 0.05, 1);
    weights *= uniform(0.7, 1) / std::max(0.2, weights.cwiseAbs().sum());
    if (chance(0.6) && !shorts) weights /= weights.sum();
    if (chance(0.1) && n_ > 1) weights[0] = 0;
    if (chance(0.1)) weights *= 1.5;  // on credit
    drawn_.plan.weights = weights;
  }

  void schedule() {
    std::string text =
        pick<const char*>({"never", "1w", "2w", "1m", "1m@3", "1m@-2", "5d", "7d@3", "1d", "band:3pp", "band:20%",
                           "band:kind:3pp", "1w+band:2pp", "1m|band:4pp", "band:3pp/cash", "2d|band:kind:10%"});
    if (text.find("band") != std::string::npos) text += pick<const char*>({"", ":edge", ":edge", ":half"});
    if (text != "never" && chance(0.15)) text += ":cap=4%";
    drawn_.plan.schedule = Schedule::parse(text, "");
  }

  SideCosts side() {
    SideCosts side;
    if (chance(0.8)) side.tiers = {{0, uniform(0, 0.01)}};
    if (chance(0.2)) side.tiers = {{0, uniform(0, 0.005)}, {1e4, uniform(0.005, 0.01)}, {1e5, uniform(0.01, 0.02)}};
    if (chance(0.3)) side.fee = uniform(0, 20);
    if (chance(0.3)) side.least = uniform(0, 50);
    if (chance(0.2)) side.most = side.least + uniform(0, 500);
    if (chance(0.3)) side.half_spread = uniform(0, 0.002);
    if (chance(0.2)) side.stamp_duty = uniform(0, 0.005);
    if (chance(0.2)) side.conversion = uniform(0, 0.001);
    if (impact_) side.impact = uniform(0, 0.5);
    return side;
  }

  void costs() {
    if (chance(0.1)) return;
    impact_ = chance(0.2);
    for (int i = 0; i < n_; ++i) {
      AssetCosts costs{side(), side()};
      if (chance(0.3)) costs.custody = uniform(0, 0.01);
      if (chance(0.3)) costs.borrowing = uniform(0, 0.02);
      drawn_.plan.terms.costs.push_back(costs);
    }
    if (!impact_) return;
    auto& traded = drawn_.options.traded_value;
    traded.resize(rows_, n_);
    for (auto& value : traded.reshaped()) value = std::exp(uniform(12, 18));
  }

  void units() {
    for (int i = 0; i < n_; ++i) drawn_.plan.terms.lots.push_back(pick({1.0, 1.0, 10.0}));
  }

  void flows() {
    const auto& days = drawn_.table.days;
    for (int k = int(uniform(1, 5)); k > 0; --k) {
      const Day day = days[std::size_t(uniform(0, rows_))];
      if (chance(0.5)) {
        drawn_.options.flows.push_back({day, uniform(-0.1, 0.1), true});
      } else {
        drawn_.options.flows.push_back({day, uniform(-300, 3000), false});
      }
    }
  }

  /// Days without a price from the eighth row on: single ones, and some longer than a holiday.
  void holes() {
    auto& prices = drawn_.table.prices;
    const int whole = int(uniform(0, n_));  // so that each row has a price
    for (int i = 0; i < n_; ++i) {
      if (i == whole) continue;
      for (int t = 8; t < rows_; ++t) {
        if (!chance(0.04)) continue;
        const int length = pick({1, 1, 2, 4, 9});
        for (int k = 0; k < length && t < rows_; ++k, ++t) prices(t, i) = NAN;
      }
    }
    if (n_ > 2 && chance(0.4) && rows_ > 20) {
      const int from = int(uniform(10, rows_ - 2));
      const int ends = (whole + 1) % n_;
      for (int t = from; t < rows_; ++t) prices(t, ends) = NAN;
      const Day day = drawn_.table.days[std::size_t(from)];
      if (chance(0.5)) {
        drawn_.options.ends = {{drawn_.table.assets[std::size_t(ends)].code, day, uniform(0, 0.5)}};
      } else {
        drawn_.options.ended_after = 12;
      }
    }
  }

  void actions() {
    const auto& days = drawn_.table.days;
    drawn_.options.withholding = chance(0.5) ? 0.15 : 0;
    for (int i = 0; i < n_; ++i) {
      const auto row = std::size_t(uniform(1, rows_));
      CorporateAction action{drawn_.table.assets[std::size_t(i)].code, days[row]};
      if (chance(0.5)) action.dividend = uniform(0, 0.05) * drawn_.table.prices(0, i);
      if (chance(0.3)) action.pay_day = action.ex_day + std::chrono::days{int(uniform(0, 30))};
      if (chance(0.4)) {
        action.split = pick({2.0, 3.0, 0.1, 1.5});
        for (int t = int(row); t < rows_; ++t) drawn_.table.prices(t, i) /= action.split;
      }
      drawn_.options.actions.push_back(action);
    }
  }

  /// Weights by how prices stand to their average, from what is known at the look.
  void estimate() {
    auto choose = [table = drawn_.table](const Look& look) {
      Eigen::VectorXd weights(table.prices.cols());
      for (Eigen::Index i = 0; i < weights.size(); ++i) {
        double sum = 0, last = 1;
        int count = 0;
        for (std::size_t t = 0; t <= look.row; ++t) {
          const double price = table.prices(Eigen::Index(t), i);
          if (std::isnan(price)) continue;
          sum += last = price;
          ++count;
        }
        weights[i] = last / (sum / count);
      }
      return Eigen::VectorXd(weights / weights.sum());
    };
    drawn_.plan.estimation = Reestimation{Schedule::parse("2w", ""), choose};
  }

  std::mt19937_64 random_;
  Drawn drawn_;
  int n_ = 0, rows_ = 0;
  bool impact_ = false;
};

}  // namespace inchtide::test
