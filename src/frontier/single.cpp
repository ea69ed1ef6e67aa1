#include "inchtide/frontier/single.hpp"

#include <Eigen/Cholesky>
#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>
#include <vector>

#include "base/blas.hpp"
#include "frontier/conflict.hpp"
#include "frontier/tolerances.hpp"
#include "frontier/trace.hpp"
#include "inchtide/base/range.hpp"

namespace inchtide {
namespace {

constexpr int most_rounds = 60;

enum class At : signed char { lower, upper, free };

class Pivoting {
 public:
  Pivoting(const Estimate& estimate, const Bounds& bounds, double lambda)
      : covariance_(estimate.covariance),
        m_(estimate.expected_return),
        bounds_(bounds),
        lambda_(lambda),
        n_(m_.size()) {}

  std::optional<Eigen::VectorXd> solve(const Eigen::VectorXd& near) {
    start(near);
    std::size_t fewest = std::size_t(n_) + 1;
    int patience = 8;
    for (int round = 0; round < most_rounds; ++round) {
      if (!solve_free()) return std::nullopt;
      auto wrong = wrong_ones();
      if (wrong.empty()) return w_;
      if (wrong.size() < fewest) {
        fewest = wrong.size();
        patience = 8;
      } else if (--patience < 0) {
        return std::nullopt;
      }
      change_places(wrong);
    }
    return std::nullopt;
  }

 private:
  /// From the free weights of a guess, or from a handful of assets of low risk.
  void start(const Eigen::VectorXd& near) {
    at_.assign(std::size_t(n_), At::lower);
    if (near.size() == n_) {
      for (Eigen::Index i = 0; i < n_; ++i) {
        const bool low = near[i] - bounds_.lower[i] <= binding_within,
                   high = bounds_.upper[i] - near[i] <= binding_within;
        at_[std::size_t(i)] = low ? At::lower : high ? At::upper : At::free;
      }
      return;
    }
    // By risk less return, until the caps of those chosen would hold the budget about twice.
    std::vector<Eigen::Index> order;
    for (Eigen::Index i = 0; i < n_; ++i) order.push_back(i);
    const Eigen::VectorXd rank = covariance_.variances() - lambda_ * m_;
    std::ranges::stable_sort(order, [&](auto a, auto b) { return rank[a] < rank[b]; });
    double room = bounds_.budget - bounds_.lower.sum();
    int taken = 0;
    for (auto i : order) {
      if (bounds_.upper[i] - bounds_.lower[i] <= 0) continue;
      at_[std::size_t(i)] = At::free;
      room -= (bounds_.upper[i] - bounds_.lower[i]) / 2;
      if (++taken >= 8 && room <= 0) break;
    }
  }

  /// Free weights and the budget's price; then the gradient everywhere. False where the system isn't positive definite.
  bool solve_free() {
    std::vector<Eigen::Index> free;
    w_.resize(n_);
    Eigen::VectorXd fixed = Eigen::VectorXd::Zero(n_);
    for (Eigen::Index i = 0; i < n_; ++i) {
      const auto at = at_[std::size_t(i)];
      if (at == At::free) {
        free.push_back(i);
      } else {
        fixed[i] = at == At::lower ? bounds_.lower[i] : bounds_.upper[i];
      }
    }
    const auto f = Eigen::Index(free.size());
    if (f == 0) return solve_corner(fixed);
    Eigen::MatrixXd panel(n_, f), block(f, f);
    for (Eigen::Index k = 0; k < f; ++k) covariance_.copy_column(free[std::size_t(k)], panel.col(k).data());
    for (Eigen::Index k = 0; k < f; ++k) {
      for (Eigen::Index j = 0; j < f; ++j) block(j, k) = panel(free[std::size_t(j)], k);
    }
    Eigen::VectorXd right(f);
    const Eigen::VectorXd held = (fixed.array() != 0).any() ? covariance_.product(fixed) : fixed;
    for (Eigen::Index k = 0; k < f; ++k) right[k] = lambda_ * m_[free[std::size_t(k)]] - held[free[std::size_t(k)]];
    const double largest = block.diagonal().maxCoeff();
    const Eigen::LLT<Eigen::MatrixXd> factors(block);
    if (factors.info() != Eigen::Success) return false;
    const auto diagonal = factors.matrixLLT().diagonal();
    if (diagonal.cwiseAbs2().minCoeff() <= singular * largest) return false;
    const Eigen::VectorXd ones = factors.solve(Eigen::VectorXd::Ones(f)), own = factors.solve(right);
    y_ = (bounds_.budget - fixed.sum() - own.sum()) / ones.sum();
    const Eigen::VectorXd weights = own + y_ * ones;
    w_ = fixed;
    for (Eigen::Index k = 0; k < f; ++k) w_[free[std::size_t(k)]] = weights[k];
    gradient_ = held - lambda_ * m_;
    blas::multiply(int(n_), int(f), 1, panel.data(), int(n_), weights.data(), 1, gradient_.data());
    return true;
  }

