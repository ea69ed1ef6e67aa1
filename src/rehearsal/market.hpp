#pragma once
// What the market does to a ledger on a row: prices, ends, splits, dividends, and the charges that run from day to day.

#include <functional>
#include <vector>

#include "inchtide/rehearsal/walk.hpp"

namespace inchtide {

// Daily volatility / sqrt(daily traded value) of each asset over the trailing rows up to one; 0 where it isn't known.
// @param traded money a row and asset
// @param split how many units one became on a row; none: prices have splits worked in
[[nodiscard]] Eigen::VectorXd impact_figures(const PriceTable& prices, const Eigen::MatrixXd& traded, std::size_t row,
                                             const std::function<double(std::size_t, Eigen::Index)>& split = {});

class Market {
 public:
  Market(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options);

  // Whether a split, a dividend or an end falls on a row.
  [[nodiscard]] bool acts(std::size_t row) const;

  // Last prices before the first row, and how long assets have been closed.
  void look_back(WalkState& state) const;
  [[nodiscard]] double wealth_at_start(const WalkState& state) const;

  // The return since the row before of these weights, cash at its rate.
  [[nodiscard]] double paper_return(const WalkState& before, std::size_t row, const Eigen::VectorXd& weights) const;

  // Everything up to the row's flow. Returns the fees of custody and borrowing.
  double pass(WalkState& state, std::size_t row, const TradeTerms& terms) const;

  // What impact hangs on, known at a row's close.
  [[nodiscard]] Eigen::VectorXd impact_at(std::size_t row) const;

 private:
  struct Action {
    std::size_t row;
    Eigen::Index asset;
    double split, dividend;
    std::optional<Day> pay_day;
  };
  struct End {
    std::size_t row;
    Eigen::Index asset;
    double haircut;
  };

  void read_actions();
  void read_ends(const RehearsalPlan& plan);
  double charge(WalkState& state, std::size_t row, const std::vector<AssetCosts>& costs) const;
  void price(WalkState& state, std::size_t row) const;
  void end(WalkState& state, std::size_t row, Eigen::Index asset, double haircut) const;
  void end_those_due(WalkState& state, std::size_t row) const;
  void act(WalkState& state, std::size_t row, const TradeTerms& terms) const;
  void split(WalkState& state, std::size_t row, const Action& action, const TradeTerms& terms) const;
  void pay_out(WalkState& state, std::size_t row) const;

  const PriceTable& table_;
  const RehearsalOptions& options_;
  std::vector<Action> actions_;  // by row
  std::vector<End> ends_;        // by row
};

// What a walk begins with, but for scaled positions.
WalkState begin_walk(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options,
                     const Market& market);

}  // namespace inchtide
