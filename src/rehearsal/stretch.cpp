#include "rehearsal/stretch.hpp"

#include <algorithm>
#include <cmath>

#include "rehearsal/columns.hpp"
#include "rehearsal/tolerances.hpp"

namespace inchtide {
namespace {

/// Rows at a time: their sums and a column's part of them stay in the nearest cache.
constexpr Eigen::Index most_rows = 64;

}  // namespace

/// Of each row of a stretch and the one before it: what positions are worth and are charged for, the price relatives
/// weighted by targets; and the least price, by which one that is none shows.
struct Stretches::Sums {
  explicit Sums(Eigen::Index rows)
      : value(Eigen::ArrayXd::Zero(rows)),
        custody(Eigen::ArrayXd::Zero(rows)),
        shorts(Eigen::ArrayXd::Zero(rows)),
        borrowing(Eigen::ArrayXd::Zero(rows)),
        relatives(Eigen::ArrayXd::Zero(rows)),
        wealth(rows),
        fees(rows),
        cash(rows),
        interest(rows) {}
  Eigen::ArrayXd value, custody, shorts, borrowing, relatives;
  Eigen::ArrayXd wealth, fees, cash, interest;  // of rows from the second on
  double least = 1;
};

Stretches::Stretches(const PriceTable& table, const RehearsalPlan& plan, const RehearsalOptions& options,
                     const Calendar& calendar, const Market& market)
    : table_(table), plan_(plan), options_(options) {
  const bool other_band = plan.schedule.band && (!plan.schedule.band->column.empty() || plan.schedule.band->cash ||
                                                 plan.terms.cash_floor > 0);
  possible_ = !plan.rule && !(plan.schedule.watches() && other_band);
  for (const auto& costs : plan.terms.costs) {
    charges_ = charges_ || costs.custody > 0 || costs.borrowing > 0;
  }
  if (!possible_) return;
  busy_.assign(table.rows(), 0);
  for (std::size_t t = options.first_row; t < table.rows(); ++t) {
    busy_[t] = t == options.first_row || calendar.looks(t) || calendar.estimates(t) || calendar.has_flow(t) ||
               calendar.sets_targets(t) || market.acts(t);
  }
}

bool Stretches::is_quiet(const WalkState& state) const {
  if (!possible_ || state.decision || !state.owed.empty()) return false;
  return std::ranges::all_of(state.closed_for, [](int rows) { return rows == 0; });
}

/// Column after column, so that each row's sum is in the order of the columns.
void Stretches::sum(const WalkState& state, std::size_t from, Sums& sums) const {
  const auto rows = sums.value.size(), n = table_.prices.cols();
  const auto first = from - 1;
  for (Eigen::Index i = 0; i < n; i += columns_together) {
    const ColumnGroup prices(table_.prices, i, n, [](Eigen::Index column) { return column; });
    ColumnGroup::Factors units{}, custody{}, shorts{}, borrowing{};
    bool has_shorts = false;
    for (Eigen::Index c = 0; c < std::min(columns_together, n - i); ++c) {
      const auto at = std::size_t(c);
      units[at] = state.ledger.units[i + c];
      has_shorts = has_shorts || units[at] < 0;
      shorts[at] = std::max(0.0, -units[at]);
      if (plan_.terms.costs.empty()) continue;
      const auto& costs = plan_.terms.costs[std::size_t(i + c)];
      custody[at] = std::abs(units[at]) * costs.custody;
      borrowing[at] = shorts[at] * costs.borrowing;
    }
    prices.add(first, rows, units, sums.value.data(), sums.least);
    if (charges_) prices.add(first, rows, custody, sums.custody.data());
    if (has_shorts) {
      prices.add(first, rows, shorts, sums.shorts.data());
      prices.add(first, rows, borrowing, sums.borrowing.data());
    }
  }
  if (!options_.track_targets) return;
  for (Eigen::Index i = 0; i < n; ++i) {
    const auto prices = table_.prices.col(i).segment(Eigen::Index(first), rows).array();
    sums.relatives.tail(rows - 1) += state.targets[i] * (prices.tail(rows - 1) / prices.head(rows - 1));
  }
}

/// Charges on each close's values, and with them cash and wealth of the next. How many rows have prices and wealth.
std::size_t Stretches::charge(const WalkState& state, std::size_t from, Sums& sums) const {
  double cash = state.ledger.cash;
  const double overdraft = options_.overdraft_rate.value_or(options_.risk_free);
  for (Eigen::Index k = 1; k < sums.value.size(); ++k) {
    const auto row = from + std::size_t(k) - 1;
    const double years = double((table_.days[row] - table_.days[row - 1]).count()) / days_of_charges;
    const double earning = std::max(0.0, options_.proceeds_earn ? cash : cash - sums.shorts[k - 1]);
    sums.interest[k] = years * (earning * options_.cash_rate + std::min(0.0, cash) * overdraft);
    sums.fees[k] = years * (sums.custody[k - 1] + sums.borrowing[k - 1]);
    sums.cash[k] = cash += sums.interest[k] - sums.fees[k];
    sums.wealth[k] = sums.value[k] + cash;
    const bool priced =
        std::isfinite(sums.value[k]) && (sums.least > 0 || (table_.prices.row(Eigen::Index(row)).array() > 0).all());
    if (!priced || !(sums.wealth[k] > 0)) return std::size_t(k) - 1;
  }
  return std::size_t(sums.value.size()) - 1;
}

/// The first of `rows` rows on which some asset has left its band; `rows` where none has.
std::size_t Stretches::first_outside(const WalkState& state, std::size_t from, const Sums& sums,
                                     std::size_t rows) const {
  if (!plan_.schedule.watches()) return rows;
  const auto& band = *plan_.schedule.band;
  auto first = Eigen::Index(rows);
  for (Eigen::Index i = 0; i < table_.prices.cols() && first > 0; ++i) {
    const double target = state.targets[i], width = band.half_width(target) + band_rounding;
    if (band.measure == Band::Measure::share && target == 0) continue;
    const auto prices = table_.prices.col(i).segment(Eigen::Index(from), first).array();
    const auto wealth = sums.wealth.segment(1, first);
    const double units = state.ledger.units[i];
    const bool within = ((units * prices - target * wealth).abs() - width * wealth).maxCoeff() <= 0;
    for (Eigen::Index k = 0; k < first && !within; ++k) {
      if (std::abs(units * prices[k] - target * wealth[k]) > width * wealth[k]) first = k;
    }
  }
  return std::size_t(first);
}

/// Writes the first rows of a stretch into the run and the state.
void Stretches::take(WalkState& state, const Sums& sums, std::size_t rows) const {
  auto& run = state.so_far;
  for (std::size_t k = 1; k <= rows; ++k) {
    const auto at = Eigen::Index(state.row + k - 1 - options_.first_row), in = Eigen::Index(k);
    const double wealth = sums.wealth[in];
    run.before[at] = run.net[at] = wealth;
    run.flow[at] = 0;
    run.gross[at] = state.gross *= (wealth + sums.fees[in]) / state.net;
    if (options_.track_targets) run.paper[at] = sums.relatives[in] - state.targets.sum() + paper_cash(state, at);
    run.running.interest += sums.interest[in];
    if (charges_) {
      const double years =
          double((run.days[std::size_t(at)] - run.days[std::size_t(at) - 1]).count()) / days_of_charges;
      run.running.custody += years * sums.custody[in - 1];
      run.running.borrowing += years * sums.borrowing[in - 1];
    }
    state.net = wealth;
    state.ledger.cash = sums.cash[in];
  }
  if (options_.keep_weights && rows > 0) {
    const auto at = Eigen::Index(state.row - options_.first_row), count = Eigen::Index(rows);
    for (Eigen::Index i = 0; i < table_.prices.cols(); ++i) {
      run.weights.col(i).segment(at, count) = state.ledger.units[i] *
                                              table_.prices.col(i).segment(Eigen::Index(state.row), count).array() /
                                              sums.wealth.segment(1, count);
    }
  }
  state.row += rows;
  if (rows > 0) state.last_price = table_.prices.row(Eigen::Index(state.row) - 1).transpose();
}

/// What the paper's cash earns over a row.
double Stretches::paper_cash(const WalkState& state, Eigen::Index at) const {
  const auto& days = state.so_far.days;
  const double years = double((days[std::size_t(at)] - days[std::size_t(at) - 1]).count()) / days_of_charges;
  return (1 - state.targets.sum()) * years * options_.cash_rate;
}

void Stretches::pass(WalkState& state, std::size_t to_row) const {
  if (!is_quiet(state)) return;
  while (state.row < to_row && !busy_[state.row]) {
    std::size_t end = state.row;
    while (end < std::min(to_row, state.row + std::size_t(most_rows)) && !busy_[end]) ++end;
    Sums sums(Eigen::Index(end - state.row) + 1);
    sum(state, state.row, sums);
    const auto rows = first_outside(state, state.row, sums, charge(state, state.row, sums));
    take(state, sums, rows);
    if (state.row < end) return;
  }
}

}  // namespace inchtide
