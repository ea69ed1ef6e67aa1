#include "frontier/position_search.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <memory>
#include <optional>
#include <queue>
#include <set>

#include "base/numbers.hpp"
#include "frontier/relaxation.hpp"
#include "frontier/tolerances.hpp"
#include "frontier/trace.hpp"
#include "inchtide/base/errors.hpp"

namespace inchtide {
namespace {

/// Own parts are chosen anew where a branch has less than this part of the open assets that they were chosen for.
constexpr double many_decided = 0.92;

struct Branch {
  States states;
  double bound = -infinity;
  Prices prices;
  int depth = 0;
  int next = -1;                               // the asset to decide
  std::shared_ptr<const Eigen::VectorXd> own;  // parts of the variances
  std::ptrdiff_t sharpened_for = 0;            // open assets when those were chosen

  std::ptrdiff_t open() const { return std::ranges::count(states, State::open); }
};

class PositionSearch {
 public:
  PositionSearch(const Estimate& estimate, const Bounds& bounds, const HoldingsOptions& options,
                 std::optional<double> benchmark_variance)
      : estimate_(estimate),
        bounds_(searched(estimate, bounds, options)),
        options_(options),
        benchmark_variance_(benchmark_variance),
        n_(int(estimate.size())),
        rules_{bounds.holdings ? std::min(n_, int(bounds.holdings->value)) : n_, bounds.held ? bounds.held->value : 0,
               options.lambda},
        least_limit_(bounds.held ? bounds.held->limit : -1),
        ceilings_(ceilings_of(bounds, options.benchmark)),
        relaxation_(estimate_, bounds_, rules_, ceilings_, options.should_stop),
        noise_(no_variance_in_search * estimate.covariance.variances().maxCoeff()) {
    if (options.better_than) best_ = *options.better_than;
  }

  HoldingsAnswer run() {
    start();
    bool stopped = false;
    while (!queue_.empty() && !stopped) {
      auto branch = queue_.top();
      queue_.pop();
      stopped = branch.bound < good_enough() && options_.should_stop && options_.should_stop();
      if (stopped || branch.bound >= good_enough()) {
        give_up(branch.bound);
        continue;
      }
      ++branches_;
      split_branch(branch);
    }
    for (; !queue_.empty(); queue_.pop()) give_up(queue_.top().bound);
    HoldingsAnswer answer;
    answer.objective = best_;
    answer.bound = std::min(best_, floor_);
    answer.branches = branches_;
    answer.proven = answer.objective - answer.bound <= allowed() * (1 + gap_rounding);
    if (best_support_.empty() && options_.better_than) return answer;
    if (best_support_.empty()) {
      if (stopped) {
        throw UncertifiedAnswer(
            "The search for positions was stopped before it found any portfolio: give it more time");
      }
      // Only branches that were all seen to have no portfolio prove that there is none.
      if (!lost_ && std::isinf(floor_)) throw none_fits();
      throw UncertifiedAnswer(
          "The search for positions found no portfolio, and rounding keeps it from proving that there is none");
    }
    answer.chosen = chosen_bounds(best_support_);
    auto portfolio = solve_exactly(estimate_, answer.chosen, options_.benchmark);
    if (!portfolio) throw UncertifiedAnswer("The best positions found are within their ceilings by rounding only");
    answer.portfolio = std::move(*portfolio);
    answer.risk = std::max(best_risk_, noise_);
    return answer;
  }

 private:
  struct ByBound {
    bool operator()(const Branch& a, const Branch& b) const { return a.bound > b.bound; }
  };

  /// Without numbers of positions and ceilings, and with all ends finite: no weight can be larger than what the others
  /// leave.
  static Bounds searched(const Estimate& estimate, Bounds bounds, const HoldingsOptions& options) {
    bounds.holdings.reset();
    bounds.held.reset();
    if (options.least_return) {
      keep_return(bounds, estimate, *options.least_return, infinity);
    }
    const double lowest = bounds.lower.sum();
    for (Eigen::Index i = 0; i < bounds.lower.size(); ++i) {
      const double most = bounds.budget - lowest + bounds.lower[i];
      if (most >= bounds.upper[i]) continue;
      bounds.upper[i] = most;
      bounds.upper_limit[std::size_t(i)] = -1;
    }
    return bounds;
  }

