#include "inchtide/frontier/holdings.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <queue>
#include <set>

#include "frontier/own_parts.hpp"
#include "frontier/path.hpp"
#include "frontier/pieces.hpp"
#include "frontier/vertex.hpp"
#include "inchtide/base/errors.hpp"

namespace inchtide {
namespace {

constexpr double infinity = std::numeric_limits<double>::infinity();
constexpr double no_weight = 1e-9;
/// A variance below this part of the largest asset's is none: gaps are measured against it at least.
constexpr double no_variance = 1e-10;
/// A position counts as decided where its share of one is this near to 0 or 1.
constexpr double decided = 1e-7;

// ---- the search ----------------------------------------------------------------------------------------------------

enum class State : signed char { out, open, held, held_short };

struct Branch {
  std::vector<State> states;
  double bound = -infinity;
  double price = 0;  // of a position
  int depth = 0;
  int next = -1;  // the asset to decide
};

struct Relaxed {
  bool feasible = false;
  double bound = 0;
  Eigen::VectorXd weights, shares;  // shares of a position, of open assets
};

class Search {
 public:
  Search(const Estimate& estimate, const Bounds& bounds, const HoldingsOptions& options)
      : estimate_(estimate), bounds_(bounds), options_(options), n_(int(estimate.size())) {
    most_ = bounds.holdings ? std::min(n_, int(bounds.holdings->value)) : n_;
    least_ = bounds.held ? bounds.held->value : 0;
    least_limit_ = bounds.held ? bounds.held->limit : -1;
    bounds_.holdings.reset();
    bounds_.held.reset();
    bounds_.volatility.reset();
    bounds_.tracking_error.reset();
    if (options.least_return) {
      bounds_.rows.push_back({-1, "expected return", estimate.expected_return, *options.least_return, infinity});
    }
    // No weight can be larger than what the others leave.
    const double lowest = bounds_.lower.sum();
    for (int i = 0; i < n_; ++i) {
      const double most = bounds_.budget - lowest + bounds_.lower[i];
      if (most >= bounds_.upper[i]) continue;
      bounds_.upper[i] = most;
      bounds_.upper_limit[std::size_t(i)] = -1;
    }
    split_ = split_of(estimate.covariance, Eigen::VectorXd::Ones(n_));
    noise_ = no_variance * estimate.covariance.variances().maxCoeff();
  }

  HoldingsAnswer run() {
    Branch root{std::vector<State>(std::size_t(n_), State::open), -infinity, 0, 0};
    for (int i = 0; i < n_; ++i) {
      auto& state = root.states[std::size_t(i)];
      if (bounds_.lower[i] > 0) state = State::held;
      if (bounds_.upper[i] < 0) state = State::held_short;
      if (bounds_.lower[i] == 0 && bounds_.upper[i] < std::max(least_, no_weight)) state = State::out;
    }
    const auto first = prepare_root(root);
    if (!first.feasible) throw InfeasibleLimits(none_fits(), {});
    push(std::move(root), first);
    improve_by_exchanges();

    bool stopped = false;
    while (!queue_.empty() && !stopped) {
      auto branch = queue_.top();
      queue_.pop();
      if (branch.bound >= good_enough()) {
        floor_ = std::min(floor_, branch.bound);
        continue;
      }
      stopped = options_.should_stop && options_.should_stop();
      if (stopped) {
        floor_ = std::min(floor_, branch.bound);
        break;
      }
      ++branches_;
      split_branch(branch);
    }
    while (!queue_.empty()) {
      floor_ = std::min(floor_, queue_.top().bound);
      queue_.pop();
    }
    if (best_support_.empty()) {
      if (stopped) {
        throw UncertifiedAnswer(
            "The search for positions was stopped before it found any portfolio: give it more time");
      }
      // Only branches that were all seen to have no portfolio prove that there is none.
      if (!lost_ && std::isinf(floor_)) throw InfeasibleLimits(none_fits(), {});
      throw UncertifiedAnswer(
          "The search for positions found no portfolio, and rounding keeps it from proving that there is none");
    }
    HoldingsAnswer answer;
    answer.chosen = chosen_bounds(best_support_);
    answer.portfolio = solve_exactly(estimate_, answer.chosen);
    answer.objective = best_;
    answer.no_risk = noise_;
    answer.bound = std::min(best_, floor_);
    answer.branches = branches_;
    answer.proven = answer.gap() <= options_.gap * (1 + 1e-9);
    return answer;
  }

