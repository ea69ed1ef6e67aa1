#include "inchtide/exchange/list_files.hpp"

#include "exchange/sheet_reader.hpp"
#include "inchtide/base/percent.hpp"

namespace inchtide::exchange {

namespace fs = std::filesystem;

MemberList read_members(const fs::path& path, const std::vector<std::string>& schemes) {
  MemberList list;
  if (same_name(path.extension().string(), ".csv")) {
    std::size_t column = 0;
    const auto read_header = [&](CsvRow row) {
      const auto header = texts(row);
      check_headings_differ(path, header);
      auto found = find_column(header, {"code", "asset"});
      for (const auto& scheme : schemes) {
        if (!found) found = find_column(header, {scheme});
      }
      column = found.value_or(0);
      list.scheme = header[column];
    };
    read_csv(path, read_header, [&](std::size_t line, CsvRow row) {
      if (row[column].empty()) return;
      list.members.emplace_back(row[column]);
      check_name(list.members.back(), longest_code, cell_place(path, line, list.scheme));
    });
  } else {
    std::istringstream lines(read_text_file(path));
    std::size_t number = 0;
    for (std::string line; std::getline(lines, line);) {
      ++number;
      line.erase(std::min(line.find('#'), line.size()));
      const auto first = line.find_first_not_of(" \t\r");
      if (first == std::string::npos) continue;
      list.members.push_back(line.substr(first, line.find_last_not_of(" \t\r") + 1 - first));
      check_name(list.members.back(), longest_code, fmt::format("{}, line {}", path.string(), number));
    }
  }
  if (list.members.empty()) throw InputError(Where::in_file(path.string()), "it names no member", "Give one a line");
  return list;
}

namespace {

/// A tag as limits take it: a figure with a decimal comma gets a point. One without any mark stays as it is written:
/// 007.
std::string tag_in(std::string_view cell, const CsvStyle& style) {
  const bool marked = cell.find_first_of(",.") != std::string_view::npos;
  if (style.decimal != CsvStyle::Decimal::comma || !marked) return std::string(cell);
  const auto figure = style.read_figure(cell);
  return figure ? fmt::format("{}", *figure) : std::string(cell);
}

}  // namespace

Tags read_tags(const fs::path& path, const CsvStyle& style) {
  Tags tags;
  std::size_t code = 0;
  std::vector<std::string> header;
  std::set<std::string> seen;
  const auto read_header = [&](CsvRow row) {
    header = texts(row);
    check_headings_differ(path, header, lower_name);
    const auto found = find_column(header, {"code", "asset"});
    if (!found) {
      throw InputError(Where::in_file(path.string(), 1),
                       fmt::format("no code column: the header has {}", fmt::join(header, ", ")),
                       "Name the column of asset codes 'code'");
    }
    code = *found;
    tags.columns = header;
    tags.columns.erase(tags.columns.begin() + std::ptrdiff_t(code));
  };
  const auto read_row = [&](std::size_t line, CsvRow row) {
    auto cells = texts(row);
    check_name(cells[code], longest_code, cell_place(path, line, "code"));
    for (std::size_t i = 0; i < cells.size(); ++i) {
      if (i == code || cells[i].empty()) continue;
      const bool is_name = plain_name(header[i]) == "name";
      check_name(cells[i], is_name ? longest_name : longest_code, cell_place(path, line, header[i]));
      if (!is_name) cells[i] = tag_in(cells[i], style);
    }
    if (!seen.insert(lower_name(cells[code])).second) {
      throw InputError(cell_place(path, line, "code"), fmt::format("{} comes twice", cells[code]), "Keep one row");
    }
    tags.assets.push_back(cells[code]);
    cells.erase(cells.begin() + std::ptrdiff_t(code));
    tags.rows.push_back(std::move(cells));
  };
  read_csv(path, read_header, read_row);
  return tags;
}

namespace {

/// A sheet of weights as it is read.
struct WeightSheet {
  WeightSheet(const fs::path& file, const CsvStyle& way) : path(file), style(way) {}

