#include "inchtide/exchange/provider.hpp"

#include <date/tz.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/text.hpp"
#include "inchtide/exchange/http.hpp"
#include "inchtide/exchange/price_files.hpp"
#include "json_walk.hpp"

namespace inchtide::exchange {
namespace {

std::string with_values(std::string text, const std::vector<std::pair<std::string, std::string>>& values) {
  for (const auto& [name, value] : values) {
    for (auto at = text.find(name); at != std::string::npos; at = text.find(name, at + value.size())) {
      text.replace(at, name.size(), value);
    }
  }
  return text;
}

/// "+02:00" as seconds.
std::optional<std::chrono::seconds> offset_in(const std::string& zone) {
  if (zone == "UTC") return std::chrono::seconds{0};
  int hours = 0, minutes = 0;
  char sign = 0, rest = 0;
  if (std::sscanf(zone.c_str(), "%c%2d:%2d%c", &sign, &hours, &minutes, &rest) != 3) return std::nullopt;
  if ((sign != '+' && sign != '-') || hours > 18 || minutes > 59) return std::nullopt;
  return std::chrono::seconds{(sign == '-' ? -1 : 1) * (3600 * hours + 60 * minutes)};
}

/// The calendar day at the exchange when so many seconds had passed since 1970.
class LocalDays {
 public:
  LocalDays(const std::string& zone, const Where& where) : offset_(offset_in(zone)) {
    if (offset_) return;
    try {
      zone_ = date::locate_zone(zone);
    } catch (const std::exception&) {
      throw InputError(where, fmt::format("there is no time zone '{}'", zone),
                       "Give an IANA name such as Europe/Oslo, or an offset such as +02:00");
    }
  }

  Day operator()(double seconds) const {
    const std::chrono::sys_seconds time{std::chrono::seconds{std::int64_t(std::floor(seconds))}};
    const auto offset = offset_ ? *offset_ : zone_->get_info(time).offset;
    return std::chrono::floor<std::chrono::days>(time + offset);
  }

 private:
  std::optional<std::chrono::seconds> offset_;
  const date::time_zone* zone_ = nullptr;
};

std::string source_of(const Provider& provider, const std::string& asset) {
  return fmt::format("provider {}, {}", provider.name, asset);
}

/// More rows than days that a store has room for are no history.
constexpr std::size_t most_rows = 2'000'000, most_members = 100'000;

const JsonWanted& list_found(const JsonWanted& wanted, const Where& where) {
  if (wanted.found && wanted.is_list) return wanted;
  throw InputError(where,
                   wanted.found ? fmt::format("{} is no array", wanted.pointer)
                                : fmt::format("the answer has nothing at {}", wanted.pointer),
                   "Check the pointers of the provider in the mandate");
}

/// The day of an item.
class DayItems {
 public:
  DayItems(const Provider& provider, const Where& where)
      : provider_(provider), where_(where), local_(provider.zone, where) {}

  Day operator()(const JsonItem& item, std::size_t position) const {
    const auto place = [&] { return where_.with(fmt::format("{}/{}", provider_.days, position)); };
    if (provider_.seconds) {
      if (item.is_number() && std::abs(item.number) < 1e11) return local_(item.number);
      throw InputError(place(), fmt::format("{} is not a number of seconds", item.shown()),
                       "Set days_are = \"day\" if these are ISO days");
    }
    if (item.kind == JsonItem::Kind::text) return provider_.style.day(std::string(item.text), place);
    throw InputError(place(), fmt::format("{} is not a day", item.shown()),
                     "Set days_are = \"seconds\" if these are seconds since 1970");
  }