 private:
  struct ByBound {
    bool operator()(const Branch& a, const Branch& b) const { return a.bound > b.bound; }
  };

  std::string none_fits() const {
    return fmt::format("No choice of {} positions of at least {:.4g}% satisfies the limits. Allow more or smaller ones",
                       most_, 100 * least_);
  }

  double good_enough() const {
    return std::isinf(best_) ? infinity : best_ - options_.gap * std::max(best_variance_, noise_) / 2;
  }

  // ---- bounds of branches ----

  int held_count(const Branch& branch) const {
    return int(
        std::ranges::count_if(branch.states, [](State s) { return s == State::held || s == State::held_short; }));
  }

  /// Where a position of asset i begins to count in full at this price of one.
  double full_at(int i, double size, double price) const {
    const double own = split_.own[i];
    const double free = own > 0 ? std::sqrt(2 * price / own) : (price > 0 ? infinity : 0);
    return std::clamp(free, std::min(least_, size), size);
  }

  double line_slope(int i, double full, double price) const {
    return full > 0 ? split_.own[i] * full / 2 + price / full : 0;
  }

  /// The relaxed problem at this price of a position; the bound is for all choices within the branch.
  Relaxed relax(const Branch& branch, double price) {
    auto bounds = bounds_;
    for (int i = 0; i < n_; ++i) {
      switch (branch.states[std::size_t(i)]) {
        case State::out: bounds.lower[i] = bounds.upper[i] = 0; break;
        case State::held: bounds.lower[i] = std::max(bounds.lower[i], least_); break;
        case State::held_short: bounds.upper[i] = std::min(bounds.upper[i], -least_); break;
        case State::open:  // a side with no room for a position is closed
          if (bounds.upper[i] > 0 && bounds.upper[i] < least_) bounds.upper[i] = 0;
          if (bounds.lower[i] < 0 && bounds.lower[i] > -least_) bounds.lower[i] = 0;
          break;
      }
      if (bounds.lower[i] > bounds.upper[i]) return {};
    }
    auto problem = vertex_problem(bounds);
    auto& weights = problem.weights;
    weights.curvature = weights.pull = Eigen::VectorXd::Zero(n_);
    Eigen::VectorXd slopes = options_.lambda * estimate_.expected_return;
    for (int i = 0; i < n_; ++i) {
      const auto state = branch.states[std::size_t(i)];
      if (state == State::held || state == State::held_short) weights.curvature[i] = split_.own[i];
      if (state == State::open) bend_open(weights, slopes, bounds, i, price);
    }
    std::ranges::stable_sort(weights.bends, {}, [](const Bend& bend) { return std::pair(bend.weight, bend.at); });

    const auto p = weights.rows.rows();
    LinearTerm q{Eigen::VectorXd::Zero(n_ + p), {}};
    q.lowest.head(n_) = slopes;
    for (const auto& bend : weights.bends) q.bends.push_back(bend.linear);
    const auto vertex = best_vertex(problem, slopes, q.bends);
    if (!vertex.feasible) return {};
    auto all = with_row_weights(problem);
    all.curvature = all.pull = Eigen::VectorXd::Zero(n_ + p);
    all.curvature.head(n_) = weights.curvature;
    all.pull.head(n_) = weights.pull;
    try {
      PathSolver solver({split_.rest, std::move(all), false, false, 1});
      solver.start_at(vertex.values, vertex.basic, vertex.piece);
      solver.follow(q);
      return judged(branch, solver.weights().head(n_), price);
    } catch (const UncertifiedAnswer&) {  // nothing is known of this branch but its parent's bound
      lost_ = true;
      return {true, -infinity, Eigen::VectorXd::Zero(n_), Eigen::VectorXd::Zero(n_)};
    }
  }

