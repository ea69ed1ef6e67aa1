#include "inchtide/exchange/provider.hpp"

#include <date/tz.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <nlohmann/json.hpp>
#include <numeric>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/exchange/http.hpp"
#include "inchtide/exchange/tables_csv.hpp"
#include "json_text.hpp"

namespace inchtide::exchange {
namespace {

using nlohmann::json;

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
  LocalDays(const std::string& zone, const std::string& where) : offset_(offset_in(zone)) {
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

json parsed(const std::string& where, const std::string& body) {
  if (is_too_deep(body)) {
    throw InputError(where, fmt::format("the answer is nested more than {} levels deep", deepest_level),
                     "Check url and path of the provider in the mandate");
  }
  try {
    return json::parse(body);
  } catch (const json::exception&) {
    const auto start = body.substr(0, body.find_first_of("\r\n"));
    throw InputError(where, fmt::format("the answer is not JSON: '{}'", excerpt(start, 60)),
                     "Check url, path and answer of the provider in the mandate");
  }
}

const json& at_pointer(const json& document, const std::string& pointer, const std::string& where) {
  try {
    const json::json_pointer place(pointer);
    if (document.contains(place)) return document.at(place);
  } catch (const json::exception&) {
    throw InputError(where, fmt::format("'{}' is not a JSON Pointer", pointer), "Write it as /series/close");
  }
  throw InputError(where, fmt::format("the answer has nothing at {}", pointer),
                   "Check the pointers of the provider in the mandate");
}

const json& array_at(const json& document, const std::string& pointer, const std::string& where) {
  const auto& node = at_pointer(document, pointer, where);
  if (!node.is_array()) {
    throw InputError(where, fmt::format("{} is no array", pointer),
                     "Check the pointers of the provider in the mandate");
  }
  return node;
}

std::vector<Day> days_at(const Provider& provider, const json& document, const std::string& where) {
  std::vector<Day> days;
  const LocalDays local(provider.zone, where);
  for (const auto& item : array_at(document, provider.days, where)) {
    const auto place = [&] { return fmt::format("{}, {}/{}", where, provider.days, days.size()); };
    if (provider.seconds) {
      if (!item.is_number() || !(std::abs(item.get<double>()) < 1e11)) {
        throw InputError(place(), fmt::format("{} is not a number of seconds", shown_json(item)),
                         "Set days_are = \"day\" if these are ISO days");
      }
      days.push_back(local(item.get<double>()));
    } else {
      if (!item.is_string()) {
        throw InputError(place(), fmt::format("{} is not a day", shown_json(item)),
                         "Set days_are = \"seconds\" if these are seconds since 1970");
      }
      days.push_back(provider.style.day(item.get_ref<const std::string&>(), place));
    }
  }
  return days;
}

std::vector<double> figures_at(const json& document, const std::string& pointer, const std::string& where) {
  std::vector<double> figures;
  for (const auto& item : array_at(document, pointer, where)) {
    if (!item.is_null() && !item.is_number()) {
      throw InputError(fmt::format("{}, {}/{}", where, pointer, figures.size()),
                       fmt::format("{} is not a figure", shown_json(item)), "A figure is a number or null");
    }
    figures.push_back(item.is_null() ? std::numeric_limits<double>::quiet_NaN() : item.get<double>());
  }
  return figures;
}

void check_figure(double value, PriceField field, Day day, const std::string& where) {
  const bool volume = field == PriceField::volume;
  if (std::isnan(value) || value > 0 || (volume && value == 0)) return;
  throw InputError(where, fmt::format("the {} on {} is {}", to_string(field), to_string(day), value),
                   volume ? "A volume is 0 or more" : "A price is positive");
}

BarHistory bars_from_json(const Provider& provider, const std::string& asset, const std::string& body) {
  const auto where = source_of(provider, asset);
  const auto document = parsed(where, body);
  const auto days = days_at(provider, document, where);
  std::array<std::vector<double>, price_fields> fields;
  for (std::size_t k = 0; k < price_fields; ++k) {
    if (provider.fields[k].empty()) continue;
    fields[k] = figures_at(document, provider.fields[k], where);
    if (fields[k].size() == days.size()) continue;
    throw InputError(
        where,
        fmt::format("{} has {} entries, {} has {}", provider.days, days.size(), provider.fields[k], fields[k].size()),
        "The arrays of an answer must be as long as one another; ask the provider");
  }
  std::vector<std::size_t> order(days.size());
  std::iota(order.begin(), order.end(), std::size_t(0));
  std::ranges::stable_sort(order, {}, [&](std::size_t row) { return days[row]; });
  BarHistory bars{asset};
  std::vector<Day> kept;
  std::array<bool, price_fields> held{};
  for (std::size_t row : order) {
    bool any = false;
    for (const auto& field : fields) any = any || (!field.empty() && !std::isnan(field[row]));
    if (!any) continue;
    if (!kept.empty() && kept.back() == days[row]) {
      throw InputError(where, fmt::format("{} comes twice", to_string(days[row])),
                       provider.seconds ? "Check the zone of the provider in the mandate" : "Ask the provider");
    }
    kept.push_back(days[row]);
    for (std::size_t k = 0; k < price_fields; ++k) {
      if (fields[k].empty()) continue;
      check_figure(fields[k][row], PriceField(k), days[row], where);
      bars.fields[k].push_back(fields[k][row]);
      held[k] = held[k] || !std::isnan(fields[k][row]);
    }
  }
  for (std::size_t k = 0; k < price_fields; ++k) {
    if (!held[k]) bars.fields[k] = {};
  }
  bars.days = std::move(kept);
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
  const auto document = parsed(where, body);
  std::vector<std::string> members;
  for (const auto& item : array_at(document, provider.members, where)) {
    if (!item.is_string() && !item.is_number_integer()) {
      throw InputError(where, fmt::format("{} is no code", shown_json(item)),
                       "Check members of the provider in the mandate");
    }
    members.push_back(item.is_string() ? item.get<std::string>() : shown_json(item));
    check_name(members.back(), longest_code, where);
  }
  if (members.empty()) throw InputError(where, "it names no member", "Check the name of the list");
  return members;
}

std::string words_of_error(const Provider& provider, const std::string& body) {
  if (!provider.message.empty()) {
    const auto document = is_too_deep(body) ? json() : json::parse(body, nullptr, false);
    const json::json_pointer place(provider.message);
    if (!document.is_discarded() && document.contains(place) && document.at(place).is_string()) {
      return excerpt(document.at(place).get<std::string>(), 200);
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
