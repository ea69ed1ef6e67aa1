#include "inchtide/exchange/tables_csv.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <exception>
#include <limits>
#include <map>
#include <optional>
#include <set>
#include <sstream>

#include "exchange/calendars.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/executor.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/text.hpp"
#include "inchtide/exchange/csv.hpp"
#include "inchtide/exchange/files.hpp"
#include "inchtide/exchange/store.hpp"

namespace inchtide::exchange {
namespace {

namespace fs = std::filesystem;

std::vector<std::string> texts(CsvRow row) {
  std::vector<std::string> result;
  for (auto cell : row) result.emplace_back(cell);
  return result;
}

/// Files of a folder that end with .csv, in order of their names, or the file itself.
/// @param all also folders that are named like files: reading them says what they are
std::vector<fs::path> csv_files(const fs::path& path, bool all = false) {
  std::error_code error;
  if (!fs::exists(path, error))
    throw InputError(Where::in_file(path.string()), "there is no such file or folder", "Check the path");
  if (!fs::is_directory(path, error)) return {path};
  std::vector<fs::path> files;
  fs::directory_iterator entries(path, error);
  for (; !error && entries != fs::directory_iterator(); entries.increment(error)) {
    std::error_code unknown;  // of a link that leads nowhere: reading it says so
    const bool folder = !all && entries->is_directory(unknown);
    if (!folder && same_name(entries->path().extension().string(), ".csv")) files.push_back(entries->path());
  }
  if (error)
    throw OutsideFailure(Where::in_file(path.string()), fmt::format("the folder cannot be read: {}", error.message()));
  std::ranges::sort(files);
  if (files.empty())
    throw InputError(Where::in_file(path.string()), "the folder holds no .csv file", "Put one file each into it");
  return files;
}

/// A figure column of a sheet: what it holds, and of which asset where the file has one asset a column.
struct Figure {
  std::size_t column;
  PriceField field;
  std::size_t slot = 0;
};

/// Where things stand in a sheet of prices or rates.
struct Sheet {
  std::size_t date = 0;
  std::optional<std::size_t> asset;  // names the asset of each row
  std::vector<Figure> figures;
  std::vector<std::string> assets;  // of the slots, where there is no asset column
  std::function<std::optional<Day>(std::string_view)> read_day = {};
};

/// What is read, for messages.
using Noun = const char*;

using Failures = std::vector<std::pair<std::string, Notice>>;

/// Reads the rows of a sheet into one history an asset.
class SheetReader {
 public:
  /// @param failures where assets that cannot be read are listed; without it the first is thrown
  SheetReader(const fs::path& path, Noun noun, const CsvStyle& style, Failures* failures = nullptr)
      : path_(path), noun_(noun), style_(style), failures_(failures) {}

  template <typename FindColumns>
  std::vector<BarHistory> read(std::string_view text, FindColumns find_columns) {
    read_csv_text(
        path_, text,
        [&](CsvRow row) {
          header_ = texts(row);
          sheet_ = find_columns(header_);
          for (const auto& name : sheet_.assets) begin_asset(name);
          needed_.assign(header_.size(), false);
          needed_[sheet_.date] = true;
          if (sheet_.asset) needed_[*sheet_.asset] = true;
          for (const auto& figure : sheet_.figures) needed_[figure.column] = true;
        },
        [&](std::size_t line, CsvRow row) { take(line, row); }, needed_);
    return finished();
  }

 private:
  struct Growing {
    std::string asset;
    std::vector<Day> days;
    std::array<std::vector<double>, price_fields> fields;
    std::array<std::size_t, price_fields> figures{};  // how many aren't holes
    bool failed = false;
  };

  void begin_asset(const std::string& name, std::size_t line = 1) {
    check_name(name, longest_code, fmt::format("{}, line {}", path_.string(), line));
    growing_.push_back({name, {}, {}, {}});
  }

