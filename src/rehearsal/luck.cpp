#include "inchtide/rehearsal/luck.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>
#include <numeric>
#include <unsupported/Eigen/SpecialFunctions>

#include "base/numbers.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/executor.hpp"
#include "rehearsal/long_run.hpp"
#include "rehearsal/luck_draws.hpp"

namespace inchtide {
namespace {

/// Two rows of returns this near are the same.
constexpr double same_return = 1e-14;
/// A difference whose error is no more than this, per row, has none: the two run in step.
constexpr double no_error = 1e-13;
constexpr double fewest_blocks = 10;
constexpr double same_figure = 1e-9;  // differences over their errors
/// Their blocks stay in a near cache.
constexpr std::size_t draws_together = 256;
constexpr Eigen::Index fewest_rows = 4;

/// Each column less its mean, over its deviation; the last is the baseline's.
struct Standard {
  Standard(const Eigen::MatrixXd& excess, const Eigen::VectorXd& baseline)
      : raw(excess.rows(), excess.cols() + 1), sharpe(excess.cols() + 1) {
    raw << excess, baseline;
    values = raw;
    for (Eigen::Index k = 0; k < values.cols(); ++k) {
      auto column = values.col(k).array();
      const double mean = column.mean();
      column -= mean;
      const double deviation = std::sqrt(column.square().mean());
      if (!(deviation > no_return)) {
        throw InputError("luck", fmt::format("run {} of {} doesn't move", k + 1, values.cols()),
                         "Leave it out: it has no Sharpe ratio");
      }
      column /= deviation;
      sharpe[k] = mean / deviation;
    }
  }
  /// How far each row moves a ratio: on values standard in themselves, z - s (z^2 - 1) / 2.
  [[nodiscard]] Eigen::ArrayXd influence(Eigen::Index k) const {
    const auto z = values.col(k).array();
    return z - sharpe[k] / 2 * (z.square() - 1);
  }
  [[nodiscard]] Eigen::Index baseline() const { return values.cols() - 1; }

  Eigen::MatrixXd raw, values;
  Eigen::ArrayXd sharpe;
};

double error_of(const Eigen::ArrayXd& moved, double block) {
  return long_run_error(moved, std::min(Eigen::Index(std::lround(block)), moved.size() - 1));
}

double rows_that_differ(const Eigen::VectorXd& beyond) {
  return double((beyond.array().abs() > same_return).count());
}

/// The share of draws that are as large, the runs themselves counted as one.
double p_of(const Eigen::ArrayXd& largest, double figure) {
  return (1 + double((largest >= figure).count())) / (1 + double(largest.size()));
}

/// Each run against all that are no better, from the best down; never below one before it.
void step_down(const Eigen::ArrayXXd& drawn, const Eigen::ArrayXd& figures, Eigen::ArrayXd& p_values) {
  std::vector<Eigen::Index> order(std::size_t(figures.size()));
  std::iota(order.begin(), order.end(), Eigen::Index(0));
  std::ranges::stable_sort(order, std::greater{}, [&](Eigen::Index k) { return figures[k]; });
  p_values.resize(figures.size());
  Eigen::ArrayXXd largest(drawn.rows(), drawn.cols());  // of those from a place on
  Eigen::ArrayXd so_far = Eigen::ArrayXd::Constant(drawn.rows(), -std::numeric_limits<double>::infinity());
  for (auto place = Eigen::Index(order.size()) - 1; place >= 0; --place) {
    so_far = so_far.max(drawn.col(order[std::size_t(place)]));
    largest.col(place) = so_far;
  }
  double least = 0;
  for (std::size_t place = 0; place < order.size(); ++place) {
    const auto k = order[place];
    p_values[k] = least = std::max(least, p_of(largest.col(Eigen::Index(place)), figures[k]));
  }
}

double mean_correlation(const Eigen::MatrixXd& standard) {
  const double n = double(standard.cols());
  return (standard.rowwise().sum().squaredNorm() / double(standard.rows()) - n) / (n * (n - 1));
}

/// What the best of `tries` ratios without an edge, of this deviation, comes to.
double expected_best(double tries, double deviation) {
  const auto normal = [](double p) {
    return p > 0 ? Eigen::numext::ndtri(p) : -std::numeric_limits<double>::infinity();
  };
  const double euler = std::numbers::egamma;
  const double most = (1 - euler) * normal(1 - 1 / tries) + euler * normal(1 - 1 / (tries * std::numbers::e));
  return deviation * std::max(0.0, most);
}

DeflatedSharpe deflate(const Eigen::ArrayXd& standard, double sharpe, double tries, double deviation) {
  return deflated_sharpe(sharpe, standard.cube().mean(), standard.square().square().mean(), double(standard.size()),
                         tries, deviation);
}

/// Some draws at a time, [from, to).
template <typename Some>
void each_batch(const LuckOptions& options, Some some) {
  const auto draws = std::size_t(options.draws), batches = (draws + draws_together - 1) / draws_together;
  Executor(options.threads)
      .each(
          batches,
          [&](std::size_t batch) { some(batch * draws_together, std::min(draws, (batch + 1) * draws_together)); },
          options.watch);
}

class Judging {
 public:
  Judging(const Eigen::MatrixXd& excess, const Eigen::VectorXd& baseline, const LuckOptions& options)
      : excess_(excess), baseline_(baseline), options_(options), standard_(excess, baseline) {}

