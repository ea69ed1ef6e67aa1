#include "inchtide/report/estimate_views.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "inchtide/base/percent.hpp"
#include "inchtide/report/views.hpp"

namespace inchtide::report {
namespace {

std::string mark_of(const Estimated& estimated, const std::string& asset) {
  const auto among = [&](const std::vector<std::string>& list) { return std::ranges::find(list, asset) != list.end(); };
  return among(estimated.capped) ? "cap" : among(estimated.own) ? "own figure" : "";
}

std::string condition_text(double condition) {
  return std::isfinite(condition) ? shown(Cell(condition), Format::count) : "infinite: it is singular";
}

/// The mean of all pairs.
double average_correlation(const Estimate& estimate) {
  const auto s = estimate.covariance.matrix();
  const Eigen::VectorXd v = estimate.volatilities();
  double sum = 0;
  std::size_t pairs = 0;
  for (Eigen::Index j = 0; j < s.cols(); ++j) {
    for (Eigen::Index i = j + 1; i < s.rows(); ++i) {
      if (!(v[i] > 0) || !(v[j] > 0)) continue;
      sum += s(i, j) / (v[i] * v[j]);
      ++pairs;
    }
  }
  return pairs > 0 ? sum / double(pairs) : std::nan("");
}

}  // namespace

Table estimate_table(const Estimated& estimated, const EstimateOptions& options, const BootstrapBands* bands,
                     double coverage) {
  const auto& e = estimated.estimate;
  Table table{"estimate",
              fmt::format("Estimate per year: expected returns {}, covariance {}", options.expected.text(),
                          options.covariance.text()),
              {{"Asset"},
               {"Expected return", Format::percent},
               {"Standard error", Format::percent},
               {"Sample mean", Format::percent},
               {"Volatility", Format::percent},
               {"Sharpe", Format::number2}},
              {},
              {}};
  if (bands != nullptr) {
    for (const char* name : {"Mean, low", "Mean, high", "Volatility, low", "Volatility, high"}) {
      table.columns.push_back({name, Format::percent});
    }
  }
  table.columns.push_back({"Mark"});
  const Eigen::VectorXd volatility = e.volatilities();
  for (std::size_t k = 0; k < e.assets.size(); ++k) {
    const auto i = Eigen::Index(k);
    std::vector<Cell> row{e.assets[k],
                          e.expected_return[i],
                          estimated.standard_errors[i],
                          estimated.sample_means[i],
                          volatility[i],
                          volatility[i] > 0 ? Cell((e.expected_return[i] - e.risk_free) / volatility[i]) : Cell()};
    if (bands != nullptr) {
      row.insert(row.end(),
                 {bands->mean_low[i], bands->mean_high[i], bands->volatility_low[i], bands->volatility_high[i]});
    }
    row.push_back(mark_of(estimated, e.assets[k]));
    table.add(std::move(row));
  }
  table.notes.push_back(provenance(e) + fmt::format("; risk-free {}", short_percent(e.risk_free)));
  table.notes.push_back("Standard error: of the sample mean, s / sqrt(T) per year");
  if (bands != nullptr) {
    table.notes.push_back(
        fmt::format("Low and high: {} of {} draws of the stationary bootstrap lie between them; blocks of {:.1f} "
                    "periods on average",
                    short_percent(coverage), bands->draws, bands->block));
  }
  if (estimated.expected_intensity) {
    table.notes.push_back(fmt::format("Means are drawn {} of the way to their common value",
                                      percent_text(*estimated.expected_intensity, 1)));
  }
  if (estimated.covariance_intensity) {
    table.notes.push_back(fmt::format("The covariance is drawn {} of the way to its target",
                                      percent_text(*estimated.covariance_intensity, 1)));
  }
  if (estimated.factor_share) {
    table.notes.push_back(
        fmt::format("The factors explain {} of all variance", percent_text(*estimated.factor_share, 1)));
  }
  table.notes.push_back(fmt::format("Condition number of the covariance: {}; {} returns for {} assets",
                                    condition_text(condition_number(e.covariance)), e.observations, e.assets.size()));
  for (const auto& advice : estimated.advice) table.notes.push_back(advice);
  return table;
}

Table expected_methods_table(const std::vector<std::pair<std::string, Estimated>>& methods) {
  Table table{"expected-returns", "Expected returns per year by method", {{"Asset"}}, {}, {}};
  for (const auto& [name, estimated] : methods) table.columns.push_back({name, Format::percent});
  const auto& assets = methods.front().second.estimate.assets;
  for (std::size_t k = 0; k < assets.size(); ++k) {
    std::vector<Cell> row{assets[k]};
    for (const auto& [name, estimated] : methods) row.push_back(estimated.estimate.expected_return[Eigen::Index(k)]);
    table.add(std::move(row));
  }
  return table;
}

Table covariance_methods_table(const std::vector<std::pair<std::string, Estimated>>& methods) {
  Table table{"covariances",
              "Covariances by method",
              {{"Method"},
               {"Intensity", Format::percent},
               {"Condition number", Format::count},
               {"Mean volatility", Format::percent},
               {"Mean correlation", Format::number2},
               {"Equal weights' volatility", Format::percent}},
              {},
              {"Intensity: how far the sample is drawn to its target",
               "Condition number: largest over smallest eigenvalue; - when singular"}};
  for (const auto& [name, estimated] : methods) {
    const auto& e = estimated.estimate;
    const Eigen::VectorXd equal = Eigen::VectorXd::Constant(e.size(), 1 / double(e.size()));
    table.add({name, estimated.covariance_intensity ? Cell(*estimated.covariance_intensity) : Cell(),
               condition_number(e.covariance), e.volatilities().mean(), average_correlation(e),
               std::sqrt(e.covariance.portfolio_variance(equal))});
  }
  return table;
}

}  // namespace inchtide::report
