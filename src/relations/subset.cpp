#include "inchtide/relations/subset.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <random>

#include "base/numbers.hpp"
#include "inchtide/base/errors.hpp"
#include "relations/tolerances.hpp"

namespace inchtide {
namespace {

constexpr int starts = 200;  // random subsets improved by swaps
constexpr int root_steps = 400, branch_steps = 30;

/// How each correlation is shared out: q(j, i) is what asset i counts for its pair with j, a column an asset. The
/// others are listed per asset, the least share first.
struct Sharing {
  Eigen::MatrixXd q;
  std::vector<int> order;  // n - 1 an asset

  void sort() {
    const int n = int(q.cols());
    order.resize(std::size_t(n) * std::size_t(n - 1));
    for (int i = 0; i < n; ++i) {
      auto* begin = order.data() + std::ptrdiff_t(i) * (n - 1);
      auto* at = begin;
      for (int j = 0; j < n; ++j) {
        if (j != i) *at++ = j;
      }
      std::sort(begin, at, [&](int a, int b) { return q(a, i) < q(b, i); });
    }
  }
};

/// What is chosen, what may still be, and each asset's sum with those chosen.
struct Node {
  std::vector<int> open;
  Eigen::VectorXd with_chosen;
  double sum = 0;
};

class SubsetSearch {
 public:
  SubsetSearch(const Eigen::MatrixXd& r, int size, const SubsetOptions& options)
      : r_(r), n_(int(r.cols())), size_(size), options_(options), is_open_(std::size_t(n_), 0) {}

  LeastRelated result() {
    first_subset();
    Node root{std::vector<int>(std::size_t(n_)), Eigen::VectorXd::Zero(n_), 0};
    std::iota(root.open.begin(), root.open.end(), 0);
    Sharing sharing{r_ / 2, {}};
    if (size_ > 2) improve(root, size_, sharing, root_steps);
    const double bound = explore(std::move(root), sharing);
    LeastRelated result;
    for (int i : best_) result.members.push_back(std::size_t(i));
    std::ranges::sort(result.members);
    for (auto a = result.members.begin(); a != result.members.end(); ++a) {
      for (auto b = a + 1; b != result.members.end(); ++b) result.sum += r_(Eigen::Index(*a), Eigen::Index(*b));
    }
    const double pairs = size_ * (size_ - 1) / 2.0;
    result.average = pairs > 0 ? result.sum / pairs : 0;
    result.proven = !stopped_;
    result.gap = stopped_ ? std::max(0.0, (best_sum_ - bound) / pairs) : 0;
    result.looked_at = looked_at_;
    return result;
  }

 private:
  /// The best of some random subsets, each improved by swapping members while that helps.
  void first_subset() {
    std::mt19937_64 random(options_.seed);
    std::vector<int> shuffled(static_cast<std::size_t>(n_));
    for (int start = 0; start < starts; ++start) {
      std::iota(shuffled.begin(), shuffled.end(), 0);
      for (std::size_t i = shuffled.size() - 1; i > 0; --i) std::swap(shuffled[i], shuffled[random() % (i + 1)]);
      Eigen::VectorXd with_chosen = Eigen::VectorXd::Zero(n_);
      const auto chosen_end = shuffled.begin() + size_;
      const auto add = [&](int i, double sign) {
        with_chosen += sign * r_.col(i);
        with_chosen[i] -= sign * r_(i, i);
      };
      std::for_each(shuffled.begin(), chosen_end, [&](int i) { add(i, 1); });
      for (bool better = true; better;) {
        double most = -better_swap;
        auto out = shuffled.end(), in = shuffled.end();
        for (auto a = shuffled.begin(); a != chosen_end; ++a) {
          for (auto b = chosen_end; b != shuffled.end(); ++b) {
            const double change = with_chosen[*b] - r_(*a, *b) - with_chosen[*a];
            if (change < most) most = change, out = a, in = b;
          }
        }
        better = out != shuffled.end();
        if (!better) break;
        add(*out, -1);
        add(*in, 1);
        std::swap(*out, *in);
      }
      double sum = 0;
      std::for_each(shuffled.begin(), chosen_end, [&](int i) { sum += with_chosen[i] / 2; });
      if (sum < best_sum_) keep({shuffled.begin(), chosen_end}, sum);
    }
  }

  void keep(std::vector<int> members, double sum) {
    best_ = std::move(members);
    best_sum_ = sum;
  }

  int missing() const { return size_ - int(chosen_.size()); }
  void mark(const std::vector<int>& assets, char open) {
    for (int i : assets) is_open_[std::size_t(i)] = open;
  }

