#include "report/what_if_sheet.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace inchtide::report {
namespace {

/// Where things are on the sheet: figures at the top, an asset a row below them, the covariance to the right.
enum Column : lxw_col_t { asset, weight, expected, risk_share, with_whole, first_tag };
constexpr lxw_row_t first_figure = 2, heads = 9;
constexpr lxw_row_t first_asset = heads + 1;

std::string cell(lxw_row_t row, lxw_col_t column) {
  char text[LXW_MAX_CELL_NAME_LENGTH];
  lxw_rowcol_to_cell_abs(text, row, column, 1, 1);
  return text;
}

class Sheet {
 public:
  Sheet(Book& book, const WhatIf& from)
      : book_(book),
        from_(from),
        sheet_(book.sheet("what-if")),
        count_(Eigen::Index(from.assets.size())),
        first_covariance_(lxw_col_t(first_tag + from.tags.size() + 1)) {}

  void write() {
    moved_ = from_.covariance * from_.weights;
    variance_ = from_.weights.dot(moved_);
    text(0, asset, fmt::format("What if: change the weights in the framed cells. They begin with {}", from_.portfolio),
         book_.heading());
    figures();
    assets();
    covariance();
    sums_by_tag();
    worksheet_set_column(sheet_, asset, asset, 26, nullptr);
    worksheet_set_column(sheet_, weight, lxw_col_t(first_covariance_ + count_), 14, nullptr);
    worksheet_freeze_panes(sheet_, first_asset, 1);
  }

 private:
  void text(lxw_row_t row, lxw_col_t column, const std::string& words, lxw_format* format = nullptr) {
    worksheet_write_string(sheet_, row, column, words.c_str(), format);
  }
  /// With its value, for those that don't calculate.
  void formula(lxw_row_t row, lxw_col_t column, const std::string& words, double value, Format format) {
    worksheet_write_formula_num(sheet_, row, column, words.c_str(), book_.of(format), value);
  }
  /// One that goes through cells in step.
  void over_cells(lxw_row_t row, lxw_col_t column, const std::string& words, double value, lxw_format* format) {
    worksheet_write_array_formula_num(sheet_, row, column, row, column, words.c_str(), format, value);
  }
  lxw_row_t row_of(Eigen::Index i) const { return first_asset + lxw_row_t(i); }
  /// The assets' cells of a column.
  std::string all(lxw_col_t column) const { return cell(first_asset, column) + ":" + cell(row_of(count_ - 1), column); }

  void figures() {
    const auto at = [](int k) { return cell(first_figure + lxw_row_t(k), weight); };
    const double sum = from_.weights.sum();
    const double whole = from_.expected_return.dot(from_.weights) + (1 - sum) * from_.risk_free;
    const double volatility = std::sqrt(std::max(0.0, variance_));
    const auto weights = all(weight);
    text(first_figure - 1, weight, "now", book_.heading());
    text(first_figure - 1, expected, from_.portfolio, book_.heading());
    text(first_figure - 1, risk_share, "check", book_.heading());
    figure(0, "Sum of the weights", "=SUM(" + weights + ")", sum, Format::percent);
    figure(1, "In cash", "=1-" + at(0), 1 - sum, Format::percent);
    figure(2, "Expected return", fmt::format("{{=SUM({}*{})+{}*{}}}", weights, all(expected), at(1), at(5)), whole,
           Format::percent);
    figure(3, "Volatility", fmt::format("{{=SQRT(MAX(0,SUM({}*{})))}}", weights, all(with_whole)), volatility,
           Format::percent);
    figure(4, "Sharpe ratio", fmt::format("=IF({0}>0,({1}-{2})/{0},\"\")", at(3), at(2), at(5)),
           volatility > 0 ? (whole - from_.risk_free) / volatility : 0, Format::number3);
    text(first_figure + 5, asset, "Risk-free rate");
    book_.write(sheet_, first_figure + 5, weight, from_.risk_free, Format::percent);
  }

