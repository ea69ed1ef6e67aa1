#include "estimate_sheet.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "exchange/sheet_reader.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/exchange/csv.hpp"
#include "inchtide/exchange/estimate_file.hpp"

namespace inchtide::exchange {
namespace {

/// A sheet of expected returns, volatilities and correlations, cell by cell; below it rows without an asset, each with
/// the name of something else that belongs to the estimate, and its value.
class EstimateSheet {
 public:
  explicit EstimateSheet(const std::filesystem::path& path) : path_(path) {}

  Estimate read() {
    read_csv(
        path_, [&](CsvRow row) { take_header(row); }, [&](std::size_t line, CsvRow row) { take(line, row); });
    auto& estimate = estimate_;
    estimate.assets = assets_;
    estimate.expected_return = Eigen::Map<const Eigen::VectorXd>(expected_.data(), Eigen::Index(expected_.size()));
    estimate.covariance = Covariance::dense(covariance());
    return estimate;
  }

 private:
  static Estimate unknown() {
    Estimate estimate;
    estimate.denominator.reset();
    return estimate;
  }

  void take_header(CsvRow row) {
    header_.assign(row.begin(), row.end());
    check_headings_differ(path_, header_, lower_name);
    const auto column = [&](std::initializer_list<std::string_view> names) {
      const auto found = find_column(header_, names);
      if (found) return *found;
      throw InputError(Where::in_file(path_.string(), 1), fmt::format("there is no column '{}'", *names.begin()),
                       "Give asset, expected return, volatility, and a column of correlations for each asset");
    };
    asset_ = column({"asset", "code"});
    expected_column_ = column({"expected return"});
    volatility_ = column({"volatility"});
  }

  /// `,risk-free,2%`.
  void take_about(const std::string& name, std::string_view value, const Where& place) {
    const auto number = [&] {
      if (const auto figure = parse_number(value); figure && *figure >= 0) return *figure;
      throw InputError(place, fmt::format("'{}' is not a figure from 0 on", value), "Give a figure");
    };
    if (same_name(name, "returns")) {
      if (value != "simple" && value != "log")
        throw InputError(place, fmt::format("there are no '{}' returns", value), "Give simple or log");
      estimate_.returns = value == "log" ? ReturnKind::log : ReturnKind::simple;
    } else if (same_name(name, "denominator")) {
      estimate_.denominator = denominator_named(value);
      if (!estimate_.denominator && !value.empty())
        throw InputError(place, fmt::format("'{}' is none", value), "Give T-1 or T");
    } else if (same_name(name, "risk-free")) {
      estimate_.risk_free = fraction_from_percent(value, place);
    } else if (same_name(name, "periods per year")) {
      estimate_.periods_per_year = number();
    } else if (same_name(name, "observations")) {
      estimate_.observations = std::size_t(number());
    } else if (same_name(name, "from")) {
      estimate_.from = day_from(std::string(value), place);
    } else if (same_name(name, "to")) {
      estimate_.to = day_from(std::string(value), place);
    } else {
      throw InputError(place, fmt::format("'{}' is nothing that belongs to an estimate", name),
                       did_you_mean(name, about_names));
    }
  }

  void take(std::size_t line, CsvRow row) {
    const auto place = [&](std::size_t column) { return cell_place(path_, line, header_[column]); };
    if (row[asset_].empty()) {
      take_about(std::string(row[expected_column_]), row[volatility_], place(volatility_));
      return;
    }
    assets_.emplace_back(row[asset_]);
    lines_.push_back(line);
    expected_.push_back(fraction_from_percent(row[expected_column_], place(expected_column_)));
    volatilities_.push_back(fraction_from_percent(row[volatility_], place(volatility_)));
    if (!(volatilities_.back() >= 0)) throw InputError(place(volatility_), "it is below 0", "Give 0% or more");
    std::vector<double> cells;
    for (std::size_t k = 0; k < row.size(); ++k) {
      if (k == asset_ || k == expected_column_ || k == volatility_ || row[k].empty()) {
        cells.push_back(std::numeric_limits<double>::quiet_NaN());
        continue;
      }
      const auto figure = parse_number(row[k]);
      if (!figure || !(std::abs(*figure) <= 1)) {
        throw InputError(place(k), fmt::format("'{}' is not a correlation", row[k]), "Give a figure from -1 to 1");
      }
      cells.push_back(*figure);
    }
    cells_.push_back(std::move(cells));
  }

