#include "inchtide/exchange/tables_csv.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <map>
#include <optional>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/exchange/csv.hpp"

namespace inchtide::exchange {
namespace {

namespace fs = std::filesystem;

std::vector<std::string> texts(CsvRow row) {
  std::vector<std::string> result;
  for (auto cell : row) result.emplace_back(cell);
  return result;
}

/// Files of a folder that end with .csv, in order of their names, or the file itself.
std::vector<fs::path> csv_files(const fs::path& path) {
  std::error_code error;
  if (!fs::exists(path, error)) throw InputError(path.string(), "there is no such file or folder", "Check the path");
  if (!fs::is_directory(path)) return {path};
  std::vector<fs::path> files;
  for (const auto& entry : fs::directory_iterator(path)) {
    if (entry.is_regular_file() && same_name(entry.path().extension().string(), ".csv")) files.push_back(entry.path());
  }
  std::ranges::sort(files);
  if (files.empty()) throw InputError(path.string(), "the folder holds no .csv file", "Put one file each into it");
  return files;
}

/// One cell of prices or rates, put at the end of its history.
struct FigureCell {
  const fs::path& path;
  std::size_t line;
  const char* figure;  // what it is, for messages
  std::string_view date_column, date, figure_column, text;

  void add_to(PriceHistory& history) const {
    const auto day = parse_day(date);
    const auto fail = [&](std::string_view column, const std::string& problem, const std::string& remedy) {
      throw InputError(cell_place(path, line, column), problem, remedy);
    };
    if (!day) fail(date_column, fmt::format("'{}' is not a day", date), "Write it as YYYY-MM-DD");
    if (text.empty()) return;  // none that day
    const auto value = parse_number(text);
    if (!value) fail(figure_column, fmt::format("'{}' is not a number", text), "Write it as 12.34");
    if (*value <= 0) {
      fail(figure_column, fmt::format("the {} is {}", figure, text),
           fmt::format("A {} is positive; leave the cell empty where there is none", figure));
    }
    if (!history.days.empty() && *day <= history.days.back()) {
      const bool twice = *day == history.days.back();
      fail(date_column, fmt::format("{} comes {}", to_string(*day), twice ? "twice" : "after a later day"),
           "Sort the rows by day and keep one row a day");
    }
    history.days.push_back(*day);
    history.prices.push_back(*value);
  }
};

/// Where the columns of a file stand. One history a figure column, or one an asset that the asset column names.
struct SheetColumns {
  std::size_t date = 0;
  std::vector<std::size_t> figures;
  std::optional<std::size_t> asset;
  PriceField field = PriceField::price;
};

/// The histories of a file whose columns `find_columns` picks. A single figure column without an asset column is named
/// after the file.
template <typename FindColumns>
std::vector<PriceHistory> read_sheet(const fs::path& path, const char* figure, FindColumns find_columns) {
  std::vector<PriceHistory> histories;
  SheetColumns columns;
  std::vector<std::string> header;
  std::map<std::string, std::size_t> by_asset;
  const auto read_header = [&](CsvRow row) {
    header = texts(row);
    columns = find_columns(path, header);
    if (columns.asset) return;
    for (auto column : columns.figures) {
      const bool alone = columns.figures.size() == 1;
      histories.push_back({alone ? path.stem().string() : header[column], {}, columns.field, {}, {}});
    }
  };
  const auto read_row = [&](std::size_t line, CsvRow row) {
    for (std::size_t k = 0; k < columns.figures.size(); ++k) {
      std::size_t at = k;
      if (columns.asset) {
        const std::string code{row[*columns.asset]};
        if (code.empty()) {
          throw InputError(cell_place(path, line, header[*columns.asset]), "the asset is missing", "Name one a row");
        }
        const auto [found, is_new] = by_asset.try_emplace(lower_name(code), histories.size());
        if (is_new) histories.push_back({code, {}, columns.field, {}, {}});
        at = found->second;
      }
      const auto column = columns.figures[k];
      FigureCell{path, line, figure, header[columns.date], row[columns.date], header[column], row[column]}.add_to(
          histories[at]);
    }
  };
  read_csv(path, read_header, read_row);
  for (const auto& history : histories) {
    if (history.days.empty()) {
      throw InputError(path.string(),
                       histories.size() == 1 ? fmt::format("it holds no {}", figure)
                                             : fmt::format("it holds no {} of {}", figure, history.asset),
                       fmt::format("Give rows of date and {}", figure));
    }
  }
  if (histories.empty()) {
    throw InputError(path.string(), fmt::format("it holds no {}", figure), "Give rows of asset, date and price");
  }
  return histories;
}

/// A history of one day has no return.
void check_not_single(const fs::path& path, const PriceHistory& history, bool names_asset) {
  if (history.days.size() > 1) return;
  throw InputError(path.string(),
                   fmt::format("it holds a single price{}, on {}", names_asset ? " of " + history.asset : "",
                               to_string(history.days.front())),
                   "Give at least two days, or leave the asset out with --assets");
}

SheetColumns price_columns(const fs::path& path, const std::vector<std::string>& header) {
  SheetColumns columns;
  const std::string where = fmt::format("{}, line 1", path.string());
  const std::string has = fmt::format("the header has {}", fmt::join(header, ", "));
  const auto date = find_column(header, {"date", "day"});
  if (!date) throw InputError(where, fmt::format("no date column: {}", has), "Name the column of days 'date'");
  columns.date = *date;
  if (const auto adjusted = find_column(header, {"adjusted_close"})) {
    columns.figures = {*adjusted};
    columns.field = PriceField::adjusted_close;
  } else if (const auto close = find_column(header, {"close"})) {
    columns.figures = {*close};
    columns.field = PriceField::close;
  } else if (const auto price = find_column(header, {"price"})) {
    columns.figures = {*price};
  } else {
    throw InputError(where, fmt::format("no price column: {}", has),
                     "Name the column of prices 'adjusted_close', 'close' or 'price'");
  }
  return columns;
}

/// A file that stands alone may hold many assets: rows of asset, date and price, or a column an asset.
SheetColumns columns_of_many(const fs::path& path, const std::vector<std::string>& header) {
  const auto date = find_column(header, {"date", "day"});
  const bool has_price = find_column(header, {"adjusted_close", "close", "price"}).has_value();
  const bool has_parts = find_column(header, {"open", "high", "low", "volume"}).has_value();
  if (!date || has_price || has_parts || header.size() < 2) {
    auto columns = price_columns(path, header);
    columns.asset = find_column(header, {"asset", "code"});
    return columns;
  }
  SheetColumns columns;
  columns.date = *date;
  std::vector<std::string> seen;
  for (std::size_t i = 0; i < header.size(); ++i) {
    if (i == *date) continue;
    if (header[i].empty() || find_name(header[i], seen)) {
      throw InputError(fmt::format("{}, line 1, column {}", path.string(), i + 1),
                       header[i].empty() ? "it has no name" : fmt::format("'{}' comes twice", header[i]),
                       "Give each asset's column its own code");
    }
    seen.push_back(header[i]);
    columns.figures.push_back(i);
  }
  return columns;
}

SheetColumns rate_columns(const fs::path& path, const std::vector<std::string>& header) {
  const auto date = find_column(header, {"date", "day"}), rate = find_column(header, {"rate"});
  if (!date || !rate) {
    throw InputError(fmt::format("{}, line 1", path.string()),
                     fmt::format("no column {}: the header has {}", date ? "rate" : "date", fmt::join(header, ", ")),
                     "Name the columns 'date' and 'rate'");
  }
  return {*date, {*rate}, std::nullopt, PriceField::price};
}

}  // namespace

PriceHistory read_price_file(const fs::path& path) {
  auto history = std::move(read_sheet(path, "price", price_columns).front());
  check_not_single(path, history, false);
  return history;
}

std::vector<PriceHistory> read_prices(const fs::path& path) {
  std::error_code error;
  if (fs::is_regular_file(path, error)) {
    auto histories = read_sheet(path, "price", columns_of_many);
    for (const auto& history : histories) check_not_single(path, history, histories.size() > 1);
    return histories;
  }
  std::vector<PriceHistory> histories;
  for (const auto& file : csv_files(path)) histories.push_back(read_price_file(file));
  return histories;
}

std::vector<RateHistory> read_rates(const fs::path& path, const std::string& base) {
  std::vector<RateHistory> rates;
  for (const auto& file : csv_files(path)) {
    auto history = std::move(read_sheet(file, "rate", rate_columns).front());
    const auto dash = history.asset.find('-');
    const auto to = dash == std::string::npos ? base : history.asset.substr(dash + 1);
    if (to.empty()) {
      throw InputError(file.string(), "its name says no second currency, and there is no base currency",
                       "Name it like MRD-HLC.csv, or give --currency");
    }
    rates.push_back({history.asset.substr(0, dash), to, std::move(history.days), std::move(history.prices)});
  }
  return rates;
}

Tags read_tags(const fs::path& path) {
  Tags tags;
  std::size_t code = 0;
  const auto read_header = [&](CsvRow row) {
    const auto header = texts(row);
    const auto found = find_column(header, {"code", "asset"});
    if (!found) {
      throw InputError(fmt::format("{}, line 1", path.string()),
                       fmt::format("no code column: the header has {}", fmt::join(header, ", ")),
                       "Name the column of asset codes 'code'");
    }
    code = *found;
    tags.columns = header;
    tags.columns.erase(tags.columns.begin() + std::ptrdiff_t(code));
  };
  const auto read_row = [&](std::size_t line, CsvRow row) {
    auto cells = texts(row);
    if (find_name(cells[code], tags.assets)) {
      throw InputError(cell_place(path, line, "code"), fmt::format("{} comes twice", cells[code]), "Keep one row");
    }
    tags.assets.push_back(cells[code]);
    cells.erase(cells.begin() + std::ptrdiff_t(code));
    tags.rows.push_back(std::move(cells));
  };
  read_csv(path, read_header, read_row);
  return tags;
}

std::vector<WeightList> read_weights(const fs::path& path) {
  std::vector<WeightList> lists;
  std::vector<std::size_t> columns;
  std::vector<std::string> seen, header;
  std::size_t code = 0;
  const auto read_header = [&](CsvRow row) {
    header = texts(row);
    const auto found = find_column(header, {"asset", "code"});
    if (!found || header.size() < 2) {
      throw InputError(fmt::format("{}, line 1", path.string()),
                       fmt::format("the header has {}", fmt::join(header, ", ")),
                       "Give a column 'asset' and a column 'weight', or one column a portfolio");
    }
    code = *found;
    for (std::size_t i = 0; i < header.size(); ++i) {
      if (i == code) continue;
      columns.push_back(i);
      lists.push_back({same_name(header[i], "weight") ? path.stem().string() : header[i], {}, {}});
    }
  };
  const auto read_row = [&](std::size_t line, CsvRow row) {
    const std::string asset{row[code]};
    if (find_name(asset, seen)) {
      throw InputError(cell_place(path, line, header[code]), fmt::format("{} comes twice", asset), "Keep one row");
    }
    seen.push_back(asset);
    for (std::size_t k = 0; k < columns.size(); ++k) {
      const auto cell = row[columns[k]];
      if (cell.empty()) continue;
      lists[k].assets.push_back(asset);
      lists[k].weights.push_back(fraction_from_percent(cell, cell_place(path, line, header[columns[k]])));
    }
  };
  read_csv(path, read_header, read_row);
  if (seen.empty()) throw InputError(path.string(), "it holds no weight", "Give one row an asset");
  return lists;
}

}  // namespace inchtide::exchange
