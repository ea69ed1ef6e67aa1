#include "inchtide/exchange/action_file.hpp"

#include "exchange/sheet_reader.hpp"
#include "inchtide/base/percent.hpp"

namespace inchtide::exchange {
namespace {

/// `2`, `2:1` or `3:2`: new shares for one old one.
double split_in(std::string_view text, const CsvStyle& style, const std::function<Where()>& place) {
  const auto colon = text.find(':');
  if (colon == std::string_view::npos) return style.figure(text, place);
  const double old_shares = style.figure(text.substr(colon + 1), place);
  return style.figure(text.substr(0, colon), place) / old_shares;
}

/// A day may have several dividends, but neither two splits nor a row twice.
class ByDay {
 public:
  void add(const CorporateAction& action, const std::function<Where()>& place) {
    auto& same_day = known_[{lower_name(action.asset), action.ex_day}];
    for (const auto& other : same_day) {
      const bool two_splits = other.split != 1 && action.split != 1;
      const bool same =
          other.split == action.split && other.dividend == action.dividend && other.pay_day == action.pay_day;
      if (!two_splits && !same) continue;
      throw InputError(place(),
                       fmt::format("{} has {} on {}", action.asset, two_splits ? "two splits" : "the same action twice",
                                   to_string(action.ex_day)),
                       two_splits ? "Keep one a day" : "Keep one; dividends that are equal add up in one row");
    }
    same_day.push_back(action);
  }

 private:
  std::map<std::pair<std::string, Day>, std::vector<CorporateAction>> known_;
};

}  // namespace

namespace fs = std::filesystem;

std::vector<CorporateAction> read_actions(const fs::path& path, const CsvStyle& style) {
  std::vector<CorporateAction> actions;
  std::vector<std::string> header;
  std::size_t asset = 0, date = 0;
  std::optional<std::size_t> split, dividend, pay_day;
  ByDay by_day;
  const auto read_header = [&](CsvRow row) {
    header = texts(row);
    check_headings_differ(path, header);
    const auto a = find_column(header, {"asset", "code"}), d = find_column(header, {"date", "ex_day", "day"});
    split = find_column(header, {"split"});
    dividend = find_column(header, {"dividend"});
    pay_day = find_column(header, {"pay_day", "pay day"});
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
    const auto given = [&](const auto& column) { return column && !row[*column].empty() && !says_none(row[*column]); };
    if (given(split)) action.split = split_in(row[*split], style, place(*split));
    if (given(dividend)) action.dividend = style.figure(row[*dividend], place(*dividend));
    if (!(action.split > 0) || !std::isfinite(action.split)) {
      throw InputError(place(*split)(), fmt::format("a split of {}", row[*split]), "Write 2, 2:1 or 3:2");
    }
    if (given(pay_day)) {
      action.pay_day = style.day(row[*pay_day], place(*pay_day));
      if (*action.pay_day < action.ex_day) {
        throw InputError(place(*pay_day)(), fmt::format("it lies before the ex-day {}", to_string(action.ex_day)),
                         "Give the day on which the dividend is paid");
      }
    }
    if (!(action.dividend >= 0)) {
      throw InputError(place(*dividend)(), "the dividend is negative", "Give the cash for one share");
    }
    by_day.add(action, place(date));
    actions.push_back(std::move(action));
  };
  read_csv(path, read_header, read_row);
  return actions;
}

}  // namespace inchtide::exchange