  /// The column of each asset's correlations.
  std::vector<std::size_t> columns() const {
    std::vector<std::size_t> result(assets_.size());
    for (std::size_t k = 0; k < header_.size(); ++k) {
      if (k == asset_ || k == expected_column_ || k == volatility_ || find_name(header_[k], assets_)) continue;
      throw InputError(cell_place(path_, 1, header_[k]), "no row has an asset of this name",
                       did_you_mean(header_[k], assets_));
    }
    for (std::size_t i = 0; i < assets_.size(); ++i) {
      const auto found = find_name(assets_[i], header_);
      if (!found) {
        throw InputError(Where::in_file(path_.string(), lines_[i]),
                         fmt::format("{} has no column of correlations", assets_[i]), "Add one with its name");
      }
      result[i] = *found;
    }
    return result;
  }

  Eigen::MatrixXd covariance() const {
    const auto column = columns();
    const auto n = Eigen::Index(assets_.size());
    Eigen::MatrixXd matrix(n, n);
    for (std::size_t i = 0; i < assets_.size(); ++i) {
      for (std::size_t j = 0; j < assets_.size(); ++j) {
        double r = cells_[i][column[j]];
        if (std::isnan(r)) r = i == j ? 1 : cells_[j][column[i]];
        const auto place = cell_place(path_, lines_[i], header_[column[j]]);
        if (std::isnan(r)) {
          throw InputError(place, fmt::format("the correlation of {} with {} is missing", assets_[i], assets_[j]),
                           "Fill this cell, or the one across the diagonal");
        }
        if (i == j && r != 1) throw InputError(place, fmt::format("{} with itself is {}", assets_[i], r), "It is 1");
        if (const double across = cells_[j][column[i]]; !std::isnan(across) && across != r) {
          throw InputError(
              place, fmt::format("{} with {} is {} here and {} across the diagonal", assets_[i], assets_[j], r, across),
              "Make them the same");
        }
        matrix(Eigen::Index(i), Eigen::Index(j)) = volatilities_[i] * volatilities_[j] * r;
      }
    }
    return matrix;
  }

  inline static const std::vector<std::string> about_names = {
      "returns", "denominator", "risk-free", "periods per year", "observations", "from", "to"};

  const std::filesystem::path& path_;
  Estimate estimate_ = unknown();
  std::vector<std::string> header_, assets_;
  std::size_t asset_ = 0, expected_column_ = 0, volatility_ = 0;
  std::vector<std::size_t> lines_;
  std::vector<double> expected_, volatilities_;
  std::vector<std::vector<double>> cells_;
};

}  // namespace

Estimate read_estimate_sheet(const std::filesystem::path& path) {
  return EstimateSheet(path).read();
}

std::string estimate_sheet(const Estimate& estimate) {
  const auto n = estimate.size();
  const Eigen::VectorXd volatilities = estimate.volatilities();
  std::string text = "asset,expected return,volatility";
  for (const auto& asset : estimate.assets) text += "," + csv_cell(asset);
  text += "\n";
  for (Eigen::Index i = 0; i < n; ++i) {
    text += fmt::format("{},{}%,{}%", csv_cell(estimate.assets[std::size_t(i)]), 100 * estimate.expected_return[i],
                        100 * volatilities[i]);
    for (Eigen::Index j = 0; j < n; ++j) {
      const double scale = volatilities[i] * volatilities[j];
      const double r = i == j ? 1 : scale > 0 ? estimate.covariance.between(std::max(i, j), std::min(i, j)) / scale : 0;
      text += fmt::format(",{}", std::clamp(r, -1.0, 1.0));
    }
    text += "\n";
  }
  const std::string rest(std::size_t(n), ',');
  const auto about = [&](std::string_view name, const std::string& value) {
    text += fmt::format(",{},{}{}\n", name, value, rest);
  };
  about("returns", to_string(estimate.returns));
  if (estimate.denominator) about("denominator", to_string(*estimate.denominator));
  about("risk-free", fmt::format("{}%", 100 * estimate.risk_free));
  about("periods per year", fmt::format("{}", estimate.periods_per_year));
  about("observations", fmt::format("{}", estimate.observations));
  if (estimate.from) about("from", to_string(*estimate.from));
  if (estimate.to) about("to", to_string(*estimate.to));
  return text;
}

}  // namespace inchtide::exchange