  struct Bound {
    double value;
    double last;  // the largest of the figures that are in it
  };

  /// No way to fill the node up costs less. `figures` gets each open asset's own.
  Bound bound_of(const Node& node, int r, const Sharing& sharing, std::vector<double>& figures) {
    figures.clear();
    for (int i : node.open) {
      double figure = node.with_chosen[i];
      const auto* j = sharing.order.data() + std::ptrdiff_t(i) * (n_ - 1);
      for (int left = r - 1; left > 0; ++j) {
        if (is_open_[std::size_t(*j)] == 0) continue;
        figure += sharing.q(*j, i);
        --left;
      }
      figures.push_back(figure);
    }
    scratch_ = figures;
    std::nth_element(scratch_.begin(), scratch_.begin() + (r - 1), scratch_.end());
    return {std::accumulate(scratch_.begin(), scratch_.begin() + r, node.sum), scratch_[std::size_t(r) - 1]};
  }

  /// Moves shares from where a pair is counted once to where it isn't counted, while that raises the bound.
  void improve(const Node& node, int r, Sharing& sharing, int steps) {
    const auto m = node.open.size();
    Eigen::MatrixXd best_q = sharing.q;
    double best = -infinity, pace = 1;
    int stalled = 0;
    std::vector<int> others, picks(m * std::size_t(r - 1)), rank(m);
    std::vector<double> figures(m);
    Eigen::Matrix<char, Eigen::Dynamic, Eigen::Dynamic> counted(n_, n_);
    for (int step = 0; step < steps; ++step) {
      if (stop()) break;
      for (std::size_t a = 0; a < m; ++a) {
        const int i = node.open[a];
        others.clear();
        for (int j : node.open) {
          if (j != i) others.push_back(j);
        }
        std::ranges::nth_element(others, others.begin() + (r - 2),
                                 [&](int x, int y) { return sharing.q(x, i) < sharing.q(y, i); });
        figures[a] = node.with_chosen[i];
        for (int t = 0; t < r - 1; ++t) {
          figures[a] += sharing.q(others[std::size_t(t)], i);
          picks[a * std::size_t(r - 1) + std::size_t(t)] = others[std::size_t(t)];
        }
      }
      std::iota(rank.begin(), rank.end(), 0);
      std::ranges::nth_element(rank, rank.begin() + (r - 1),
                               [&](int x, int y) { return figures[std::size_t(x)] < figures[std::size_t(y)]; });
      double value = node.sum;
      for (int t = 0; t < r; ++t) value += figures[std::size_t(rank[std::size_t(t)])];
      if (value > best + better_subset) {
        best = value, best_q = sharing.q, stalled = 0;
      } else if (++stalled >= 8) {
        pace *= 0.7, stalled = 0;
      }
      if (best >= best_sum_) break;

      counted.setZero();
      const auto each_pick = [&](const auto& action) {
        for (int t = 0; t < r; ++t) {
          const auto a = std::size_t(rank[std::size_t(t)]);
          for (int k = 0; k < r - 1; ++k) action(node.open[a], picks[a * std::size_t(r - 1) + std::size_t(k)]);
        }
      };
      each_pick([&](int i, int j) { counted(j, i) = 1; });
      double length = 0;
      each_pick([&](int i, int j) { length += counted(i, j) == 0 ? 2 : 0; });
      if (length == 0) break;  // every pair is counted from both sides: the bound is a subset's own sum
      const double move = pace * std::max(least_miss, best_sum_ - value + 0.02 * std::abs(best_sum_)) / length;
      each_pick([&](int i, int j) {
        if (counted(i, j) != 0) return;
        sharing.q(j, i) += move;
        sharing.q(i, j) -= move;
      });
    }
    sharing.q = std::move(best_q);
    sharing.sort();
  }

  bool stop() {
    if (!stopped_ && options_.should_stop && options_.should_stop()) stopped_ = true;
    return stopped_;
  }

  /// Fills a node up in every way that might be better than the best so far. Returns what none of the ways that it left
  /// aside can be below.
  double explore(Node node, const Sharing& from_above) {
    ++looked_at_;
    const int r = missing();
    if (int(node.open.size()) < r) return best_sum_;
    if (r == 1) return finish_with_one(node);
    if (r == 2) return finish_with_two(node);
    mark(node.open, 1);
    std::vector<double> figures;
    const auto bound = bound_of(node, r, from_above, figures);
    if (bound.value >= best_sum_ - better_subset || stop()) {
      mark(node.open, 0);
      return std::min(bound.value, best_sum_);
    }
    Sharing own;
    const bool renewed = chosen_.size() == 1;
    if (renewed) {
      own.q = from_above.q;
      improve(node, r, own, branch_steps);
    }
    const double left = branch(node, r, renewed ? own : from_above, figures);
    mark(node.open, 0);
    return left;
  }