  /// Beside what the tool has for the weights it begins with, and whether they are still those.
  void figure(int k, const std::string& name, const std::string& words, double value, Format format) {
    const auto row = first_figure + lxw_row_t(k);
    text(row, asset, name);
    if (words.starts_with('{')) {
      over_cells(row, weight, words, value, book_.of(format));
    } else {
      formula(row, weight, words, value, format);
    }
    book_.write(sheet_, row, expected, value, format);
    const auto check =
        fmt::format("=IF(ABS({}-{})<1E-9,\"as the tool has it\",\"changed\")", cell(row, weight), cell(row, expected));
    worksheet_write_formula_str(sheet_, row, risk_share, check.c_str(), nullptr, "as the tool has it");
  }

  void assets() {
    for (const auto& [column, words] :
         {std::pair(asset, "Asset"), std::pair(weight, "Weight"), std::pair(expected, "Expected return"),
          std::pair(risk_share, "Share of the risk"), std::pair(with_whole, "Covariance with the whole")}) {
      text(heads, column, words, book_.heading());
    }
    const auto volatility = cell(first_figure + 3, weight);
    for (Eigen::Index i = 0; i < count_; ++i) {
      const auto row = row_of(i);
      text(row, asset, from_.assets[std::size_t(i)]);
      worksheet_write_number(sheet_, row, weight, from_.weights[i], book_.input());
      book_.write(sheet_, row, expected, from_.expected_return[i], Format::percent);
      formula(row, risk_share,
              fmt::format("=IF({0}>0,{1}*{2}/{0}^2,0)", volatility, cell(row, weight), cell(row, with_whole)),
              variance_ > 0 ? from_.weights[i] * moved_[i] / variance_ : 0, Format::percent);
      const auto own = lxw_col_t(first_covariance_ + i);  // its column: the matrix is symmetric
      over_cells(row, with_whole, fmt::format("{{=SUM({}*{})}}", all(weight), all(own)), moved_[i], nullptr);
    }
  }

  void covariance() {
    text(heads - 1, first_covariance_, "Covariance per year", book_.heading());
    for (Eigen::Index j = 0; j < count_; ++j) {
      const auto column = lxw_col_t(first_covariance_ + j);
      text(heads, column, from_.assets[std::size_t(j)], book_.heading());
      for (Eigen::Index i = 0; i < count_; ++i)
        worksheet_write_number(sheet_, row_of(i), column, from_.covariance(i, j), nullptr);
    }
  }

  void sums_by_tag() {
    auto row = row_of(count_) + 1;
    for (std::size_t k = 0; k < from_.tags.size(); ++k) {
      const auto& [name, values] = from_.tags[k];
      const auto column = lxw_col_t(first_tag + k);
      text(heads, column, name, book_.heading());
      std::vector<std::string> kinds;
      for (Eigen::Index i = 0; i < count_; ++i) {
        const auto& value = values[std::size_t(i)];
        text(row_of(i), column, value);
        if (!value.empty() && std::ranges::find(kinds, value) == kinds.end()) kinds.push_back(value);
      }
      text(row++, asset, "By " + name, book_.heading());
      for (const auto& kind : kinds) {
        double sum = 0;
        for (Eigen::Index i = 0; i < count_; ++i) sum += values[std::size_t(i)] == kind ? from_.weights[i] : 0;
        text(row, asset, kind);
        over_cells(row, weight, fmt::format("{{=SUM(({}={})*{})}}", all(column), cell(row, asset), all(weight)), sum,
                   book_.of(Format::percent));
        ++row;
      }
      ++row;
    }
  }

  Book& book_;
  const WhatIf& from_;
  lxw_worksheet* sheet_;
  Eigen::Index count_;
  lxw_col_t first_covariance_;
  Eigen::VectorXd moved_;
  double variance_ = 0;
};

}  // namespace

void add_what_if(Book& book, const WhatIf& from) {
  Sheet(book, from).write();
}

}  // namespace inchtide::report