  /// An open asset: straight up to a full position, then its own part of the variance curves.
  void bend_open(BentRows& weights, Eigen::VectorXd& slopes, const Bounds& bounds, int i, double price) const {
    const auto bend_at = [&](double at) -> Bend& {
      auto found =
          std::ranges::find_if(weights.bends, [&](const Bend& bend) { return bend.weight == i && bend.at == at; });
      if (found == weights.bends.end()) {
        weights.bends.push_back({i, at, Eigen::VectorXd::Zero(weights.rows.rows())});
        found = weights.bends.end() - 1;
      }
      return *found;
    };
    const double own = split_.own[i], lower = bounds.lower[i], upper = bounds.upper[i];
    const double full_up = upper > 0 ? full_at(i, upper, price) : 0;
    const double full_down = lower < 0 ? full_at(i, -lower, price) : 0;
    const double line_up = line_slope(i, full_up, price), line_down = line_slope(i, full_down, price);
    double slope = 0;  // of the penalty on the lowest piece
    if (lower < 0) {
      slope = -line_down;
      if (-full_down > lower) {
        weights.curvature[i] = own;
        weights.pull[i] = own * full_down;
        slope = -own * full_down;
        auto& bend = bend_at(-full_down);
        bend.linear -= own * full_down - line_down;
        bend.curvature -= own;
      }
      if (upper > 0) bend_at(0).linear -= line_up + line_down;
    } else {
      slope = line_up;
    }
    if (full_up < upper) {
      if (lower == 0 && full_up == 0) {
        weights.curvature[i] = own;
      } else {
        auto& bend = bend_at(full_up);
        bend.linear -= own * full_up - line_up;
        bend.curvature += own;
      }
    }
    slopes[i] -= slope;
  }

  Relaxed judged(const Branch& branch, const Eigen::VectorXd& weights, double price) const {
    Relaxed relaxed{true, 0, weights, Eigen::VectorXd::Zero(n_)};
    double value =
        split_.rest.portfolio_variance(weights) / 2 - options_.lambda * estimate_.expected_return.dot(weights);
    for (int i = 0; i < n_; ++i) {
      const double size = std::abs(weights[i]), square = split_.own[i] * size * size / 2;
      if (branch.states[std::size_t(i)] != State::open) {
        value += square;
        continue;
      }
      const double full = full_at(i, weights[i] < 0 ? -bounds_.lower[i] : bounds_.upper[i], price);
      const double share = size < full ? size / full : (size > no_weight ? 1.0 : 0.0);
      relaxed.shares[i] = share;
      value += size < full ? line_slope(i, full, price) * size : square + (size > 0 ? price : 0);
    }
    relaxed.bound = value - price * (most_ - held_count(branch));
    return relaxed;
  }

  /// The best bound over prices of a position: where shares add up to the positions that are left.
  Relaxed best_bound(Branch& branch, int tries) {
    const int left = most_ - held_count(branch);
    if (left < 0) return {};
    if (left == 0) std::ranges::replace(branch.states, State::open, State::out);
    const bool open = std::ranges::find(branch.states, State::open) != branch.states.end();
    const bool counts = open && most_ < n_;
    if (!counts) return relax(branch, 0);
    Relaxed best;
    double low = 0, high = infinity, price = branch.price;
    for (int k = 0; k < tries; ++k) {
      auto relaxed = relax(branch, price);
      if (!relaxed.feasible) return {};
      const double sum = relaxed.shares.sum();
      if (!best.feasible || relaxed.bound > best.bound) {
        branch.price = price;
        best = relaxed;
      }
      if (best.bound >= good_enough() || (price == 0 && sum <= left)) break;
      if (std::abs(sum - left) <= 1e-4 * left) break;
      (sum > left ? low : high) = price;
      if (price == 0) {
        price = first_price(relaxed, left);
        continue;
      }
      double next = price * std::pow(std::max(sum, 1e-3) / left, 2);
      if (!(next > low && next < high)) next = std::isinf(high) ? 2 * low : (low + high) / 2;
      price = next;
    }
    return best;
  }

