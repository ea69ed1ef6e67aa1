#include "inchtide/estimate/bootstrap.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "base/row_blocks.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/executor.hpp"
#include "inchtide/base/quantile.hpp"
#include "returns/spans.hpp"

namespace inchtide {
namespace {

void check(const BootstrapOptions& options, std::size_t periods) {
  const auto fail = [](const std::string& problem, const std::string& remedy) {
    throw InputError("bootstrap", problem, remedy);
  };
  if (periods < 2) fail(fmt::format("{} return common to all assets is too few", periods), "Give a longer history");
  if (options.draws < 2) fail(fmt::format("{} draws", options.draws), "Give at least 2; 1,000 is usual");
  if (options.block != 0 && !(options.block >= 1)) {
    fail(fmt::format("blocks of {} periods", options.block), "Give at least 1");
  }
  if (!(options.coverage > 0 && options.coverage < 1)) {
    fail(fmt::format("a coverage of {}", options.coverage), "Give a fraction between 0 and 1");
  }
}

/// Figures of every draw, one row a draw.
struct Draws {
  Eigen::MatrixXd means, volatilities, correlations;  // correlations: the lower half, column after column
};

class Bootstrap {
 public:
  /// @param table at common ends
  Bootstrap(const ReturnTable& table, const BootstrapOptions& options)
      : options_(options), rows_(table.common_rows()), p_(table.periods_per_year), spans_(table, rows_) {
    block_ = check_draws(options, rows_.size());
    data_ = table.returns(rows_, Eigen::all).transpose();  // an asset a row, so that a period lies together
    center_ = data_.rowwise().sum() / spans_.total;
    data_ -= center_ * spans_.k.transpose();
  }

  BootstrapBands bands() {
    const auto n = data_.rows();
    Draws draws{Eigen::MatrixXd(options_.draws, n), Eigen::MatrixXd(options_.draws, n), {}};
    if (options_.correlations) draws.correlations.resize(options_.draws, n * (n - 1) / 2);
    Executor(options_.threads)
        .each(
            std::size_t(options_.draws), [&](std::size_t draw) { one_draw(int(draw), draws); }, options_.watch);
    BootstrapBands bands;
    bands.block = block_;
    bands.draws = options_.draws;
    band(draws.means, bands.mean_low, bands.mean_high);
    band(draws.volatilities, bands.volatility_low, bands.volatility_high);
    if (options_.correlations) correlation_bands(draws.correlations, bands);
    return bands;
  }

 private:
  void one_draw(int draw, Draws& draws) const {
    const auto n = data_.rows();
    const auto rows = draw_of_rows(options_, block_, draw, rows_.size());
    // A return is drawn with its span.
    Eigen::VectorXd sum = Eigen::VectorXd::Zero(n), squares = Eigen::VectorXd::Zero(n), by_span = sum;
    double total = 0, span_squares = 0;
    for (auto row : rows) {
      const auto period = data_.col(Eigen::Index(row));
      const double k = spans_.k[Eigen::Index(row)];
      total += k;
      span_squares += k * k;
      sum += period;
      squares += period.cwiseAbs2();
      if (!spans_.single) by_span += k * period;
    }
    if (spans_.single) by_span = sum;
    const Eigen::VectorXd mean = sum / total;  // around the center
    const Eigen::VectorXd left =
        (squares - 2 * mean.cwiseProduct(by_span) + span_squares * mean.cwiseAbs2()).cwiseMax(0);
    draws.means.row(draw) = p_ * (center_ + mean).transpose();
    draws.volatilities.row(draw) = (p_ * left / (total - span_squares / total)).cwiseSqrt().transpose();
    if (!options_.correlations) return;
    Eigen::MatrixXd taken(n, Eigen::Index(rows.size()));
    for (std::size_t t = 0; t < rows.size(); ++t) {
      taken.col(Eigen::Index(t)) = data_.col(Eigen::Index(rows[t])) - spans_.k[Eigen::Index(rows[t])] * mean;
    }
    const Eigen::MatrixXd products = taken * taken.transpose();
    Eigen::Index at = 0;
    for (Eigen::Index j = 0; j < n; ++j) {
      for (Eigen::Index i = j + 1; i < n; ++i) {
        const double scale = std::sqrt(products(i, i) * products(j, j));
        draws.correlations(draw, at++) = scale > 0 ? products(i, j) / scale : 0;
      }
    }
  }

  void band(const Eigen::MatrixXd& draws, Eigen::VectorXd& low, Eigen::VectorXd& high) const {
    low.resize(draws.cols());
    high.resize(draws.cols());
    for (Eigen::Index i = 0; i < draws.cols(); ++i) {
      std::vector<double> values(draws.col(i).begin(), draws.col(i).end());
      low[i] = quantile(values, (1 - options_.coverage) / 2);
      high[i] = quantile(values, (1 + options_.coverage) / 2);
    }
  }

  void correlation_bands(const Eigen::MatrixXd& draws, BootstrapBands& bands) const {
    const auto n = data_.rows();
    Eigen::VectorXd low, high;
    band(draws, low, high);
    bands.correlation_low = bands.correlation_high = Eigen::MatrixXd::Identity(n, n);
    Eigen::Index at = 0;
    for (Eigen::Index j = 0; j < n; ++j) {
      for (Eigen::Index i = j + 1; i < n; ++i, ++at) {
        bands.correlation_low(i, j) = bands.correlation_low(j, i) = low[at];
        bands.correlation_high(i, j) = bands.correlation_high(j, i) = high[at];
      }
    }
  }

  const BootstrapOptions& options_;
  std::vector<std::size_t> rows_;
  double p_;
  Spans spans_;
  double block_ = 1;
  Eigen::MatrixXd data_;  // N x T, demeaned
  Eigen::VectorXd center_;
};

}  // namespace

double check_draws(const BootstrapOptions& options, std::size_t periods) {
  check(options, periods);
  return options.block > 0 ? options.block : std::max(1.0, std::cbrt(double(periods)));
}

std::vector<std::size_t> draw_of_rows(const BootstrapOptions& options, double block, int draw, std::size_t periods) {
  return rows_of_blocks(row_blocks(RandomDraw(options.seed, std::uint64_t(draw)), block, periods, periods), periods);
}

BootstrapBands bootstrap_bands(const ReturnTable& returns, const BootstrapOptions& options) {
  returns.check();
  return Bootstrap(returns.at_common_ends(), options).bands();
}

}  // namespace inchtide