  /// All weights are at a bound: the budget's price is any from the highest gradient of those at the upper one to the
  /// lowest of the others. Where there is none, or the bounds miss the budget, those that gain most by it are freed.
  bool solve_corner(const Eigen::VectorXd& fixed) {
    gradient_ = covariance_.product(fixed) - lambda_ * m_;
    std::optional<Eigen::Index> gives, takes;
    for (Eigen::Index i = 0; i < n_; ++i) {
      if (bounds_.lower[i] == bounds_.upper[i]) continue;
      const bool upper = at_[std::size_t(i)] == At::upper;
      auto& best = upper ? gives : takes;
      if (!best || (upper ? gradient_[i] > gradient_[*best] : gradient_[i] < gradient_[*best])) best = i;
    }
    const double missing = bounds_.budget - fixed.sum();
    const bool whole = std::abs(missing) <= price_noise;
    if (whole && (!gives || !takes || gradient_[*gives] <= gradient_[*takes])) {
      w_ = fixed;
      const double high = gives ? gradient_[*gives] : 0, low = takes ? gradient_[*takes] : high;
      y_ = gives ? (high + low) / 2 : low;
      return true;
    }
    const auto set_free = [&](const std::optional<Eigen::Index>& i) {
      if (i) at_[std::size_t(*i)] = At::free;
      return i.has_value();
    };
    const bool less = (whole || missing < 0) && set_free(gives), more = (whole || missing > 0) && set_free(takes);
    return (less || more) && solve_free();
  }

  /// All at once, but of those that would enter no more than half as many as are free, the worst first: few of many
  /// that look good together stay.
  void change_places(std::vector<std::pair<Eigen::Index, At>>& wrong) {
    const auto enters = [](const auto& change) { return change.second == At::free; };
    const auto middle = std::partition(wrong.begin(), wrong.end(), enters);
    const auto entering = std::size_t(middle - wrong.begin());
    const auto free = std::size_t(std::ranges::count(at_, At::free));
    const auto most = std::min(entering, std::max<std::size_t>(10, free / 2));
    const auto distance = [&](const auto& change) { return -std::abs(gradient_[change.first] - y_); };
    std::partial_sort(wrong.begin(), wrong.begin() + std::ptrdiff_t(most), middle,
                      [&](const auto& a, const auto& b) { return distance(a) < distance(b); });
    for (std::size_t k = 0; k < wrong.size(); ++k) {
      if (k < most || k >= entering) at_[std::size_t(wrong[k].first)] = wrong[k].second;
    }
  }

  std::vector<std::pair<Eigen::Index, At>> wrong_ones() const {
    std::vector<std::pair<Eigen::Index, At>> wrong;
    const double scale = std::max({std::abs(y_), lambda_ * m_.cwiseAbs().maxCoeff(), never_zero});
    for (Eigen::Index i = 0; i < n_; ++i) {
      const double z = gradient_[i] - y_;
      switch (at_[std::size_t(i)]) {
        case At::free:
          if (w_[i] < bounds_.lower[i] - price_noise) wrong.emplace_back(i, At::lower);
          if (w_[i] > bounds_.upper[i] + price_noise) wrong.emplace_back(i, At::upper);
          break;
        case At::lower:
          if (z < -price_noise * scale && bounds_.lower[i] < bounds_.upper[i]) wrong.emplace_back(i, At::free);
          break;
        case At::upper:
          if (z > price_noise * scale && bounds_.lower[i] < bounds_.upper[i]) wrong.emplace_back(i, At::free);
          break;
      }
    }
    return wrong;
  }

