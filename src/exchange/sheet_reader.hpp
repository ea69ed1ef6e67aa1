#pragma once
// A CSV sheet of prices or rates, read row by row into histories.

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

// The cells of a row as texts of their own.
std::vector<std::string> texts(CsvRow row);

// @param alike what is the same of two that are
void check_headings_differ(const std::filesystem::path& path, const std::vector<std::string>& header,
                           std::string (*alike)(std::string_view) = plain_name);

// Files of a folder that end with .csv, in order of their names, or the file itself.
// @param all also folders that are named like files: reading them says what they are
std::vector<std::filesystem::path> csv_files(const std::filesystem::path& path, bool all = false);

/// A figure column of a sheet: what it holds, and of which asset where the file has one asset a column.
struct Figure {
  std::size_t column;
  PriceField field;
  std::size_t slot = 0;
};

/// Where things stand in a sheet of prices or rates.
struct SheetLayout {
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
  SheetReader(const std::filesystem::path& path, Noun noun, const CsvStyle& style, Failures* failures = nullptr)
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
    bool newest_first = false;  // as many sources write them: turned in the end

    void turn() {
      std::ranges::reverse(days);
      for (auto& field : fields) std::ranges::reverse(field);
    }
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
    if (asset.days.size() == 1 && day < asset.days.back()) asset.newest_first = true;
    if (!asset.days.empty() && (asset.newest_first ? day >= asset.days.back() : day <= asset.days.back())) {
      const char* how = day == asset.days.back() ? "twice"
                        : asset.newest_first     ? "after an earlier day, though the days before it go back"
                                                 : "after a later day";
      throw InputError(cell_place(path_, line, header_[sheet_.date]), fmt::format("{} comes {}", to_string(day), how),
                       "Sort the rows by day, whichever way, and keep one row a day");
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
    if (!plain && says_none(text)) return std::numeric_limits<double>::quiet_NaN();
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
      if (asset.newest_first) asset.turn();
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

  const std::filesystem::path& path_;
  Noun noun_;
  const CsvStyle& style_;
  Failures* failures_;
  std::vector<std::string> header_;
  std::vector<bool> needed_;
  SheetLayout sheet_;
  std::vector<Growing> growing_;
  std::map<std::string, std::size_t, std::less<>> by_asset_;
};

}  // namespace inchtide::exchange