  InfeasibleLimits none_fits() const {
    return {fmt::format("No choice of {} positions of at least {:.4g}% satisfies the limits", rules_.most,
                        100 * rules_.least),
            {},
            {Means::limits, "Allow more or smaller ones"}};
  }

  /// No choice with less than `bound` is looked for any more.
  void give_up(double bound) { floor_ = std::min(floor_, bound); }

  /// A better objective by no more than this isn't looked for.
  double allowed() const {
    const double of_risk = options_.gap * std::max(best_risk_, noise_) / 2;
    return std::max({of_risk, options_.slack, sum_rounding * noise_ / no_variance_in_search});
  }
  double good_enough() const { return std::isinf(best_) ? infinity : best_ - allowed(); }

  // ---- the root ----

  /// The whole problem: its bound, a first portfolio, and the assets that the two decide between them.
  void start() {
    Branch root;
    root.states.assign(std::size_t(n_), State::open);
    for (int i = 0; i < n_; ++i) {
      auto& state = root.states[std::size_t(i)];
      if (bounds_.lower[i] > 0) state = State::held;
      if (bounds_.upper[i] < 0) state = rules_.either_side() ? State::held : State::held_short;
      if (bounds_.lower[i] == 0 && !relaxation_.may_be_held(i)) state = State::out;
    }
    relaxation_.stand_on(root.states, relaxation_.first_own_parts());
    root.prices.ceilings.assign(ceilings_.size(), 0.0);
    auto relaxed = relaxation_.bound(root.states, root.prices, infinity, root_tries);
    if (!relaxed.feasible) throw none_fits();
    try_support(support_of(root, relaxed));
    start_long_only();
    improve_by_exchanges();
    for (auto open = root.open();;) {
      relaxation_.sharpen(root.states, relaxed, best_, root_rounds, root_tries);
      root.bound = std::max(root.bound, relaxed.bound);
      give_up(relaxation_.decide(root.states, relaxed, good_enough()));
      if (root.open() == open) break;
      open = root.open();
      relaxation_.stand_on(root.states, relaxation_.own_parts());
      relaxed = relaxation_.bound(root.states, relaxed.prices, good_enough(), root_tries);
      if (!relaxed.feasible) return;  // all others have been given up
    }
    root.sharpened_for = root.open();
    push(std::move(root), relaxed);
  }

  /// Where shorts are allowed the relaxed weights say little of which positions are good; the best long ones are a
  /// start.
  void start_long_only() {
    if (!(bounds_.lower.minCoeff() < 0) || bounds_.upper.minCoeff() < 0) return;
    auto long_only = bounds_;
    long_only.lower = bounds_.lower.cwiseMax(0);
    if (rules_.most < n_) long_only.holdings = LimitFigure{double(rules_.most), -1};
    if (rules_.least > 0) long_only.held = LimitFigure{rules_.least, -1};
    auto options = options_;
    options.least_return.reset();  // a row by now
    options.better_than.reset();
    try {
      PositionSearch search(estimate_, long_only, options, benchmark_variance_);
      search.start();
      if (!search.best_support_.empty()) try_support(search.best_support_);
    } catch (const InfeasibleLimits&) {
    } catch (const UncertifiedAnswer&) {
    }
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
      if (rules_.either_side()) continue;
      if (in[at] == 1 && bounds.lower[i] < rules_.least) {
        bounds.lower[i] = rules_.least;
        bounds.lower_limit[at] = least_limit_;
      }
      if (in[at] == 2 && bounds.upper[i] > -rules_.least) {
        bounds.upper[i] = -rules_.least;
        bounds.upper_limit[at] = least_limit_;
      }
    }
    return bounds;
  }

  /// Within ceilings there may be none.
  std::optional<Portfolio> solve_exactly(const Estimate& estimate, const Bounds& bounds,
                                         const std::optional<BenchmarkRisk>& benchmark) const {
    if (!ceilings_.empty()) return least_within_ceilings(estimate, bounds, options_.lambda, benchmark);
    return trace_plainly(estimate, bounds).at_lambda(options_.lambda);
  }