  Luck judge() {
    luck_.baseline_sharpe = standard_.sharpe[standard_.baseline()];
    compare();
    count_tries();
    if (tested_.empty()) return luck_;
    const auto figures = figures_at(luck_.block);
    const double highest = figures.maxCoeff() - same_figure;  // the first of those that are the same but for rounding
    const auto best = std::ranges::find_if(figures, [&](double figure) { return figure >= highest; }) - figures.begin();
    luck_.best = std::size_t(tested_[std::size_t(best)]);
    auto columns = tested_;
    columns.push_back(standard_.baseline());
    const LuckDraws drawing(standard_.values(Eigen::all, columns), standard_.sharpe(columns));
    Eigen::ArrayXd p_values;
    const auto whole = p_at(drawing, luck_.block, &p_values);
    luck_.p_value = whole.p_value;
    luck_.p_value_recentred = whole.recentred;
    for (std::size_t k = 0; k < tested_.size(); ++k) {
      luck_.runs[std::size_t(tested_[k])].p_value = p_values[Eigen::Index(k)];
    }
    for (const double block : {std::max(1.0, luck_.block / 2), 2 * luck_.block}) {
      luck_.others.push_back({block, p_at(drawing, block, nullptr).p_value});
    }
    return luck_;
  }

 private:
  /// Errors, the length of a block, and which runs can be tested: one length for all, the longest that any asks for of
  /// those with enough rows that differ.
  void compare() {
    const Eigen::ArrayXd base = standard_.influence(standard_.baseline());
    std::vector<double> differing;
    for (Eigen::Index k = 0; k < excess_.cols(); ++k) {
      moved_.emplace_back(standard_.influence(k) - base);
      differing.push_back(rows_that_differ(excess_.col(k) - baseline_));
      const double own = usual_block(moved_.back().matrix());
      if (differing.back() >= fewest_blocks * own) luck_.block = std::max(luck_.block, own);
    }
    luck_.block = options_.block > 0 ? options_.block : std::max(1.0, luck_.block);
    for (Eigen::Index k = 0; k < excess_.cols(); ++k) {
      TriedRun run;
      run.sharpe = standard_.sharpe[k];
      run.difference = run.sharpe - luck_.baseline_sharpe;
      run.error = error_of(moved_[std::size_t(k)], luck_.block);
      if (differing[std::size_t(k)] == 0 || run.error <= no_error) {
        run.beside = Beside::same;
      } else if (differing[std::size_t(k)] < fewest_blocks * luck_.block) {
        run.beside = Beside::too_few;
      } else {
        tested_.push_back(k);
      }
      luck_.runs.push_back(run);
    }
  }

  [[nodiscard]] Eigen::ArrayXd differences_of_tested() const {
    Eigen::ArrayXd differences(Eigen::Index(tested_.size()));
    for (Eigen::Index k = 0; k < differences.size(); ++k) {
      differences[k] = luck_.runs[std::size_t(tested_[std::size_t(k)])].difference;
    }
    return differences;
  }
  /// Differences over their errors.
  [[nodiscard]] Eigen::ArrayXd figures_at(double block) const {
    auto figures = differences_of_tested();
    for (Eigen::Index k = 0; k < figures.size(); ++k) {
      figures[k] /= std::max(no_error, error_of(moved_[std::size_t(tested_[std::size_t(k)])], block));
    }
    return figures;
  }

  struct PValues {
    double p_value, recentred;
  };

  /// @param step_downs of each run that is tested, where they are asked for
  PValues p_at(const LuckDraws& drawing, double block, Eigen::ArrayXd* step_downs) const {
    const auto figures = figures_at(block), differences = differences_of_tested();
    const auto n = figures.size();
    const double far_behind = -std::sqrt(2 * std::log(std::log(double(excess_.rows()))));
    const Eigen::ArrayXd behind = (figures < far_behind).select(differences, 0.0);  // these keep what they did
    Eigen::ArrayXXd drawn(options_.draws, n);
    Eigen::ArrayXd recentred(options_.draws);
    each_batch(options_, [&](std::size_t from, std::size_t to) {
      const auto some = drawing.draw(options_.seed, from, to, block);
      const auto first = Eigen::Index(from), count = Eigen::Index(to - from);
      drawn.middleRows(first, count) = some.off;
      recentred.segment(first, count) =
          (some.off + behind.transpose().replicate(count, 1) / some.error.max(std::numeric_limits<double>::min()))
              .rowwise()
              .maxCoeff()
              .max(0.0);
    });
    if (step_downs != nullptr) step_down(drawn, figures, *step_downs);
    return {p_of(drawn.rowwise().maxCoeff(), figures.maxCoeff()), p_of(recentred, std::max(0.0, figures.maxCoeff()))};
  }

