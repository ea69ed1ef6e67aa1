#include "inchtide/exchange/price_files.hpp"

#include "exchange/sheet_reader.hpp"
#include "inchtide/base/executor.hpp"

namespace inchtide::exchange {
namespace {

namespace fs = std::filesystem;

/// A history of one day has no return.
void check_not_single(const fs::path& path, const PriceHistory& history, bool names_asset) {
  if (history.days.size() > 1) return;
  throw InputError(Where::in_file(path.string()),
                   fmt::format("it holds a single price{}, on {}", names_asset ? " of " + history.asset : "",
                               to_string(history.days.front())),
                   {"Give at least two days", {Means::assets, "leave the asset out"}});
}

/// A sheet with a date column, perhaps an asset column, and columns named by field.
SheetLayout named_columns(const fs::path& path, const std::vector<std::string>& header, bool may_name_assets) {
  SheetLayout sheet;
  const std::string where = fmt::format("{}, line 1", path.string());
  const std::string has = fmt::format("the header has {}", fmt::join(header, ", "));
  const auto date = find_column(header, {"date", "day"});
  if (!date) throw InputError(where, fmt::format("no date column: {}", has), "Name the column of days 'date'");
  check_headings_differ(path, header);
  sheet.date = *date;
  bool has_price = false;
  for (std::size_t k = 0; k < price_fields; ++k) {
    if (const auto column = find_column(header, {to_string(PriceField(k))})) {
      sheet.figures.push_back({*column, PriceField(k)});
      has_price = has_price || std::ranges::find(fields_of_price, PriceField(k)) != fields_of_price.end();
    }
  }
  if (!has_price) {
    throw InputError(where, fmt::format("no price column: {}", has),
                     "Name the column of prices 'adjusted_close', 'close' or 'price'");
  }
  if (may_name_assets) sheet.asset = find_column(header, {"asset", "code"});
  if (!sheet.asset) sheet.assets = {path.stem().string()};
  return sheet;
}

/// A file that stands alone may hold many assets: rows of asset, date and price, or a column an asset.
SheetLayout columns_of_many(const fs::path& path, const std::vector<std::string>& header) {
  const auto date = find_column(header, {"date", "day"});
  const bool has_price = find_column(header, {"adjusted_close", "close", "price"}).has_value();
  const bool has_parts = find_column(header, {"open", "high", "low", "volume"}).has_value();
  if (!date || has_price || has_parts || header.size() < 2) return named_columns(path, header, true);
  SheetLayout sheet;
  sheet.date = *date;
  std::set<std::string> seen{lower_name(header[*date])};
  for (std::size_t i = 0; i < header.size(); ++i) {
    if (i == *date) continue;
    if (header[i].empty() || !seen.insert(lower_name(header[i])).second) {
      throw InputError(Where::in_file(path.string(), 1, std::to_string(i + 1)),
                       header[i].empty() ? "it has no name" : fmt::format("'{}' comes twice", header[i]),
                       "Give each asset's column its own code");
    }
    sheet.figures.push_back({i, PriceField::price, sheet.assets.size()});
    sheet.assets.push_back(header[i]);
  }
  return sheet;
}

/// All fields of the assets of a file.
std::vector<BarHistory> bars_of_file(const fs::path& path, const PriceReading& reading, bool alone) {
  return SheetReader(path, "price", reading.style).read(read_text_file(path), [&](const auto& header) {
    return alone ? columns_of_many(path, header) : named_columns(path, header, false);
  });
}

/// Whether no row of a file has a figure in the column of a field.
bool column_is_empty(const fs::path& path, std::string_view text, PriceField field) {
  std::size_t column = 0;
  bool empty = true;
  read_csv_text(
      path, text,
      [&](CsvRow row) {
        for (const auto& figure : named_columns(path, texts(row), false).figures) {
          if (figure.field == field) column = figure.column;
        }
      },
      [&](std::size_t, CsvRow row) { empty = empty && (row[column].empty() || says_none(row[column])); });
  return empty;
}

/// The chosen field of one bar history, which is used up.
PriceHistory chosen_field(BarHistory bars, const PriceReading& reading) {
  const auto field = reading.fields.pick(bars.asset, bars.fields_held());
  auto& values = bars.of(field);
  if (std::ranges::any_of(values, [](double v) { return std::isnan(v); })) return bars.history(field);
  return {std::move(bars.asset), bars.currency, field, std::move(bars.days), std::move(values), bars.calendar};
}

/// The one field of a file with one asset; nothing else is converted from text.
PriceHistory field_of_file(const fs::path& path, const PriceReading& reading) {
  const auto text = read_text_file(path);
  std::vector<PriceField> empty;  // columns without any figure
  while (true) {
    std::optional<PriceField> taken;
    std::size_t held = 0;
    const auto one_field = [&](const auto& header) {
      auto sheet = named_columns(path, header, false);
      std::vector<PriceField> fields;
      for (const auto& figure : sheet.figures) {
        if (std::ranges::find(empty, figure.field) == empty.end()) fields.push_back(figure.field);
      }
      held = std::size_t(std::ranges::count_if(
          fields, [](auto f) { return std::ranges::find(fields_of_price, f) != fields_of_price.end(); }));
      taken = reading.fields.pick(path.stem().string(), fields);
      std::erase_if(sheet.figures, [&](const Figure& figure) { return figure.field != *taken; });
      return sheet;
    };
    try {
      return chosen_field(std::move(SheetReader(path, "price", reading.style).read(text, one_field).front()), reading);
    } catch (const InputError&) {
      // An empty column may stand beside a full one; the last one's complaint counts.
      if (held < 2 || !column_is_empty(path, text, *taken)) throw;
      empty.push_back(*taken);
    }
  }
}

/// Files of a folder, or of a path, done by several threads; the first failure in order of the files counts.
template <typename Read>
auto each_file(const std::vector<fs::path>& files, int threads, Read read) {
  return Executor(threads).collect(files.size(), [&](std::size_t i) { return read(files[i]); });
}

bool is_wanted(const PriceReading& reading, const std::string& asset) {
  return reading.assets.empty() || find_name(asset, reading.assets).has_value();
}

std::vector<fs::path> wanted_files(const fs::path& path, const PriceReading& reading, bool all = false) {
  auto files = csv_files(path, all);
  std::erase_if(files, [&](const fs::path& file) { return !is_wanted(reading, file.stem().string()); });
  return files;
}

}  // namespace

PriceHistory read_price_file(const fs::path& path, const PriceReading& reading) {
  auto history = field_of_file(path, reading);
  check_not_single(path, history, false);
  return history;
}

std::vector<PriceHistory> read_price_files(const fs::path& path, const PriceReading& reading) {
  std::vector<PriceHistory> histories;
  std::error_code error;
  if (fs::is_regular_file(path, error)) {
    auto all = bars_of_file(path, reading, true);
    for (auto& bars : all) {
      histories.push_back(chosen_field(std::move(bars), reading));
      check_not_single(path, histories.back(), all.size() > 1);
    }
    return histories;
  }
  SharedCalendars calendars;
  auto results = each_file(wanted_files(path, reading), reading.threads, [&](const fs::path& file) {
    auto history = read_price_file(file, reading);
    calendars.share(history.days);
    return history;
  });
  for (auto& history : results) histories.push_back(std::move(history));
  return histories;
}

std::vector<BarHistory> read_bar_files(const fs::path& path, const PriceReading& reading) {
  std::error_code error;
  if (fs::is_regular_file(path, error)) {
    auto all = bars_of_file(path, reading, true);
    std::erase_if(all, [&](const BarHistory& bars) { return !is_wanted(reading, bars.asset); });
    return all;
  }
  std::vector<BarHistory> histories;
  SharedCalendars calendars;
  auto results = each_file(wanted_files(path, reading), reading.threads, [&](const fs::path& file) {
    auto bars = std::move(bars_of_file(file, reading, false).front());
    calendars.share(bars.days);
    return bars;
  });
  for (auto& bars : results) histories.push_back(std::move(bars));
  return histories;
}

BarsRead read_bars_listing_failures(const fs::path& path, const PriceReading& reading) {
  BarsRead read;
  std::error_code error;
  if (fs::is_regular_file(path, error)) {
    read.bars =
        SheetReader(path, "price", reading.style, &read.failures).read(read_text_file(path), [&](const auto& header) {
          return columns_of_many(path, header);
        });
  } else {
    const auto files = wanted_files(path, reading, true);
    SharedCalendars calendars;
    auto results = each_file(files, reading.threads, [&](const fs::path& file) {
      BarsRead one;
      try {
        one.bars = bars_of_file(file, reading, false);
        calendars.share(one.bars.front().days);
      } catch (const Error& failure) {
        one.failures.emplace_back(file.stem().string(), failure.notice());
      }
      return one;
    });
    for (auto& one : results) {
      std::ranges::move(one.bars, std::back_inserter(read.bars));
      std::ranges::move(one.failures, std::back_inserter(read.failures));
    }
  }
  std::erase_if(read.bars, [&](const BarHistory& bars) { return !is_wanted(reading, bars.asset); });
  std::erase_if(read.failures, [&](const auto& failure) { return !is_wanted(reading, failure.first); });
  return read;
}

BarHistory bars_from_csv_text(const std::string& asset, const std::string& source, std::string_view text,
                              const BarColumns& columns, const CsvStyle& style) {
  const fs::path path = source;
  const auto find_columns = [&](const std::vector<std::string>& header) {
    const auto column = [&](const std::string& name) {
      const auto found = find_column(header, {name});
      if (found) return *found;
      throw InputError(Where::in_file(source, 1),
                       fmt::format("no column '{}': the header has {}", name, fmt::join(header, ", ")),
                       "Check the names of its columns in the mandate");
    };
    SheetLayout sheet{column(columns.day), std::nullopt, {}, {asset}, columns.read_day};
    for (std::size_t k = 0; k < price_fields; ++k) {
      if (!columns.fields[k].empty()) sheet.figures.push_back({column(columns.fields[k]), PriceField(k)});
    }
    return sheet;
  };
  return std::move(SheetReader(path, "price", style).read(text, find_columns).front());
}

}  // namespace inchtide::exchange