  /// Takes the most promising open asset in, then leaves it out for good, and again.
  double branch(Node& node, int r, const Sharing& sharing, std::vector<double>& figures) {
    double left_aside = best_sum_;
    while (int(node.open.size()) >= r) {
      const auto bound = strike_off(node, r, sharing, figures);
      if (int(node.open.size()) < r || bound.value >= best_sum_ - better_subset) break;
      if (stopped_) return std::min(left_aside, bound.value);
      const auto at = std::ranges::min_element(figures) - figures.begin();
      const int taken = node.open[std::size_t(at)];
      node.open.erase(node.open.begin() + at);
      is_open_[std::size_t(taken)] = 0;
      Node below{node.open, node.with_chosen + r_.col(taken), node.sum + node.with_chosen[taken]};
      chosen_.push_back(taken);
      mark(node.open, 0);
      left_aside = std::min(left_aside, explore(std::move(below), sharing));
      mark(node.open, 1);
      chosen_.pop_back();
    }
    return std::min(left_aside, best_sum_);
  }

  /// Drops assets that no better subset can hold, until there is none.
  Bound strike_off(Node& node, int r, const Sharing& sharing, std::vector<double>& figures) {
    for (;;) {
      const auto bound = bound_of(node, r, sharing, figures);
      if (bound.value >= best_sum_ - better_subset) return bound;
      std::size_t kept = 0;
      for (std::size_t a = 0; a < node.open.size(); ++a) {
        const bool hopeless =
            figures[a] > bound.last && bound.value - bound.last + figures[a] >= best_sum_ - better_subset;
        if (hopeless) {
          is_open_[std::size_t(node.open[a])] = 0;
        } else {
          node.open[kept++] = node.open[a];
        }
      }
      const bool done = kept == node.open.size();
      node.open.resize(kept);
      if (done || int(kept) < r) return bound;
    }
  }

  double finish_with_one(const Node& node) {
    for (int i : node.open) {
      if (const double sum = node.sum + node.with_chosen[i]; sum < best_sum_ - better_subset) keep_with({i}, sum);
    }
    return best_sum_;
  }

  double finish_with_two(Node& node) {
    std::ranges::sort(node.open, {}, [&](int i) { return node.with_chosen[i]; });
    const double least = r_.minCoeff();  // of any pair
    for (auto a = node.open.begin(); a != node.open.end(); ++a) {
      for (auto b = a + 1; b != node.open.end(); ++b) {
        const double without = node.sum + node.with_chosen[*a] + node.with_chosen[*b];
        if (without + least >= best_sum_) break;
        if (const double sum = without + r_(*a, *b); sum < best_sum_ - better_subset) keep_with({*a, *b}, sum);
      }
    }
    return best_sum_;
  }

  void keep_with(std::initializer_list<int> last, double sum) {
    auto members = chosen_;
    members.insert(members.end(), last);
    keep(std::move(members), sum);
  }

  const Eigen::MatrixXd& r_;
  const int n_, size_;
  const SubsetOptions& options_;
  std::vector<int> best_, chosen_;
  double best_sum_ = infinity;
  std::vector<char> is_open_;  // of the node at hand
  std::vector<double> scratch_;
  std::size_t looked_at_ = 0;
  bool stopped_ = false;
};

}  // namespace

LeastRelated least_related(const Eigen::MatrixXd& correlation, int size, const SubsetOptions& options) {
  if (correlation.rows() != correlation.cols()) {
    throw InputError("least related", fmt::format("a matrix of {} x {}", correlation.rows(), correlation.cols()),
                     "Give a row and a column an asset");
  }
  if (size < 1 || size > correlation.cols()) {
    throw InputError("least related", fmt::format("{} of {} assets", size, correlation.cols()),
                     fmt::format("Give a number from 1 to {}", correlation.cols()));
  }
  if (!correlation.allFinite()) {
    throw InputError("least related", "some correlations aren't known", "Leave assets that never move out");
  }
  const Eigen::MatrixXd r = options.absolute ? correlation.cwiseAbs().eval() : correlation;
  return SubsetSearch(r, size, options).result();
}

}  // namespace inchtide
