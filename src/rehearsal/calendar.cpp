#include "rehearsal/calendar.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/range.hpp"

namespace inchtide {
namespace {

std::string named(const RehearsalPlan& plan) {
  return fmt::format("rehearsal '{}'", plan.name);
}

void check_weights(const PriceTable& table, const Eigen::VectorXd& weights, const std::string& where) {
  if (std::size_t(weights.size()) != table.assets.size()) {
    throw InputError(where, fmt::format("{} weights for {} assets", weights.size(), table.assets.size()),
                     "Give one an asset");
  }
  for (Eigen::Index i = 0; i < weights.size(); ++i) {
    if (std::isfinite(weights[i])) continue;
    throw InputError(Where::of_asset(table.assets[std::size_t(i)].code), "its weight is not a finite number",
                     "Give a figure");
  }
}

void check_costs(const PriceTable& table, const RehearsalPlan& plan, const std::vector<AssetCosts>& costs) {
  double worst = 0;
  for (std::size_t i = 0; i < costs.size(); ++i) {
    costs[i].check(Where::of_asset(table.assets[i].code));
    if (plan.weights.size() == 0) continue;
    worst += std::abs(plan.weights[Eigen::Index(i)]) * std::max(costs[i].buy.steepest(), costs[i].sell.steepest());
  }
  if (worst < 1) return;
  throw InputError(named(plan),
                   fmt::format("its costs of {:.0f} basis points could eat all wealth", worst / basis_point),
                   "Lower the rates");
}

void check_terms(const PriceTable& table, const RehearsalPlan& plan) {
  const auto n = table.assets.size();
  const auto& terms = plan.terms;
  if (!terms.costs.empty() && terms.costs.size() != n) {
    throw InputError(named(plan), fmt::format("{} costs for {} assets", terms.costs.size(), n), "Give one an asset");
  }
  if (!terms.lots.empty() && terms.lots.size() != n) {
    throw InputError(named(plan), fmt::format("{} lots for {} assets", terms.lots.size(), n), "Give one an asset");
  }
  for (std::size_t i = 0; i < terms.lots.size(); ++i) {
    if (terms.lots[i] > 0 && std::isfinite(terms.lots[i])) continue;
    throw InputError(Where::of_asset(table.assets[i].code), fmt::format("a lot of {} units", terms.lots[i]),
                     "Give a number above 0");
  }
  within(terms.smallest_order, 0, 1e15, named(plan) + ", smallest order");
  within(terms.cash_floor, 0, 1, named(plan) + ", cash floor");
  check_costs(table, plan, terms.costs);
}

void check_options(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options) {
  const std::string where = named(plan);
  finite(options.risk_free, "risk-free rate");
  finite(options.wealth, "wealth");
  within(options.cash_rate, -1, 10, where + ", rate on cash");
  within(options.overdraft_rate.value_or(0), -1, 10, where + ", rate on cash below 0");
  within(options.withholding, 0, 1, where + ", withholding");
  if (options.delay < 0) throw InputError(where, "a negative delay would look ahead", "Give 0 or more trading days");
  if (options.holiday_rows < 0) throw InputError(where, "a holiday of negative length", "Give 0 or more rows");
  if (options.ended_after && *options.ended_after < 1) {
    throw InputError(where, "an end after no row", "Give 1 or more rows without a price");
  }
  if (!options.start && !(options.wealth > 0)) {
    throw InputError(where, "it starts without wealth", {Means::wealth, "Give a positive amount"});
  }
  if (table.rows() < options.first_row + std::size_t(options.delay) + 2) {
    throw InputError(
        where, fmt::format("{} days of prices are too few", table.rows() - std::min(table.rows(), options.first_row)),
        "Start earlier: it needs the day of the decision, the day of the trade and one more");
  }
  if (has_impact(plan.terms.costs) && options.traded_value.size() == 0) {
    throw InputError(where, "impact hangs on the money traded a day, which isn't known",
                     "Give traded values, or leave it out");
  }
  if (options.traded_value.size() > 0 && (std::size_t(options.traded_value.rows()) != table.rows() ||
                                          std::size_t(options.traded_value.cols()) != table.assets.size())) {
    throw InputError(where,
                     fmt::format("traded values of {} rows and {} assets for {} and {}", options.traded_value.rows(),
                                 options.traded_value.cols(), table.rows(), table.assets.size()),
                     "Give one a row and asset");
  }
  if (options.start) check_per_asset(options.start->units, Eigen::Index(table.assets.size()), where + ", units held");
}

}  // namespace

Calendar::Calendar(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options)
    : first_(options.first_row) {
  table.check_shape();  // prices are looked at as the walk reads them
  check_options(table, plan, options);
  if (plan.by_date.empty() && !plan.estimation) check_weights(table, plan.weights, named(plan));
  check_terms(table, plan);
  days_.assign(table.days.begin() + std::ptrdiff_t(first_), table.days.end());
  looks_ = plan.schedule.looks(days_);
  check_looks(plan);
  if (plan.estimation) {
    estimates_ = plan.estimation->when.looks(days_);
    estimates_[0] = true;
  }
  for (const auto& [day, weights] : plan.by_date) {
    check_weights(table, weights, fmt::format("{}, weights from {}", named(plan), to_string(day)));
    const auto row = std::size_t(std::ranges::lower_bound(days_, day) - days_.begin());
    if (row < days_.size()) given_.emplace_back(first_ + row, &weights);
  }
  if (!plan.by_date.empty() && plan.weights.size() == 0 && (given_.empty() || given_[0].first != first_)) {
    throw InputError(named(plan), fmt::format("its first weights are of {}", to_string(plan.by_date[0].first)),
                     fmt::format("Give some of {} or earlier, on which the walk begins", to_string(days_.front())));
  }
  read_flows(plan, options);
  PriceTable dates;
  dates.days = days_;
  if (!table.numbers.empty()) dates.numbers.assign(table.numbers.begin() + std::ptrdiff_t(first_), table.numbers.end());
  rows_per_year_ = dates.rows_per_year();
}

void Calendar::check_looks(const RehearsalPlan& plan) const {
  const auto& schedule = plan.schedule;
  if (plan.rule || !schedule.every || schedule.watches() || std::ranges::find(looks_, true) != looks_.end()) return;
  throw InputError(fmt::format("{}, schedule '{}'", named(plan), schedule.name),
                   fmt::format("it never looks between {} and {}", to_string(days_.front()), to_string(days_.back())),
                   "Take a shorter interval, or never");
}

void Calendar::read_flows(const RehearsalPlan& plan, const RehearsalOptions& options) {
  for (const auto& flow : options.flows) {
    finite(flow.amount, named(plan) + ", flow");
    if (flow.day < days_.front() || flow.day > days_.back()) {
      throw InputError(fmt::format("{}, flow of {}", named(plan), to_string(flow.day)), "it lies outside the walk",
                       fmt::format("Give a day from {} to {}", to_string(days_.front()), to_string(days_.back())));
    }
    const auto row = std::size_t(std::ranges::lower_bound(days_, flow.day) - days_.begin());
    flows_.push_back({first_ + row, flow.of_wealth ? 0 : flow.amount, flow.of_wealth ? flow.amount : 0});
  }
  std::ranges::stable_sort(flows_, {}, &RowFlow::row);
}

double Calendar::flow(std::size_t row, double wealth) const {
  double sum = 0;
  for (const auto& flow : of_row(flows_, row)) {
    sum += flow.amount + flow.share * wealth;
  }
  return sum;
}

bool Calendar::has_flow(std::size_t row) const {
  return std::ranges::binary_search(flows_, row, {}, &RowFlow::row);
}

bool Calendar::sets_targets(std::size_t row) const {
  return std::ranges::any_of(given_, [row](const auto& given) { return given.first == row; });
}

void Calendar::targets(std::size_t row, Eigen::VectorXd& targets) const {
  for (const auto& [from, weights] : given_) {
    if (from == row) targets = *weights;
  }
}

}  // namespace inchtide