  /// A price at which the weights of the free problem would fill about as many positions as are left.
  double first_price(const Relaxed& relaxed, int left) const {
    double sum = 0;
    for (int i = 0; i < n_; ++i) sum += std::abs(relaxed.weights[i]) * std::sqrt(split_.own[i] / 2);
    return std::max(std::pow(sum / left, 2), 1e-12 * estimate_.covariance.variances().maxCoeff());
  }

  /// The root's bound, with the variances' own parts chosen anew for where its shares are undecided.
  Relaxed prepare_root(Branch& root) {
    auto best = best_bound(root, 16);
    if (!best.feasible || !estimate_.covariance.is_dense()) return best;
    auto best_split = split_;
    const double price = root.price;
    Eigen::VectorXd importance = Eigen::VectorXd::Zero(n_);
    for (int round = 0; round < 3; ++round) {
      for (int i = 0; i < n_; ++i) {
        const double share = best.shares[i];
        const double gain = share > decided ? best.weights[i] * best.weights[i] * (1 / share - 1) : 0;
        importance[i] = std::sqrt(std::max(importance[i], 0.0)) / 2 + gain;
      }
      const double largest = importance.maxCoeff();
      if (!(largest > 0)) break;
      split_ = split_of(estimate_.covariance, (importance / largest).array().max(1e-3));
      root.price = price;
      auto again = best_bound(root, 16);
      if (again.feasible && again.bound > best.bound) {
        best = again;
        best_split = split_;
      }
    }
    split_ = best_split;
    return best;
  }

  // ---- portfolios ----

  Bounds chosen_bounds(const std::vector<int>& support) const {
    auto bounds = bounds_;
    std::vector<char> in(std::size_t(n_), 0);
    for (int i : support) in[std::size_t(std::abs(i) - 1)] = i > 0 ? 1 : 2;
    for (int i = 0; i < n_; ++i) {
      const auto at = std::size_t(i);
      if (in[at] == 0) {
        bounds.lower[i] = bounds.upper[i] = 0;
        bounds.lower_limit[at] = bounds.upper_limit[at] = -1;
      }
      if (in[at] == 1 && bounds.lower[i] < least_) {
        bounds.lower[i] = least_;
        bounds.lower_limit[at] = least_limit_;
      }
      if (in[at] == 2 && bounds.upper[i] > -least_) {
        bounds.upper[i] = -least_;
        bounds.upper_limit[at] = least_limit_;
      }
    }
    return bounds;
  }

  Portfolio solve_exactly(const Estimate& estimate, const Bounds& bounds) const {
    const auto frontier = trace_frontier(estimate, bounds);
    return frontier.at_lambda(options_.lambda);
  }