  void take(std::size_t line, CsvRow row) {
    const auto day_cell = row[sheet_.date];
    const auto known = sheet_.read_day ? sheet_.read_day(day_cell) : parse_day(day_cell);
    const Day day =
        known ? *known : style_.day(day_cell, [&] { return cell_place(path_, line, header_[sheet_.date]); });
    if (sheet_.asset) {
      const auto at = slot_of(line, row[*sheet_.asset]);
      take_figures(line, row, day, at, sheet_.figures);
    } else if (growing_.size() == 1) {
      take_figures(line, row, day, 0, sheet_.figures);
    } else {
      for (const auto& figure : sheet_.figures) take_figures(line, row, day, figure.slot, std::span(&figure, 1));
    }
  }

  std::size_t slot_of(std::size_t line, std::string_view code) {
    if (code.empty()) {
      throw InputError(cell_place(path_, line, header_[*sheet_.asset]), "the asset is missing", "Name one a row");
    }
    const auto [found, is_new] = by_asset_.try_emplace(lower_name(code), growing_.size());
    if (is_new) begin_asset(std::string(code), line);
    return found->second;
  }

  void take_figures(std::size_t line, CsvRow row, Day day, std::size_t slot, std::span<const Figure> figures) {
    auto& asset = growing_[slot];
    if (asset.failed) return;
    if (failures_ == nullptr) return append(line, row, day, asset, figures);
    try {
      append(line, row, day, asset, figures);
    } catch (const InputError& error) {
      failures_->emplace_back(asset.asset, error.notice());
      asset.failed = true;
    }
  }

  void append(std::size_t line, CsvRow row, Day day, Growing& asset, std::span<const Figure> figures) {
    std::array<double, price_fields> values;
    bool any = false;
    for (std::size_t k = 0; k < figures.size(); ++k) {
      values[k] = figure_in(line, row, figures[k]);
      any = any || !std::isnan(values[k]);
    }
    if (!any) return;  // none that day
    if (!asset.days.empty() && day <= asset.days.back()) {
      const bool twice = day == asset.days.back();
      throw InputError(cell_place(path_, line, header_[sheet_.date]),
                       fmt::format("{} comes {}", to_string(day), twice ? "twice" : "after a later day"),
                       "Sort the rows by day and keep one row a day");
    }
    asset.days.push_back(day);
    for (std::size_t k = 0; k < figures.size(); ++k) {
      asset.fields[std::size_t(figures[k].field)].push_back(values[k]);
      asset.figures[std::size_t(figures[k].field)] += std::isnan(values[k]) ? 0 : 1;
    }
  }

  double figure_in(std::size_t line, CsvRow row, const Figure& figure) const {
    const auto text = row[figure.column];
    if (text.empty()) return std::numeric_limits<double>::quiet_NaN();
    const bool comma = style_.decimal == CsvStyle::Decimal::comma;
    const auto plain = comma ? std::nullopt : parse_number(text);
    const auto place = [&] { return cell_place(path_, line, header_[figure.column]); };
    const double value = plain ? *plain : style_.figure(text, place);
    const bool volume = figure.field == PriceField::volume;
    if (value > 0 || (volume && value == 0)) return value;
    throw InputError(place(), fmt::format("the {} is {}", volume ? "volume" : noun_, excerpt(text)),
                     volume ? "A volume is 0 or more; leave the cell empty where it isn't known"
                            : fmt::format("A {} is positive; leave the cell empty where there is none", noun_));
  }

  std::vector<BarHistory> finished() {
    if (growing_.empty()) {
      throw InputError(Where::in_file(path_.string()), fmt::format("it holds no {}", noun_),
                       "Give rows of asset, date and price");
    }
    std::vector<BarHistory> histories;
    for (auto& asset : growing_) {
      if (asset.failed) continue;
      if (asset.days.empty()) {
        const InputError error(Where::in_file(path_.string()),
                               growing_.size() == 1 ? fmt::format("it holds no {}", noun_)
                                                    : fmt::format("it holds no {} of {}", noun_, asset.asset),
                               fmt::format("Give rows of date and {}", noun_));
        if (failures_ == nullptr) throw error;
        failures_->emplace_back(asset.asset, error.notice());
        continue;
      }
      asset.days.shrink_to_fit();
      BarHistory history{asset.asset};
      history.days = std::move(asset.days);
      for (std::size_t k = 0; k < price_fields; ++k) {
        if (asset.figures[k] == 0) continue;
        asset.fields[k].shrink_to_fit();
        history.fields[k] = std::move(asset.fields[k]);
      }
      histories.push_back(std::move(history));
    }
    return histories;
  }