  void read_header(CsvRow row) {
    header = texts(row);
    check_headings_differ(path, header, lower_name);
    const auto found = find_column(header, {"asset", "code"});
    if (!found || header.size() < 2) {
      throw InputError(Where::in_file(path.string(), 1), fmt::format("the header has {}", fmt::join(header, ", ")),
                       "Give a column 'asset' and a column 'weight', or one column a portfolio");
    }
    code = *found;
    for (std::size_t i = 0; i < header.size(); ++i) {
      if (i == code) continue;
      check_name(header[i], longest_name, Where::in_file(path.string(), 1, std::to_string(i + 1)));
      columns.push_back(i);
      lists.push_back({same_name(header[i], "weight") ? path.stem().string() : header[i], {}, {}, path.string()});
    }
  }

  void read_row(std::size_t line, CsvRow row) {
    const std::string asset{row[code]};
    check_name(asset, longest_code, cell_place(path, line, header[code]));
    if (!seen.insert(lower_name(asset)).second) {
      throw InputError(cell_place(path, line, header[code]), fmt::format("{} comes twice", asset), "Keep one row");
    }
    for (std::size_t k = 0; k < columns.size(); ++k) {
      const auto cell = row[columns[k]];
      if (cell.empty()) continue;
      lists[k].assets.push_back(asset);
      lists[k].weights.push_back(style.share(cell, [&] { return cell_place(path, line, header[columns[k]]); }));
    }
  }

  void check_any() const {
    if (seen.empty()) throw InputError(Where::in_file(path.string()), "it holds no weight", "Give one row an asset");
  }

  fs::path path;
  CsvStyle style;
  std::vector<WeightList> lists;
  std::vector<std::size_t> columns;
  std::vector<std::string> header;
  std::set<std::string> seen;
  std::size_t code = 0;
};

}  // namespace

std::vector<WeightList> read_weights(const fs::path& path, const CsvStyle& style) {
  WeightSheet sheet(path, style);
  read_csv(
      path, [&](CsvRow row) { sheet.read_header(row); },
      [&](std::size_t line, CsvRow row) { sheet.read_row(line, row); });
  sheet.check_any();
  return std::move(sheet.lists);
}

std::variant<WeightList, HoldingList> read_current(const fs::path& path, const CsvStyle& style) {
  HoldingList held{{}, {}, 0, path.string()};
  WeightSheet weights(path, style);  // where there is no column of units
  std::vector<std::string> header;
  std::optional<std::size_t> code, units;
  std::set<std::string> seen;
  const auto read_header = [&](CsvRow row) {
    header = texts(row);
    check_headings_differ(path, header, lower_name);
    code = find_column(header, {"asset", "code"});
    units = find_column(header, {"units"});
    if (units && !code) {
      throw InputError(Where::in_file(path.string(), 1), fmt::format("the header has {}", fmt::join(header, ", ")),
                       "Give a column 'asset' beside 'units'");
    }
    if (!units) weights.read_header(row);
  };
  read_csv(path, read_header, [&](std::size_t line, CsvRow row) {
    if (!units) return weights.read_row(line, row);
    if (row[*units].empty()) return;
    const std::string asset{row[*code]};
    check_name(asset, longest_code, cell_place(path, line, header[*code]));
    if (!seen.insert(lower_name(asset)).second) {
      throw InputError(cell_place(path, line, header[*code]), fmt::format("{} comes twice", asset), "Keep one row");
    }
    const double count = style.figure(row[*units], [&] { return cell_place(path, line, header[*units]); });
    if (same_name(asset, "cash")) {
      held.cash = count;
      return;
    }
    held.assets.push_back(asset);
    held.units.push_back(count);
  });
  if (!units) {
    weights.check_any();
    return std::move(weights.lists.front());
  }
  if (seen.empty()) throw InputError(Where::in_file(path.string()), "it holds no units", "Give one row an asset");
  return held;
}

}  // namespace inchtide::exchange