  /// The least objective with these assets alone, each 1 + its position, negative when held short; kept if it is the
  /// best so far. Infinite where limits leave none.
  double value_of(const std::vector<int>& support) {
    if (int(support.size()) > rules_.most || support.empty()) return infinity;
    for (int i = 0; i < n_; ++i) {  // what has to be held is
      const bool may_be_out = bounds_.lower[i] <= 0 && bounds_.upper[i] >= 0;
      if (!may_be_out && std::ranges::none_of(support, [i](int s) { return std::abs(s) == i + 1; })) return infinity;
    }
    std::vector<int> members;
    for (int i : support) members.push_back(std::abs(i) - 1);
    Estimate few;
    few.assets.resize(members.size());
    few.expected_return = estimate_.expected_return(members);
    few.covariance = estimate_.covariance.block(members);
    auto bounds = bounds_of_few(bounds_, members);
    auto benchmark = options_.benchmark;
    if (benchmark) benchmark->covariances = Eigen::VectorXd(benchmark->covariances(members));
    for (Eigen::Index a = 0; a < few.size(); ++a) {
      auto &lower = bounds.lower[a], &upper = bounds.upper[a];
      if (rules_.either_side()) continue;
      (support[std::size_t(a)] > 0 ? lower : upper) =
          support[std::size_t(a)] > 0 ? std::max(lower, rules_.least) : std::min(upper, -rules_.least);
      if (lower > upper) return infinity;
    }
    if (bounds.lower.sum() > bounds.budget + sum_slack || bounds.upper.sum() < bounds.budget - sum_slack)
      return infinity;
    try {
      const auto found = solve_exactly(few, bounds, benchmark);
      if (!found) return infinity;
      const double variance = found->volatility * found->volatility;
      const double value = variance / 2 - options_.lambda * found->expected_return;
      if (value < best_) {
        best_ = value;
        best_risk_ = benchmark_variance_ ? 2 * value + *benchmark_variance_ : variance;
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
      const bool below = state == State::held_short || (state == State::open && relaxed.weights[i] < 0);
      const int sign = below && !rules_.either_side() ? -1 : 1;
      if (state == State::out) continue;
      const double rank = state == State::open ? relaxed.shares[i] : 2;
      if (rank > decided) order.emplace_back(-rank, sign * (i + 1));
    }
    std::ranges::sort(order);
    std::vector<int> support;
    for (const auto& [rank, i] : order) {
      if (int(support.size()) < rules_.most) support.push_back(i);
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
      const auto portfolio = solve_exactly(estimate_, chosen_bounds(support), options_.benchmark);
      if (!portfolio) return;
      const Eigen::VectorXd gradient =
          estimate_.covariance.product(portfolio->weights) - options_.lambda * estimate_.expected_return;
      std::vector<int> candidates;
      for (int i = 0; i < n_; ++i) {
        const bool up = relaxation_.may_be_held(i), down = relaxation_.may_be_short(i);
        if (up || (down && rules_.either_side())) candidates.push_back(i + 1);
        if (down && !rules_.either_side()) candidates.push_back(-(i + 1));
      }
      // What an asset would bring beyond the budget's price, which those held tell.
      double paid = 0, size = 0;
      for (int i : support) {
        const double weight = std::abs(portfolio->weights[std::abs(i) - 1]);
        paid += weight * gradient[std::abs(i) - 1];
        size += weight;
      }
      if (size > 0) paid /= size;
      const auto rank = [&](int c) {
        const int i = std::abs(c) - 1;
        const double up = gradient[i] - paid;
        if (rules_.either_side() && relaxation_.may_be_short(i)) return -std::abs(up);
        return c > 0 ? up : -up;
      };
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

  void push(Branch branch, Relaxed relaxed) {
    const double before = best_;
    try_support(support_of(branch, relaxed));
    if (best_ < before && branch.depth > 0) improve_by_exchanges();
    branch.bound = std::max(branch.bound, relaxed.bound);
    auto next = most_undecided(branch, relaxed);
    if (!next && branch.bound < good_enough()) {
      // With the right price of a position the relaxed problem is the real one where nothing is undecided.
      relaxed = relaxation_.bound(branch.states, relaxed.prices, good_enough(), root_tries);
      if (!relaxed.feasible) return;
      try_support(support_of(branch, relaxed));
      branch.bound = std::max(branch.bound, relaxed.bound);
      next = most_undecided(branch, relaxed);
      if (!next) next = any_open(branch);
    }
    if (!any_open(branch)) {  // one choice, which has been tried
      give_up(lost_ ? branch.bound : std::max(branch.bound, best_));
      return;
    }
    if (!next || branch.bound >= good_enough()) {
      give_up(branch.bound);
      return;
    }
    branch.next = *next;
    branch.prices = relaxed.prices;
    branch.own = std::make_shared<const Eigen::VectorXd>(relaxation_.own_parts());
    queue_.push(std::move(branch));
  }

  static std::optional<int> any_open(const Branch& branch) {
    const auto open = std::ranges::find(branch.states, State::open);
    if (open == branch.states.end()) return std::nullopt;
    return int(open - branch.states.begin());
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
      const double worth =
          relaxation_.worth(i, relaxed) + tie_break * std::min(share, 1 - share) * estimate_.covariance.variance(i);
      if (!chosen || worth > most) {
        chosen = i;
        most = worth;
      }
    }
    if (!chosen && full > rules_.most - Relaxation::held_count(branch.states))
      chosen = smallest;  // whole positions, but too many
    return chosen;
  }

  void split_branch(const Branch& branch) {
    for (State state : {State::held, State::held_short, State::out}) {
      const bool either = rules_.either_side() && relaxation_.may_be_short(branch.next);
      if (state == State::held && !relaxation_.may_be_held(branch.next) && !either) continue;
      if (state == State::held_short && (rules_.either_side() || !relaxation_.may_be_short(branch.next))) continue;
      auto child = branch;
      ++child.depth;
      child.states[std::size_t(branch.next)] = state;
      relaxation_.stand_on(branch.states, *branch.own);
      auto relaxed = relaxation_.bound(child.states, child.prices, good_enough(), tries);
      if (!relaxed.feasible) continue;
      narrow(child, relaxed);
      if (relaxed.feasible) push(std::move(child), relaxed);
    }
  }

  /// Decides what the prices of a branch decide, and looks at it more sharply where that has become much.
  void narrow(Branch& branch, Relaxed& relaxed) {
    if (relaxed.bound >= good_enough()) return;
    give_up(relaxation_.decide(branch.states, relaxed, good_enough()));
    if (double(branch.open()) > many_decided * double(branch.sharpened_for)) return;
    branch.sharpened_for = branch.open();
    branch.bound = std::max(branch.bound, relaxed.bound);
    relaxation_.stand_on(branch.states, relaxation_.own_parts());
    relaxed = relaxation_.bound(branch.states, relaxed.prices, good_enough(), tries);
    if (!relaxed.feasible) return;
    relaxation_.sharpen(branch.states, relaxed, good_enough(), 1, tries);
    if (relaxed.bound < good_enough()) give_up(relaxation_.decide(branch.states, relaxed, good_enough()));
  }

  static constexpr int root_rounds = 40, root_tries = 16, tries = 2;

  const Estimate& estimate_;
  Bounds bounds_;
  const HoldingsOptions& options_;
  std::optional<double> benchmark_variance_;
  int n_;
  PositionRules rules_;
  int least_limit_;
  std::vector<Ceiling> ceilings_;
  Relaxation relaxation_;
  double best_ = infinity, best_risk_ = 0, floor_ = infinity;
  double noise_;  // a variance below it is none
  std::vector<int> best_support_;
  std::set<std::vector<int>> tried_;
  std::priority_queue<Branch, std::vector<Branch>, ByBound> queue_;
  std::size_t branches_ = 0;
  bool lost_ = false;  // rounding has kept some answer from the search
};

}  // namespace

HoldingsAnswer search_positions(const Estimate& estimate, const Bounds& bounds, const HoldingsOptions& options,
                                std::optional<double> benchmark_variance) {
  return PositionSearch(estimate, bounds, options, benchmark_variance).run();
}

}  // namespace inchtide