 private:
  const Provider& provider_;
  const Where& where_;
  LocalDays local_;
};

double figure_of(const JsonItem& item, const Where& where, const std::string& pointer, std::size_t position) {
  if (item.kind == JsonItem::Kind::null) return std::numeric_limits<double>::quiet_NaN();
  if (item.is_number()) return item.number;
  throw InputError(where.with(fmt::format("{}/{}", pointer, position)), fmt::format("{} is not a figure", item.shown()),
                   "A figure is a number or null");
}

void check_figure(double value, PriceField field, Day day, const Where& where) {
  const bool volume = field == PriceField::volume;
  if (std::isnan(value) || value > 0 || (volume && value == 0)) return;
  throw InputError(where, fmt::format("the {} on {} is {}", to_string(field), to_string(day), value),
                   volume ? "A volume is 0 or more" : "A price is positive");
}

/// The columns of an answer, a row each.
struct Columns {
  std::vector<Day> days;
  std::array<std::vector<double>, price_fields> fields;
};

/// Its arrays, in two walks: the first counts, so that the second needs no more room than the figures take.
Columns columns_of(const Provider& provider, const Where& where, const std::string& body) {
  std::vector<JsonWanted> wanted{{provider.days}};
  std::vector<std::size_t> field_of;
  for (std::size_t k = 0; k < price_fields; ++k) {
    if (provider.fields[k].empty()) continue;
    wanted.push_back({provider.fields[k]});
    field_of.push_back(k);
  }
  walk_json(body, where, wanted);
  const auto rows = list_found(wanted[0], where).items;
  if (rows > most_rows) {
    throw InputError(where, fmt::format("the answer has {} rows, more than there are days", rows), "Ask the provider");
  }
  for (const auto& one : wanted) {
    if (list_found(one, where).items == rows) continue;
    throw InputError(where, fmt::format("{} has {} entries, {} has {}", provider.days, rows, one.pointer, one.items),
                     "The arrays of an answer must be as long as one another; ask the provider");
  }
  Columns columns;
  columns.days.resize(rows);
  wanted[0].take = [&, day_of = DayItems(provider, where)](const JsonItem& item, std::size_t row) {
    if (row < rows) columns.days[row] = day_of(item, row);  // of a name that comes twice the first list may be longer
  };
  for (std::size_t w = 1; w < wanted.size(); ++w) {
    auto& figures = columns.fields[field_of[w - 1]];
    figures.resize(rows);
    wanted[w].take = [&figures, &where, pointer = wanted[w].pointer](const JsonItem& item, std::size_t row) {
      if (row < figures.size()) figures[row] = figure_of(item, where, pointer, row);
    };
  }
  walk_json(body, where, wanted);
  return columns;
}

/// Puts the rows in the order of their days.
void sort_by_day(Columns& columns) {
  if (std::ranges::is_sorted(columns.days)) return;
  std::vector<std::uint32_t> order(columns.days.size());
  std::iota(order.begin(), order.end(), 0u);
  std::ranges::stable_sort(order, {}, [&](auto row) { return columns.days[row]; });
  const auto reorder = [&](auto& values) {
    auto sorted = values;
    for (std::size_t row = 0; row < order.size(); ++row) sorted[row] = values[order[row]];
    values = std::move(sorted);
  };
  reorder(columns.days);
  for (auto& field : columns.fields) {
    if (!field.empty()) reorder(field);
  }
}

BarHistory bars_from_json(const Provider& provider, const std::string& asset, const std::string& body) {
  const auto where = source_of(provider, asset);
  auto columns = columns_of(provider, where, body);
  sort_by_day(columns);
  auto& days = columns.days;
  std::array<bool, price_fields> held{};
  std::size_t kept = 0;  // rows that have any figure move up
  for (std::size_t row = 0; row < days.size(); ++row) {
    bool any = false;
    for (const auto& field : columns.fields) any = any || (!field.empty() && !std::isnan(field[row]));
    if (!any) continue;
    if (kept > 0 && days[kept - 1] == days[row]) {
      throw InputError(where, fmt::format("{} comes twice", to_string(days[row])),
                       provider.seconds ? "Check the zone of the provider in the mandate" : "Ask the provider");
    }
    days[kept] = days[row];
    for (std::size_t k = 0; k < price_fields; ++k) {
      auto& field = columns.fields[k];
      if (field.empty()) continue;
      check_figure(field[row], PriceField(k), days[row], where);
      field[kept] = field[row];
      held[k] = held[k] || !std::isnan(field[row]);
    }
    ++kept;
  }
  BarHistory bars{asset};
  days.resize(kept);
  bars.days = std::move(days);
  for (std::size_t k = 0; k < price_fields; ++k) {
    if (!held[k]) continue;
    columns.fields[k].resize(kept);
    bars.fields[k] = std::move(columns.fields[k]);
  }
  return bars;
}

/// A header's name as HTTP has it: one letter, digit or sign after another, nothing that could end it.
bool is_token(std::string_view name) {
  const auto belongs = [](char c) {
    const bool plain = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9');
    return plain || std::string_view("!#$%&'*+-.^_`|~").find(c) != std::string_view::npos;
  };
  return !name.empty() && std::ranges::all_of(name, belongs);
}

}  // namespace

void Provider::check() const {
  const std::string where = "providers." + name;
  const auto need = [&](bool given, const char* key, const char* example) {
    if (!given) throw InputError(where, fmt::format("{} is missing", key), fmt::format("Give {}", example));
  };
  need(!url.empty(), "url", "url = \"https://...\"");
  need(!path.empty(), "path", "path = \"/history/{asset}?from={from}&to={to}\"");
  need(!days.empty(), "days",
       csv ? "days = \"date\", the name of a column" : "days = \"/series/days\", a JSON Pointer");
  need(std::ranges::any_of(fields, [](const auto& f) { return !f.empty(); }), "close", "close, adjusted_close or both");
  need(key_header.empty() == key_env.empty(), key_header.empty() ? "key_header" : "key_env",
       "both key_header and key_env, or neither");
  if (path.find("{asset}") == std::string::npos) {
    throw InputError(where, "path has no {asset}", "Write where the asset's code goes");
  }
  if (parallel < 1 || parallel > 64) {
    throw InputError(where, fmt::format("parallel is {}", parallel), "Give a number from 1 to 64");
  }
  LocalDays(zone, where);
}

std::string history_url(const Provider& provider, const std::string& code, Day from, Day to) {
  const auto seconds = [](Day day) { return std::to_string(std::int64_t(day.time_since_epoch().count()) * 86400); };
  return provider.url + with_values(provider.path, {{"{asset}", url_part(code)},
                                                    {"{from}", to_string(from)},
                                                    {"{to}", to_string(to)},
                                                    {"{from_seconds}", seconds(from)},
                                                    {"{to_seconds}", seconds(to + std::chrono::days{1})},
                                                    {"{every}", url_part(provider.every)}});
}

BarHistory bars_from_answer(const Provider& provider, const std::string& asset, const std::string& body) {
  if (!provider.csv) {
    auto bars = bars_from_json(provider, asset, body);
    if (bars.days.empty()) {
      throw InputError(source_of(provider, asset), "the answer has no row", "Check the days asked for, and the code");
    }
    return bars;
  }
  const auto where = source_of(provider, asset);
  BarColumns columns{provider.days, {}, provider.fields};
  if (provider.seconds) {
    columns.read_day = [local = LocalDays(provider.zone, where)](std::string_view text) -> std::optional<Day> {
      const auto seconds = parse_number(text);
      if (!seconds || !(std::abs(*seconds) < 1e11)) return std::nullopt;
      return local(*seconds);
    };
  }
  return bars_from_csv_text(asset, where, body, columns, provider.style);
}

std::vector<std::string> members_from_answer(const Provider& provider, const std::string& list,
                                             const std::string& body) {
  const auto where = fmt::format("provider {}, list {}", provider.name, list);
  std::vector<std::string> members;
  std::vector<JsonWanted> wanted{{provider.members}};
  wanted[0].take = [&](const JsonItem& item, std::size_t position) {
    if (position == 0) members.clear();
    if (item.kind != JsonItem::Kind::text && item.kind != JsonItem::Kind::whole) {
      throw InputError(where, fmt::format("{} is no code", item.shown()),
                       "Check members of the provider in the mandate");
    }
    if (members.size() == most_members) {
      throw InputError(where, fmt::format("it names more than {} members", most_members), "Check the name of the list");
    }
    members.emplace_back(item.text);
    check_name(members.back(), longest_code, where);
  };
  walk_json(body, where, wanted);
  list_found(wanted[0], where);
  if (members.empty()) throw InputError(where, "it names no member", "Check the name of the list");
  return members;
}

std::string words_of_error(const Provider& provider, const std::string& body) {
  if (!provider.message.empty()) {
    std::string message;
    std::vector<JsonWanted> wanted{{provider.message}};
    wanted[0].take_value = [&](const JsonItem& item) {
      message = item.kind == JsonItem::Kind::text ? excerpt(item.text, 200) : std::string();
    };
    try {
      walk_json(body, "provider " + provider.name, wanted);
      if (!message.empty()) return message;
    } catch (const InputError&) {  // then its first line is shown
    }
  }
  return excerpt(std::string_view(body).substr(0, body.find_first_of("\r\n")));
}

std::vector<std::string> key_headers(const Provider& provider,
                                     const std::function<std::optional<std::string>(const std::string&)>& lookup) {
  if (provider.key_header.empty()) return {};
  const auto key = lookup(provider.key_env);
  const std::string where = "providers." + provider.name;
  if (!key || key->empty()) {
    throw InputError(where, fmt::format("the environment variable {} is not set", provider.key_env),
                     fmt::format("Set it to your key: export {}=...", provider.key_env));
  }
  if (key->find_first_of("\r\n") != std::string::npos) {
    throw InputError(where, fmt::format("the key in {} has a line end", provider.key_env), "Set it without one");
  }
  if (!is_token(provider.key_header)) {
    throw InputError(where, fmt::format("key_header '{}' is no name of a header", excerpt(provider.key_header)),
                     "Give letters, digits and dashes, such as X-Key");
  }
  if (!lower_name(provider.url).starts_with("https://") && !is_loopback(provider.url)) {
    throw InputError(where, "the key would travel unencrypted", "Use an https:// address");
  }
  return {provider.key_header + ": " + *key};
}

CodeMap::CodeMap(Provider provider, Tags identifiers, Tags tags)
    : provider_(std::move(provider)), identifiers_(std::move(identifiers)), tags_(std::move(tags)) {
  const auto& columns = identifiers_.columns;
  if (provider_.scheme.empty() || find_name(provider_.scheme, columns)) return;
  throw InputError(fmt::format("providers.{}.scheme", provider_.name),
                   fmt::format("the identifiers have no column '{}'", provider_.scheme),
                   columns.empty() ? "Give [universe] identifiers" : did_you_mean(provider_.scheme, columns));
}

std::string CodeMap::suffix_of(const std::string& asset) const {
  for (const auto& [tag, suffix] : provider_.suffixes) {
    const auto colon = tag.find(':');
    const auto value = tags_.value(asset, tag.substr(0, colon));
    if (colon != std::string::npos && value && same_name(*value, tag.substr(colon + 1))) return suffix;
  }
  return provider_.suffix;
}

std::optional<std::string> CodeMap::code_of(const std::string& asset) const {
  if (provider_.scheme.empty()) return asset + suffix_of(asset);
  const auto code = identifiers_.value(asset, provider_.scheme);
  if (!code) return std::nullopt;
  return *code + suffix_of(asset);
}

std::optional<std::string> CodeMap::asset_of(const std::string& code) const {
  for (const auto& asset : identifiers_.assets) {
    if (same_name(asset, code) || same_name(code_of(asset).value_or(""), code)) return asset;
    for (const auto& scheme : identifiers_.columns) {
      if (same_name(identifiers_.value(asset, scheme).value_or(""), code)) return asset;
    }
  }
  // Without identifiers a code is our own, less the suffix.
  if (!identifiers_.assets.empty()) return std::nullopt;
  const auto& suffix = provider_.suffix;
  const bool has_suffix = !suffix.empty() && code.size() > suffix.size() && code.ends_with(suffix);
  return has_suffix ? code.substr(0, code.size() - suffix.size()) : code;
}

}  // namespace inchtide::exchange