  void count_tries() {
    std::vector<Eigen::Index> distinct;
    const auto& raw = standard_.raw;
    for (Eigen::Index k = 0; k < raw.cols(); ++k) {
      const bool known = std::ranges::any_of(distinct, [&](Eigen::Index j) {
        return std::abs(raw(0, k) - raw(0, j)) <= same_return &&
               (raw.col(k) - raw.col(j)).cwiseAbs().maxCoeff() <= same_return;
      });
      if (!known) distinct.push_back(k);
    }
    luck_.distinct = distinct.size();
    luck_.tries = double(distinct.size()) + options_.tried;
    if (distinct.size() < 2) return;
    const Eigen::ArrayXd ratios = standard_.sharpe(distinct);
    const double deviation = std::sqrt((ratios - ratios.mean()).square().sum() / double(ratios.size() - 1));
    if (!(deviation > no_error)) return;
    Eigen::Index at = 0;
    const double best = ratios.maxCoeff(&at);
    const Eigen::ArrayXd standard = standard_.values.col(distinct[std::size_t(at)]);
    const double common = std::clamp(mean_correlation(standard_.values(Eigen::all, distinct)), 0.0, 1.0);
    luck_.deflated = deflate(standard, best, luck_.tries, deviation);
    luck_.deflated_correlated = deflate(standard, best, common + (1 - common) * luck_.tries, deviation);
  }

  const Eigen::MatrixXd& excess_;
  const Eigen::VectorXd& baseline_;
  const LuckOptions& options_;
  Standard standard_;
  std::vector<Eigen::Index> tested_;
  std::vector<Eigen::ArrayXd> moved_;  // of each run: how far each row moves its difference
  Luck luck_;
};

void check(const Eigen::MatrixXd& excess, const Eigen::VectorXd& baseline, const LuckOptions& options) {
  const auto fail = [](const std::string& problem, const std::string& remedy) {
    throw InputError("luck", problem, remedy);
  };
  if (baseline.size() < fewest_rows) {
    const auto rows =
        baseline.size() == 1 ? "1 row of returns is" : fmt::format("{} rows of returns are", baseline.size());
    fail(rows + " too few", "Give a longer history");
  }
  if (excess.rows() != baseline.size()) {
    fail(fmt::format("runs have {} rows and the baseline {}", excess.rows(), baseline.size()),
         "Give returns of the same days");
  }
  if (!excess.allFinite() || !baseline.allFinite()) fail("a return is no number", "Give returns of every day");
  if (options.draws < 1) fail(fmt::format("{} draws", options.draws), "Give at least 1; 1,000 is usual");
  if (options.block != 0 && !(options.block >= 1)) {
    fail(fmt::format("blocks of {} rows", options.block), "Give at least 1");
  }
  if (!(options.tried >= 0)) fail(fmt::format("{} were tried besides", options.tried), "Give 0 or more");
}

}  // namespace

DeflatedSharpe deflated_sharpe(double sharpe, double skew, double kurtosis, double rows, double tries,
                               double deviation) {
  DeflatedSharpe deflated{tries, expected_best(tries, deviation), 0};
  const double spread = 1 - skew * sharpe + (kurtosis - 1) / 4 * sharpe * sharpe;
  const double at = (sharpe - deflated.expected_best) * std::sqrt((rows - 1) / spread);
  deflated.probability = std::erfc(-at / std::numbers::sqrt2) / 2;
  return deflated;
}

Luck luck_of(const Eigen::MatrixXd& excess, const Eigen::VectorXd& baseline, const LuckOptions& options) {
  check(excess, baseline, options);
  return Judging(excess, baseline, options).judge();
}

LuckOfMeans luck_of_means(const Eigen::MatrixXd& excess, const Eigen::VectorXd& baseline, const LuckOptions& options) {
  check(excess, baseline, options);
  if (excess.cols() == 0) throw InputError("luck", "no run beside the baseline", "Give one or more");
  const Eigen::MatrixXd beyond = excess.colwise() - baseline;
  const Eigen::ArrayXd means = beyond.colwise().mean().transpose().array();
  LuckOfMeans luck;
  Eigen::Index best = 0;
  luck.difference = means.maxCoeff(&best);
  luck.best = std::size_t(best);
  luck.block = options.block;
  if (!(luck.block > 0)) {
    luck.block = 1;
    for (const auto& column : beyond.colwise()) {
      const double own = usual_block(column);
      if (rows_that_differ(column) >= fewest_blocks * own) luck.block = std::max(luck.block, own);
    }
  }
  Eigen::ArrayXd largest(options.draws);
  each_batch(options, [&](std::size_t from, std::size_t to) {
    const auto drawn = drawn_means(beyond, options.seed, from, to, luck.block);
    auto here = largest.segment(Eigen::Index(from), drawn.rows());
    here = drawn.col(0) - means[0];
    for (Eigen::Index k = 1; k < means.size(); ++k) here = here.max(drawn.col(k) - means[k]);
  });
  luck.p_value = p_of(largest, luck.difference);
  return luck;
}

}  // namespace inchtide