  /// The least objective with these assets alone, each 1 + its position, negative when held short; kept if it is the
  /// best so far. Infinite where limits leave none.
  double value_of(const std::vector<int>& support) {
    if (int(support.size()) > most_ || support.empty()) return infinity;
    for (int i = 0; i < n_; ++i) {  // what has to be held is
      const bool may_be_out = bounds_.lower[i] <= 0 && bounds_.upper[i] >= 0;
      if (!may_be_out && std::ranges::none_of(support, [i](int s) { return std::abs(s) == i + 1; })) return infinity;
    }
    const auto k = Eigen::Index(support.size());
    std::vector<Eigen::Index> members;
    for (int i : support) members.push_back(std::abs(i) - 1);
    Estimate few;
    Eigen::MatrixXd matrix(k, k);
    Bounds bounds = Bounds::long_only(k);
    few.expected_return = estimate_.expected_return(members);
    for (Eigen::Index a = 0; a < k; ++a) {
      few.assets.emplace_back();
      for (Eigen::Index b = 0; b < k; ++b) {
        matrix(a, b) = estimate_.covariance.between(members[std::size_t(a)], members[std::size_t(b)]);
      }
      const auto i = members[std::size_t(a)];
      bounds.lower[a] = support[std::size_t(a)] > 0 ? std::max(bounds_.lower[i], least_) : bounds_.lower[i];
      bounds.upper[a] = support[std::size_t(a)] > 0 ? bounds_.upper[i] : std::min(bounds_.upper[i], -least_);
      if (bounds.lower[a] > bounds.upper[a]) return infinity;
    }
    few.covariance = Covariance::known_semidefinite(std::move(matrix));
    bounds.budget = bounds_.budget;
    if (bounds.lower.sum() > bounds.budget + 1e-12 || bounds.upper.sum() < bounds.budget - 1e-12) return infinity;
    for (const auto& row : bounds_.rows) {
      LimitRow part{row.limit, row.label, row.coefficients(members), row.lower, row.upper};
      part.constant = row.constant;
      if (row.bend.size() > 0) {
        part.bend = row.bend(members);
        part.bend_at = row.bend_at(members);
        part.constant += row.bend.dot(row.bend_at.cwiseAbs()) - part.bend.dot(part.bend_at.cwiseAbs());
      }
      bounds.rows.push_back(std::move(part));
    }
    try {
      const auto found = solve_exactly(few, bounds);
      const double variance = found.volatility * found.volatility;
      const double value = variance / 2 - options_.lambda * found.expected_return;
      if (value < best_) {
        best_ = value;
        best_variance_ = variance;
        best_support_ = support;
      }
      return value;
    } catch (const InfeasibleLimits&) {
      return infinity;
    } catch (const UncertifiedAnswer&) {
      lost_ = true;
      return infinity;
    }
  }

  std::vector<int> support_of(const Branch& branch, const Relaxed& relaxed) const {
    std::vector<std::pair<double, int>> order;
    for (int i = 0; i < n_; ++i) {
      const auto state = branch.states[std::size_t(i)];
      const int sign = state == State::held_short || (state == State::open && relaxed.weights[i] < 0) ? -1 : 1;
      if (state == State::out) continue;
      const double rank = state == State::open ? relaxed.shares[i] : 2;
      if (rank > decided) order.emplace_back(-rank, sign * (i + 1));
    }
    std::ranges::sort(order);
    std::vector<int> support;
    for (const auto& [rank, i] : order) {
      if (int(support.size()) < most_) support.push_back(i);
    }
    return support;
  }

  /// Each set of assets once.
  void try_support(std::vector<int> support) {
    std::ranges::sort(support);
    if (!tried_.insert(support).second) return;
    value_of(support);
  }

  /// One asset in for another, or dropped, or added, as long as that helps.
  void improve_by_exchanges() {
    if (best_support_.empty()) return;
    for (int round = 0; round < 20; ++round) {
      if (options_.should_stop && options_.should_stop()) return;
      const double before = best_;
      const auto support = best_support_;
      const auto portfolio = solve_exactly(estimate_, chosen_bounds(support));
      const Eigen::VectorXd gradient =
          estimate_.covariance.product(portfolio.weights) - options_.lambda * estimate_.expected_return;
      std::vector<int> candidates;
      for (int i = 0; i < n_; ++i) {
        if (bounds_.upper[i] >= std::max(least_, no_weight)) candidates.push_back(i + 1);
        if (bounds_.lower[i] <= -std::max(least_, no_weight)) candidates.push_back(-(i + 1));
      }
      const auto rank = [&](int c) { return (c > 0 ? 1 : -1) * gradient[std::abs(c) - 1]; };
      std::ranges::stable_sort(candidates, [&](int a, int b) { return rank(a) < rank(b); });
      if (candidates.size() > 40) candidates.resize(40);
      const auto held = [&](int c) {
        return std::ranges::any_of(support, [&](int s) { return std::abs(s) == std::abs(c); });
      };
      for (std::size_t out = 0; out <= support.size(); ++out) {
        auto smaller = support;
        if (out < support.size()) {
          smaller.erase(smaller.begin() + std::ptrdiff_t(out));
          try_support(smaller);
        }
        for (int c : candidates) {
          if (held(c)) continue;
          auto changed = smaller;
          changed.push_back(c);
          try_support(std::move(changed));
        }
      }
      if (!(best_ < before)) return;
    }
  }

