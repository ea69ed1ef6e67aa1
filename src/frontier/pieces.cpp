#include "frontier/pieces.hpp"

#include <algorithm>

namespace inchtide {

Pieces::Pieces(BentRows whole)
    : lower(whole.lower),
      upper(whole.upper),
      rows(std::move(whole.rows)),
      linear(Eigen::VectorXd::Zero(whole.lower.size())),
      offset(Eigen::VectorXd::Zero(rows.rows())),
      curvature(std::move(whole.curvature)),
      pull(std::move(whole.pull)),
      whole_lower_(std::move(whole.lower)),
      whole_upper_(std::move(whole.upper)),
      bends_(std::move(whole.bends)),
      linear_change_(bends_.size(), 0.0),
      closed_(bends_.size(), 0) {
  if (bends_.empty()) return;
  const auto n = std::size_t(lower.size());
  passed_.assign(n, 0);
  first_.assign(n + 1, 0);
  for (const auto& bend : bends_) ++first_[std::size_t(bend.weight) + 1];
  for (std::size_t i = 0; i < n; ++i) {
    if (first_[i + 1] > 0) bent_.push_back(int(i));
    first_[i + 1] += first_[i];
  }
  for (int i : bent_) set_ends(i);
}

void Pieces::set_linear(const Eigen::VectorXd& lowest, const std::vector<double>& bends) {
  linear = lowest;
  if (bends.empty()) {
    linear_change_.assign(bends_.size(), 0.0);
  } else {
    linear_change_ = bends;
  }
  for (int i : bent_) {
    for (int k = 0; k < passed_[std::size_t(i)]; ++k) {
      linear[i] += linear_change_[std::size_t(first_[std::size_t(i)] + k)];
    }
  }
}

const Bend* Pieces::above(int weight) const {
  if (first_.empty()) return nullptr;
  const auto i = std::size_t(weight);
  const int next = first_[i] + passed_[i];
  return next < first_[i + 1] && !closed_[std::size_t(next)] ? &bends_[std::size_t(next)] : nullptr;
}

const Bend* Pieces::below(int weight) const {
  if (first_.empty() || passed_[std::size_t(weight)] == 0) return nullptr;
  const auto last = std::size_t(first_[std::size_t(weight)] + passed_[std::size_t(weight)] - 1);
  return closed_[last] ? nullptr : &bends_[last];
}

void Pieces::up(int weight) {
  auto& passed = passed_[std::size_t(weight)];
  pass(bends_[std::size_t(first_[std::size_t(weight)] + passed)], 1);
  ++passed;
  set_ends(weight);
}

void Pieces::down(int weight) {
  auto& passed = passed_[std::size_t(weight)];
  --passed;
  pass(bends_[std::size_t(first_[std::size_t(weight)] + passed)], -1);
  set_ends(weight);
}

void Pieces::go_to(int weight, int piece) {
  while (this->piece(weight) < piece) up(weight);
  while (this->piece(weight) > piece) down(weight);
}

void Pieces::pass(const Bend& bend, double sign) {
  rows.col(bend.weight) += sign * bend.rows;
  offset -= sign * bend.at * bend.rows;
  linear[bend.weight] += sign * linear_change_[index_of(bend)];
  if (curvature.size() > 0) {
    curvature[bend.weight] += sign * bend.curvature;
    pull[bend.weight] -= sign * bend.curvature * bend.at;
  }
}

void Pieces::set_ends(int weight) {
  const auto i = std::size_t(weight);
  const int passed = passed_[i], count = first_[i + 1] - first_[i];
  lower[weight] = passed == 0 ? whole_lower_[weight] : bends_[std::size_t(first_[i] + passed - 1)].at;
  upper[weight] = passed == count ? whole_upper_[weight] : bends_[std::size_t(first_[i] + passed)].at;
}

LimitRow budget_row(const Bounds& bounds) {
  const auto n = bounds.lower.size();
  LimitRow row{bounds.budget_limit, "budget", Eigen::VectorXd::Ones(n), bounds.budget, bounds.budget};
  if (bounds.costs) {  // what trading costs is gone: sum w + buy'(w - w0)+ + sell'(w0 - w)+ = budget
    const auto& costs = *bounds.costs;
    row.bend = (costs.rates.buy + costs.rates.sell) / 2;
    row.bend_at = costs.current;
    row.coefficients += (costs.rates.buy - costs.rates.sell) / 2;
    row.constant = -(costs.rates.buy - costs.rates.sell).dot(costs.current) / 2;
  }
  return row;
}

std::vector<LimitRow> all_rows(const Bounds& bounds) {
  std::vector<LimitRow> rows{budget_row(bounds)};
  rows.insert(rows.end(), bounds.rows.begin(), bounds.rows.end());
  return rows;
}

BentRows bent_rows(const Bounds& bounds) {
  const auto n = bounds.lower.size();
  const auto rows = all_rows(bounds);
  const auto p = Eigen::Index(rows.size());
  BentRows bent{bounds.lower, bounds.upper, RowMatrix(p, n), {}};
  for (Eigen::Index r = 0; r < p; ++r) bent.rows.row(r) = rows[std::size_t(r)].coefficients;
  const auto is_bent = [](const LimitRow& row) { return row.bend.size() > 0; };
  if (std::ranges::none_of(rows, is_bent)) return bent;
  for (int i = 0; i < int(n); ++i) {
    std::vector<Bend> own;
    const auto bend_at = [&](double at) -> Bend& {
      auto found = std::ranges::find(own, at, &Bend::at);
      if (found == own.end()) {
        own.push_back({i, at, Eigen::VectorXd::Zero(p), 0});
        found = own.end() - 1;
      }
      return *found;
    };
    for (Eigen::Index r = 0; r < p; ++r) {
      const auto& row = rows[std::size_t(r)];
      if (!is_bent(row) || row.bend[i] == 0) continue;
      const double at = row.bend_at[i], size = row.bend[i];
      if (at >= bounds.upper[i]) {  // below it everywhere
        bent.rows(r, i) -= size;
      } else if (at <= bounds.lower[i]) {
        bent.rows(r, i) += size;
      } else {
        bent.rows(r, i) -= size;
        bend_at(at).rows[r] += 2 * size;
      }
    }
    if (bounds.costs) {
      const auto& costs = *bounds.costs;
      const double at = costs.current[i], total = (costs.rates.buy[i] + costs.rates.sell[i]) / costs.years;
      if (total != 0 && at > bounds.lower[i] && at < bounds.upper[i]) bend_at(at).linear -= total;
    }
    std::ranges::sort(own, {}, &Bend::at);
    bent.bends.insert(bent.bends.end(), own.begin(), own.end());
  }
  return bent;
}

}  // namespace inchtide