  const Covariance& covariance_;
  const Eigen::VectorXd& m_;
  const Bounds& bounds_;
  double lambda_;
  Eigen::Index n_;
  std::vector<At> at_;
  Eigen::VectorXd w_, gradient_;
  double y_ = 0;
};

/// The portfolio of these weights, where it is certified.
std::optional<Portfolio> certified(const Estimate& estimate, const Bounds& bounds, double lambda,
                                   Eigen::VectorXd weights) {
  Portfolio portfolio;
  portfolio.certificate = certify(estimate.covariance, estimate.expected_return, bounds, weights, lambda);
  if (!portfolio.certificate.holds(good_start)) return std::nullopt;
  portfolio.expected_return = estimate.expected_return.dot(weights);
  portfolio.volatility = std::sqrt(estimate.covariance.portfolio_variance(weights));
  portfolio.lambda = lambda;
  portfolio.weights = std::move(weights);
  return portfolio;
}

/// At most so many steps towards the highest ratio; two or three beyond the first where weights change little.
constexpr int most_steps_to_sharpe = 30;
/// Of the variance: so near the lambda of the highest ratio.
constexpr double at_sharpe = 4 * std::numeric_limits<double>::epsilon();

/// Steps of the secant on variance - lambda x excess, which falls in lambda and is straight between corners.
std::optional<Portfolio> step_to_sharpe(const Estimate& estimate, const Bounds& bounds, double riskless,
                                        const Eigen::VectorXd& near) {
  struct Point {
    double lambda, off, variance;
  };
  std::optional<Point> before;
  double lambda = 0;
  if (near.size() > 0) {
    lambda = estimate.covariance.portfolio_variance(near) / (estimate.expected_return.dot(near) - riskless);
  }
  Eigen::VectorXd from = near;
  for (int step = 0; step < most_steps_to_sharpe; ++step) {
    if (!(lambda >= 0) || !std::isfinite(lambda)) return std::nullopt;
    auto weights = Pivoting(estimate, bounds, lambda).solve(from);
    if (!weights) return std::nullopt;
    const double variance = estimate.covariance.portfolio_variance(*weights);
    const double excess = estimate.expected_return.dot(*weights) - riskless;
    if (!(excess > 0)) return std::nullopt;
    const Point here{lambda, variance - lambda * excess, variance};
    if (std::abs(here.off) <= at_sharpe * variance) return certified(estimate, bounds, lambda, *std::move(weights));
    const bool straight = before && before->off != here.off && before->lambda != here.lambda;
    const double next = straight ? here.lambda - here.off * (here.lambda - before->lambda) / (here.off - before->off)
                                 : variance / excess;
    if (next == lambda) return certified(estimate, bounds, lambda, *std::move(weights));
    before = here;
    lambda = next;
    from = *std::move(weights);
  }
  return std::nullopt;
}

}  // namespace

Portfolio single_plainly(const Estimate& estimate, const Bounds& bounds, double lambda, const Eigen::VectorXd& near) {
  const bool simple = bounds.ranges_only() && !bounds.volatility && lambda >= 0 && std::isfinite(lambda);
  if (simple) {
    if (auto weights = Pivoting(estimate, bounds, lambda).solve(near)) {
      if (auto portfolio = certified(estimate, bounds, lambda, *std::move(weights))) return *std::move(portfolio);
    }
  }
  return trace_plainly(estimate, bounds).at_lambda(lambda);
}

Portfolio single_portfolio(const Estimate& estimate, const Bounds& bounds, double lambda, const Eigen::VectorXd& near) {
  check_problem(estimate, bounds);
  if (near.size() != 0) check_per_asset(near, estimate.size(), "weights of a problem like this one");
  if (!bounds.rows.empty()) return trace_frontier(estimate, bounds).at_lambda(lambda);
  if (!ranges_can_hold(bounds)) throw_conflict(bounds, estimate.assets);
  return single_plainly(estimate, bounds, lambda, near);
}

Portfolio single_maximum_sharpe(const Estimate& estimate, const Bounds& bounds, double risk_free,
                                const Eigen::VectorXd& near) {
  check_problem(estimate, bounds);
  finite(risk_free, "risk-free rate");
  if (near.size() != 0) check_per_asset(near, estimate.size(), "weights of a problem like this one");
  if (bounds.ranges_only() && !bounds.volatility && !bounds.tracking_error && !bounds.costs) {
    if (!ranges_can_hold(bounds)) throw_conflict(bounds, estimate.assets);
    if (auto best = step_to_sharpe(estimate, bounds, bounds.budget * risk_free, near)) return *std::move(best);
  }
  return trace_frontier(estimate, bounds).maximum_sharpe(risk_free).portfolio;
}

}  // namespace inchtide