  const fs::path& path_;
  Noun noun_;
  const CsvStyle& style_;
  Failures* failures_;
  std::vector<std::string> header_;
  std::vector<bool> needed_;
  Sheet sheet_;
  std::vector<Growing> growing_;
  std::map<std::string, std::size_t, std::less<>> by_asset_;
};

/// A history of one day has no return.
void check_not_single(const fs::path& path, const PriceHistory& history, bool names_asset) {
  if (history.days.size() > 1) return;
  throw InputError(Where::in_file(path.string()),
                   fmt::format("it holds a single price{}, on {}", names_asset ? " of " + history.asset : "",
                               to_string(history.days.front())),
                   {"Give at least two days", {Means::assets, "leave the asset out"}});
}

void check_headings_differ(const fs::path& path, const std::vector<std::string>& header) {
  std::set<std::string> seen;
  for (std::size_t j = 0; j < header.size(); ++j) {
    if (header[j].empty() || seen.insert(plain_name(header[j])).second) continue;
    throw InputError(Where::in_file(path.string(), 1, std::to_string(j + 1)),
                     fmt::format("'{}' comes twice", excerpt(header[j])), "Keep one of the two columns, or rename one");
  }
}

/// A sheet with a date column, perhaps an asset column, and columns named by field.
Sheet named_columns(const fs::path& path, const std::vector<std::string>& header, bool may_name_assets) {
  Sheet sheet;
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
Sheet columns_of_many(const fs::path& path, const std::vector<std::string>& header) {
  const auto date = find_column(header, {"date", "day"});
  const bool has_price = find_column(header, {"adjusted_close", "close", "price"}).has_value();
  const bool has_parts = find_column(header, {"open", "high", "low", "volume"}).has_value();
  if (!date || has_price || has_parts || header.size() < 2) return named_columns(path, header, true);
  Sheet sheet;
  sheet.date = *date;
  std::set<std::string> seen;
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

Sheet rate_columns(const fs::path& path, const std::vector<std::string>& header) {
  const auto date = find_column(header, {"date", "day"}), rate = find_column(header, {"rate"});
  if (!date || !rate) {
    throw InputError(Where::in_file(path.string(), 1),
                     fmt::format("no column {}: the header has {}", date ? "rate" : "date", fmt::join(header, ", ")),
                     "Name the columns 'date' and 'rate'");
  }
  return {*date, std::nullopt, {{*rate, PriceField::price}}, {path.stem().string()}};
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
      [&](std::size_t, CsvRow row) { empty = empty && row[column].empty(); });
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

std::vector<PriceHistory> read_prices(const fs::path& path, const PriceReading& reading) {
  if (PriceStore::is_store(path)) return PriceStore::read_histories(path, reading);
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

std::vector<BarHistory> read_bars(const fs::path& path, const PriceReading& reading) {
  if (PriceStore::is_store(path)) return PriceStore::read_all(path, reading);
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
    Sheet sheet{column(columns.day), std::nullopt, {}, {asset}, columns.read_day};
    for (std::size_t k = 0; k < price_fields; ++k) {
      if (!columns.fields[k].empty()) sheet.figures.push_back({column(columns.fields[k]), PriceField(k)});
    }
    return sheet;
  };
  return std::move(SheetReader(path, "price", style).read(text, find_columns).front());
}

std::vector<RateHistory> read_rates(const fs::path& path, const CsvStyle& style) {
  std::vector<RateHistory> rates;
  for (const auto& file : csv_files(path)) {
    auto history =
        std::move(SheetReader(file, "rate", style)
                      .read(read_text_file(file), [&](const auto& header) { return rate_columns(file, header); })
                      .front());
    const auto dash = history.asset.find('-');
    const auto to = dash == std::string::npos ? std::string() : history.asset.substr(dash + 1);
    rates.push_back(
        {history.asset.substr(0, dash), to, std::move(history.days), std::move(history.of(PriceField::price))});
  }
  return rates;
}

namespace {

/// `2`, `2:1` or `3:2`: new shares for one old one.
double split_in(std::string_view text, const CsvStyle& style, const std::function<Where()>& place) {
  const auto colon = text.find(':');
  if (colon == std::string_view::npos) return style.figure(text, place);
  const double old_shares = style.figure(text.substr(colon + 1), place);
  return style.figure(text.substr(0, colon), place) / old_shares;
}

}  // namespace

std::vector<CorporateAction> read_actions(const fs::path& path, const CsvStyle& style) {
  std::vector<CorporateAction> actions;
  std::vector<std::string> header;
  std::size_t asset = 0, date = 0;
  std::optional<std::size_t> split, dividend;
  const auto read_header = [&](CsvRow row) {
    header = texts(row);
    check_headings_differ(path, header);
    const auto a = find_column(header, {"asset", "code"}), d = find_column(header, {"date", "ex_day", "day"});
    split = find_column(header, {"split"});
    dividend = find_column(header, {"dividend"});
    if (!a || !d || (!split && !dividend)) {
      throw InputError(Where::in_file(path.string(), 1), fmt::format("the header has {}", fmt::join(header, ", ")),
                       "Give columns 'asset', 'date' (the ex-day), and 'split', 'dividend' or both");
    }
    asset = *a;
    date = *d;
  };
  const auto read_row = [&](std::size_t line, CsvRow row) {
    const auto place = [&](std::size_t column) {
      return [&, column] { return cell_place(path, line, header[column]); };
    };
    CorporateAction action{std::string(row[asset]), style.day(row[date], place(date))};
    if (action.asset.empty()) throw InputError(place(asset)(), "the asset is missing", "Name one a row");
    if (split && !row[*split].empty()) action.split = split_in(row[*split], style, place(*split));
    if (dividend && !row[*dividend].empty()) action.dividend = style.figure(row[*dividend], place(*dividend));
    if (!(action.split > 0) || !std::isfinite(action.split)) {
      throw InputError(place(*split)(), fmt::format("a split of {}", row[*split]), "Write 2, 2:1 or 3:2");
    }
    if (!(action.dividend >= 0)) {
      throw InputError(place(*dividend)(), "the dividend is negative", "Give the cash for one share");
    }
    actions.push_back(std::move(action));
  };
  read_csv(path, read_header, read_row);
  return actions;
}

MemberList read_members(const fs::path& path, const std::vector<std::string>& schemes) {
  MemberList list;
  if (same_name(path.extension().string(), ".csv")) {
    std::size_t column = 0;
    const auto read_header = [&](CsvRow row) {
      const auto header = texts(row);
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

Tags read_tags(const fs::path& path) {
  Tags tags;
  std::size_t code = 0;
  std::vector<std::string> header;
  std::set<std::string> seen;
  const auto read_header = [&](CsvRow row) {
    header = texts(row);
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
      check_name(cells[i], plain_name(header[i]) == "name" ? longest_name : longest_code,
                 cell_place(path, line, header[i]));
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

std::vector<WeightList> read_weights(const fs::path& path) {
  std::vector<WeightList> lists;
  std::vector<std::size_t> columns;
  std::vector<std::string> header;
  std::set<std::string> seen;
  std::size_t code = 0;
  const auto read_header = [&](CsvRow row) {
    header = texts(row);
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
  };
  const auto read_row = [&](std::size_t line, CsvRow row) {
    const std::string asset{row[code]};
    check_name(asset, longest_code, cell_place(path, line, header[code]));
    if (!seen.insert(lower_name(asset)).second) {
      throw InputError(cell_place(path, line, header[code]), fmt::format("{} comes twice", asset), "Keep one row");
    }
    for (std::size_t k = 0; k < columns.size(); ++k) {
      const auto cell = row[columns[k]];
      if (cell.empty()) continue;
      lists[k].assets.push_back(asset);
      lists[k].weights.push_back(fraction_from_percent(cell, cell_place(path, line, header[columns[k]])));
    }
  };
  read_csv(path, read_header, read_row);
  if (seen.empty()) throw InputError(Where::in_file(path.string()), "it holds no weight", "Give one row an asset");
  return lists;
}

}  // namespace inchtide::exchange