  // ---- branching ----

  void push(Branch branch, const Relaxed& relaxed) {
    if (!relaxed.feasible) return;
    branch.bound = std::max(branch.bound, relaxed.bound);
    const double before = best_;
    try_support(support_of(branch, relaxed));
    if (best_ < before && branch.depth > 0) improve_by_exchanges();
    const auto open = most_undecided(branch, relaxed);
    if (!open) {  // the relaxed problem is the real one here: its bound is a portfolio's value
      floor_ = std::min(floor_, branch.bound);
      return;
    }
    if (branch.bound >= good_enough()) {
      floor_ = std::min(floor_, branch.bound);
      return;
    }
    branch.next = *open;
    queue_.push(std::move(branch));
  }

  /// The open asset whose share of a position is worth most to decide; none when all are decided.
  std::optional<int> most_undecided(const Branch& branch, const Relaxed& relaxed) const {
    std::optional<int> chosen;
    double most = 0;
    int full = 0, smallest = -1;
    for (int i = 0; i < n_; ++i) {
      const double share = relaxed.shares[i];
      if (branch.states[std::size_t(i)] != State::open || share <= decided) continue;
      if (share >= 1 - decided) {
        ++full;
        if (smallest < 0 || std::abs(relaxed.weights[i]) < std::abs(relaxed.weights[smallest])) smallest = i;
        continue;
      }
      const double size = std::abs(relaxed.weights[i]);
      const double worth = split_.own[i] * size * size * (1 / share - 1) / 2 +
                           1e-9 * std::min(share, 1 - share) * estimate_.covariance.variance(i);
      if (!chosen || worth > most) {
        chosen = i;
        most = worth;
      }
    }
    if (!chosen && full > most_ - held_count(branch)) chosen = smallest;  // whole positions, but too many
    return chosen;
  }

  void split_branch(Branch& branch) {
    const int chosen = branch.next;
    for (State state : {State::held, State::held_short, State::out}) {
      if (state == State::held && bounds_.upper[chosen] < std::max(least_, no_weight)) continue;
      if (state == State::held_short && bounds_.lower[chosen] > -std::max(least_, no_weight)) continue;
      Branch child{branch.states, branch.bound, branch.price, branch.depth + 1};
      child.states[std::size_t(chosen)] = state;
      const auto its = best_bound(child, 3);
      push(std::move(child), its);
    }
  }

  const Estimate& estimate_;
  Bounds bounds_;  // without numbers of positions, all ends finite
  const HoldingsOptions& options_;
  int n_, most_ = 0;
  double least_ = 0;
  int least_limit_ = -1;
  Split split_;
  double best_ = infinity, best_variance_ = 0, floor_ = infinity;
  double noise_ = 0;  // a variance below it is none
  std::vector<int> best_support_;
  std::set<std::vector<int>> tried_;
  std::priority_queue<Branch, std::vector<Branch>, ByBound> queue_;
  std::size_t branches_ = 0;
  bool lost_ = false;  // rounding has kept some answer from the search
};

}  // namespace

double HoldingsAnswer::gap() const {
  const double variance = std::max(portfolio.volatility * portfolio.volatility, no_risk);
  return variance > 0 ? std::max(0.0, objective - bound) / (variance / 2) : 0;
}

HoldingsAnswer choose_holdings(const Estimate& estimate, const Bounds& bounds, const HoldingsOptions& options) {
  return Search(estimate, bounds, options).run();
}

}  // namespace inchtide
