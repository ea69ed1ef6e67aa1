#include "inchtide/mandate/mandate.hpp"

#include <fmt/format.h>
#include <toml++/toml.h>

#include <algorithm>
#include <chrono>
#include <sstream>

#include "exchange/depth.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/range.hpp"
#include "inchtide/base/text.hpp"
#include "inchtide/exchange/files.hpp"

namespace inchtide {
namespace {

using exchange::CsvStyle, exchange::HttpSettings, exchange::Provider;
using exchange::deepest_level, exchange::is_too_deep;

/// One table of the file, with its name for messages.
class Section {
 public:
  Section(const std::filesystem::path& path, std::string name, const toml::table& table)
      : path_(path), name_(std::move(name)), table_(table) {}

  /// Refuses keys that aren't among `known`.
  void allow_only(const std::vector<std::string>& known) const {
    for (const auto& [key, node] : table_) {
      if (std::ranges::find(known, std::string(key.str())) != known.end()) continue;
      throw InputError(place(key.str(), node), fmt::format("'{}' is not a key that it knows", key.str()),
                       did_you_mean(key.str(), known));
    }
  }

  Where place(std::string_view key, const toml::node& node) const {
    const std::string full = name_.empty() ? std::string(key) : fmt::format("{}.{}", name_, key);
    return Where::in_file(path_.string(), node.source().begin.line).with(full);
  }

  const toml::node* find(std::string_view key) const { return table_.get(key); }

  std::optional<std::string> text(std::string_view key) const {
    const auto* node = find(key);
    if (node == nullptr) return std::nullopt;
    if (const auto value = node->value<std::string>(); value && node->is_string()) return value;
    throw wrong_kind(key, *node, "a text in quotes");
  }

  std::optional<double> number(std::string_view key) const {
    const auto* node = find(key);
    if (node == nullptr) return std::nullopt;
    if (node->is_number()) return within(*node->value<double>(), -1e15, 1e15, place(key, *node));
    throw wrong_kind(key, *node, "a number");
  }

  std::optional<bool> yes_or_no(std::string_view key) const {
    const auto* node = find(key);
    if (node == nullptr) return std::nullopt;
    if (node->is_boolean()) return node->value<bool>();
    throw wrong_kind(key, *node, "true or false");
  }

  std::optional<Day> day(std::string_view key) const {
    const auto* node = find(key);
    if (node == nullptr) return std::nullopt;
    if (const auto* date = node->as_date()) {
      const auto& d = date->get();
      return Day{std::chrono::year{d.year} / std::chrono::month{d.month} / std::chrono::day{d.day}};
    }
    if (const auto written = node->value<std::string>()) return day_from(*written, place(key, *node));
    throw wrong_kind(key, *node, "a day such as 2023-01-01");
  }

  std::optional<int> whole_number(std::string_view key, const char* wanted) const {
    const auto* node = find(key);
    if (node == nullptr) return std::nullopt;
    if (!node->is_integer()) throw wrong_kind(key, *node, wanted);
    return whole_within(*node->value<std::int64_t>(), 0, 1'000'000, place(key, *node));
  }

  /// The place of a key that is there.
  Where place_of(std::string_view key) const { return place(key, *find(key)); }

  std::optional<double> percent(std::string_view key) const {
    const auto* node = find(key);
    if (node == nullptr) return std::nullopt;
    if (node->is_string()) return fraction_from_percent(*node->value<std::string>(), place(key, *node));
    throw wrong_kind(key, *node, "a percentage in quotes, such as \"2%\"");
  }

  std::vector<std::string> texts(std::string_view key) const {
    const auto* node = find(key);
    if (node == nullptr) return {};
    std::vector<std::string> result;
    const auto* list = node->as_array();
    if (list == nullptr) throw wrong_kind(key, *node, "a list of texts");
    for (const auto& item : *list) {
      if (!item.is_string()) throw wrong_kind(key, item, "a list of texts");
      result.push_back(*item.value<std::string>());
    }
    return result;
  }

  /// The texts that are codes of assets.
  std::vector<std::string> codes(std::string_view key) const {
    auto result = texts(key);
    for (const auto& code : result) check_name(code, longest_code, place_of(key));
    return result;
  }

  std::optional<std::string> code(std::string_view key) const {
    auto result = text(key);
    if (result) check_name(*result, longest_code, place_of(key));
    return result;
  }

  /// The keys of this table with their values, in the order of the file.
  std::vector<std::pair<std::string, const toml::node*>> entries() const {
    std::vector<std::pair<std::string, const toml::node*>> result;
    for (const auto& [key, node] : table_) {
      check_name(key.str(), longest_name,
                 Where::in_file(path_.string(), node.source().begin.line).with(fmt::format("[{}]", name_)));
      result.emplace_back(std::string(key.str()), &node);
    }
    std::ranges::stable_sort(result, {}, [](const auto& entry) { return entry.second->source().begin.line; });
    return result;
  }

  /// The table inside this one under `key`.
  Section inner(const std::string& key, const toml::node& node) const {
    const std::string full = name_.empty() ? key : fmt::format("{}.{}", name_, key);
    if (!node.is_table()) throw wrong_kind(key, node, fmt::format("a table, [{}]", full));
    return Section(path_, full, *node.as_table());
  }

  InputError wrong_kind(std::string_view key, const toml::node& node, std::string_view wanted) const {
    return InputError(place(key, node), "the value is of another kind", fmt::format("Give {}", wanted));
  }

 private:
  const std::filesystem::path& path_;
  std::string name_;
  const toml::table& table_;
};

PriceField field_in(const Section& section, std::string_view key, const std::string& text) {
  const auto field = field_named(text);
  if (field && *field != PriceField::volume) return *field;
  throw InputError(section.place_of(key), fmt::format("there is no price field '{}'", text),
                   "Give adjusted_close, close, price, open, high or low");
}

void read_universe(const Section& section, const std::filesystem::path& folder, Mandate& mandate) {
  section.allow_only({"prices", "assets", "tags", "identifiers", "benchmark", "current", "currency", "rates",
                      "rate_carry", "align", "short_histories", "drop_misprints", "field", "fields", "actions", "dates",
                      "decimal"});
  const auto path = [&](const char* key, std::optional<std::filesystem::path>& target) {
    if (const auto given = section.text(key)) target = folder / *given;
  };
  path("prices", mandate.prices);
  path("tags", mandate.tags);
  path("identifiers", mandate.identifiers);
  path("rates", mandate.rates);
  path("actions", mandate.actions);
  path("current", mandate.current);
  if (const auto align = section.text("align")) {
    mandate.settings.align = AlignPolicy::parse(*align, section.place_of("align"));
  }
  if (const auto choice = section.text("short_histories")) {
    mandate.settings.short_histories = parse_short_histories(*choice, section.place_of("short_histories"));
  }
  if (const auto dates = section.text("dates")) {
    mandate.style.dates = CsvStyle::parse_dates(*dates, section.place_of("dates"));
  }
  if (const auto decimal = section.text("decimal")) {
    mandate.style.decimal = CsvStyle::parse_decimal(*decimal, section.place_of("decimal"));
  }
  if (const auto field = section.text("field")) {
    mandate.settings.fields.preferred = field_in(section, "field", *field);
    mandate.settings.fields_chosen = true;
  }
  if (const auto* fields = section.find("fields")) {
    const auto inner = section.inner("fields", *fields);
    for (const auto& [asset, node] : inner.entries()) {
      mandate.settings.fields.of_asset[lower_name(asset)] = field_in(inner, asset, *inner.text(asset));
      mandate.settings.fields_chosen = true;
    }
  }
  auto& carry = mandate.settings.rate_carry;
  carry = section.whole_number("rate_carry", "a whole number of days").value_or(carry);
  mandate.settings.drop_misprints = section.yes_or_no("drop_misprints").value_or(false);
  mandate.settings.assets = section.codes("assets");
  mandate.settings.benchmark = section.code("benchmark");
  mandate.settings.currency = section.code("currency");
}

void read_gather(const Section& section, const std::filesystem::path& folder, Mandate& mandate) {
  section.allow_only({"store", "provider", "list"});
  if (const auto store = section.text("store")) mandate.store = folder / *store;
  mandate.provider = section.text("provider");
  mandate.list = section.text("list");
  std::error_code error;  // a file beside the mandate, or the name of a provider's list
  if (mandate.list && std::filesystem::is_regular_file(folder / *mandate.list, error)) {
    mandate.list = (folder / *mandate.list).string();
  }
}

/// How patient a provider's client is.
HttpSettings http_settings(const Section& section, const std::filesystem::path& folder) {
  HttpSettings http;
  http.timeout_seconds = section.number("timeout_seconds").value_or(http.timeout_seconds);
  http.backoff_seconds = section.number("backoff_seconds").value_or(http.backoff_seconds);
  http.requests_per_second = section.number("requests_per_second").value_or(http.requests_per_second);
  http.retries = section.whole_number("retries", "a whole number").value_or(http.retries);
  if (const auto file = section.text("ca_file")) http.ca_file = (folder / *file).string();
  return http;
}

Provider provider_in(const std::string& name, const Section& section, const std::filesystem::path& folder) {
  std::vector<std::string> known = {"url",
                                    "path",
                                    "key_header",
                                    "key_env",
                                    "answer",
                                    "days",
                                    "days_are",
                                    "zone",
                                    "message",
                                    "every",
                                    "from",
                                    "scheme",
                                    "suffix",
                                    "suffixes",
                                    "members_path",
                                    "members",
                                    "dates",
                                    "decimal",
                                    "timeout_seconds",
                                    "backoff_seconds",
                                    "requests_per_second",
                                    "retries",
                                    "ca_file",
                                    "parallel",
                                    "overlap_days"};
  Provider provider{name};
  for (std::size_t k = 0; k < price_fields; ++k) {
    auto key = to_string(PriceField(k));
    std::ranges::replace(key, ' ', '_');
    known.push_back(key);
    provider.fields[k] = section.text(key).value_or("");
  }
  section.allow_only(known);
  const auto text = [&](const char* key, std::string& target) { target = section.text(key).value_or(target); };
  text("url", provider.url);
  text("path", provider.path);
  text("key_header", provider.key_header);
  text("key_env", provider.key_env);
  text("days", provider.days);
  text("zone", provider.zone);
  text("message", provider.message);
  text("every", provider.every);
  text("scheme", provider.scheme);
  text("suffix", provider.suffix);
  text("members_path", provider.members_path);
  text("members", provider.members);
  const auto either = [&](const char* key, const char* usual, const char* other) {
    const auto given = section.text(key).value_or(usual);
    if (given == usual || given == other) return given == other;
    throw InputError(section.place_of(key), fmt::format("'{}' is not offered", given),
                     fmt::format("Give \"{}\" or \"{}\"", usual, other));
  };
  provider.csv = either("answer", "json", "csv");
  provider.seconds = either("days_are", "day", "seconds");
  provider.from = section.day("from");
  if (const auto dates = section.text("dates")) {
    provider.style.dates = CsvStyle::parse_dates(*dates, section.place_of("dates"));
  }
  if (const auto decimal = section.text("decimal")) {
    provider.style.decimal = CsvStyle::parse_decimal(*decimal, section.place_of("decimal"));
  }
  if (const auto* suffixes = section.find("suffixes")) {
    const auto inner = section.inner("suffixes", *suffixes);
    for (const auto& [tag, node] : inner.entries()) provider.suffixes[tag] = *inner.text(tag);
  }
  provider.http = http_settings(section, folder);
  provider.parallel = section.whole_number("parallel", "a whole number").value_or(provider.parallel);
  provider.overlap_days = section.whole_number("overlap_days", "a whole number").value_or(provider.overlap_days);
  provider.check();
  return provider;
}

void read_providers(const Section& section, const std::filesystem::path& folder, Mandate& mandate) {
  for (const auto& [name, node] : section.entries()) {
    mandate.providers.push_back(provider_in(name, section.inner(name, *node), folder));
  }
}

/// Percentages by asset code.
std::map<std::string, double> figures_by_asset(const Section& section, const char* key) {
  std::map<std::string, double> figures;
  const auto* node = section.find(key);
  if (node == nullptr) return figures;
  const auto inner = section.inner(key, *node);
  for (const auto& [asset, value] : inner.entries()) figures[lower_name(asset)] = *inner.percent(asset);
  return figures;
}

void read_methods(const Section& section, const std::filesystem::path& folder, Mandate& mandate) {
  auto& methods = mandate.settings.methods;
  if (const auto text = section.text("expected")) {
    methods.expected = ExpectedMethod::parse(*text, section.place_of("expected"));
  }
  if (const auto text = section.text("covariance")) {
    methods.covariance = CovarianceMethod::parse(*text, section.place_of("covariance"));
  }
  const auto choice = [&](const char* key, const std::vector<std::string>& choices, const char* remedy) {
    const auto text = section.text(key);
    const auto found = text ? find_name(*text, choices) : std::optional<std::size_t>(0);
    if (found) return int(*found);
    throw InputError(section.place_of(key), fmt::format("there is no choice '{}'", *text), remedy);
  };
  methods.denominator =
      Denominator(choice("denominator", {"sample", "population"}, "Give \"sample\" (T-1) or \"population\" (T)"));
  mandate.settings.returns = ReturnKind(choice("returns", {"simple", "log"}, "Give \"simple\" or \"log\""));
  const auto positive = [&](const char* key, double& target) {
    const auto value = section.number(key);
    if (!value) return;
    if (!(*value > 0)) throw InputError(section.place_of(key), "it is not positive", "Give a positive number");
    target = *value;
  };
  positive("risk_aversion", methods.risk_aversion);
  if (section.find("tau") != nullptr) {
    throw InputError(section.place_of("tau"), "it cancels out: the doubt of a view comes from its confidence alone",
                     "Take it out");
  }
  methods.premium = section.percent("premium");
  if (const auto file = section.text("implied_weights")) mandate.implied_weights = folder / *file;
  methods.own = figures_by_asset(section, "own");
  methods.caps = figures_by_asset(section, "caps");
}

void read_views(const Section& section, Mandate& mandate) {
  for (const auto& [name, node] : section.entries()) {
    const auto view = section.inner(name, *node);
    view.allow_only({"says", "confidence"});
    const auto says = view.text("says");
    if (!says) {
      throw InputError(view.place("says", *node), "the key is missing", "Give says = \"KELPFARM = 8%\"");
    }
    mandate.settings.methods.views.push_back(View::parse(*says, name, view.percent("confidence").value_or(0.5)));
  }
}

void read_estimate(const Section& section, const std::filesystem::path& folder, Mandate& mandate) {
  section.allow_only({"every", "periods_per_year", "from", "to", "last_period", "risk_free", "returns", "expected",
                      "covariance", "denominator", "premium", "risk_aversion", "tau", "implied_weights", "own",
                      "caps"});
  read_methods(section, folder, mandate);
  mandate.settings.periods_per_year = section.number("periods_per_year");
  if (mandate.settings.periods_per_year &&
      !(*mandate.settings.periods_per_year > 0 && *mandate.settings.periods_per_year <= 1e5)) {
    throw InputError(section.place_of("periods_per_year"), "it is no count of periods", "Give for example 252");
  }
  if (const auto every = section.text("every")) {
    mandate.settings.every = Interval::parse(*every, section.place_of("every"));
  }
  if (const auto last = section.text("last_period")) {
    const std::vector<std::string> choices = {"drop", "keep"};
    const auto found = find_name(*last, choices);
    if (!found) {
      throw InputError(section.place_of("last_period"), fmt::format("there is no choice '{}'", *last),
                       "Give \"drop\" or \"keep\"");
    }
    mandate.settings.keep_last_period = *found == 1;
  }
  mandate.settings.from = section.day("from");
  mandate.settings.to = section.day("to");
  mandate.settings.risk_free = section.percent("risk_free");
}

void read_limits(const Section& section, Mandate& mandate) {
  for (const auto& [name, node] : section.entries()) {
    const auto text = section.text(name);
    try {
      mandate.settings.limits.push_back(Limit::parse(*text, name));
    } catch (const InputError& error) {
      auto notice = error.notice();  // it has the limit
      notice.where.file = section.place(name, *node).file;
      notice.where.line = section.place(name, *node).line;
      throw InputError(std::move(notice));
    }
  }
}

void read_costs(const Section& section, Mandate& mandate) {
  for (const auto& [name, node] : section.entries()) {
    const auto cost = section.inner(name, *node);
    cost.allow_only({"bps", "buy_bps", "sell_bps"});
    const double both = cost.number("bps").value_or(0);
    mandate.settings.costs.push_back(
        {name, cost.number("buy_bps").value_or(both), cost.number("sell_bps").value_or(both)});
  }
}

void read_schedules(const Section& section, Mandate& mandate) {
  for (const auto& [name, node] : section.entries()) {
    const auto schedule = section.inner(name, *node);
    schedule.allow_only({"check"});
    const auto check = schedule.text("check");
    if (!check) {
      throw InputError(schedule.place("check", *node), "the key is missing",
                       "Give check = \"1m\", \"1q\", \"1y\" or \"never\"");
    }
    auto parsed = Schedule::parse(*check, schedule.place("check", *schedule.find("check")));
    parsed.name = name;
    mandate.settings.schedules.push_back(parsed);
  }
}

void read_rehearsal(const Section& section, Mandate& mandate) {
  section.allow_only({"split", "wealth", "delay", "aims"});
  mandate.settings.split = section.day("split");
  auto& settings = mandate.settings;
  settings.wealth = section.number("wealth").value_or(settings.wealth);
  settings.delay = section.whole_number("delay", "a whole number of trading days").value_or(settings.delay);
  for (const auto& aim : section.texts("aims")) {
    mandate.settings.aims.push_back(Aim::parse(aim, section.place("aims", *section.find("aims"))));
  }
}

}  // namespace

namespace {

/// The reader goes down one call a level: what is nested without end would end the program. Keys with dots nest too.
void check_depth(const std::filesystem::path& path, const std::string& content) {
  std::istringstream lines(content);
  std::size_t number = 0;
  for (std::string line; std::getline(lines, line);) {
    ++number;
    const auto key = std::string_view(line).substr(0, line.find('='));
    const bool dotted = std::ranges::count(key, '.') > deepest_level;
    if (!dotted && !is_too_deep(line)) continue;
    throw InputError(Where::in_file(path.string(), number),
                     fmt::format("it is nested more than {} levels deep", deepest_level), "Correct it there");
  }
  if (!is_too_deep(content)) return;
  throw InputError(Where::in_file(path.string()), fmt::format("it is nested more than {} levels deep", deepest_level),
                   "Correct it there");
}

}  // namespace

Mandate read_mandate(const std::filesystem::path& path) {
  const auto content = exchange::read_text_file(path);
  check_depth(path, content);
  toml::table root;
  try {
    root = toml::parse(content, path.string());
  } catch (const toml::parse_error& error) {
    throw InputError(
        Where::in_file(path.string(), error.source().begin.line, std::to_string(error.source().begin.column)),
        std::string(error.description()), "Check the TOML there");
  }
  const std::vector<std::string> known = {"universe", "gather", "providers", "estimate", "views",
                                          "limits",   "costs",  "schedules", "rehearsal"};
  const Section top(path, "", root);
  top.allow_only(known);
  Mandate mandate;
  for (const auto& [name, node] : top.entries()) {
    const auto section = top.inner(name, *node);
    if (name == "universe") read_universe(section, path.parent_path(), mandate);
    if (name == "gather") read_gather(section, path.parent_path(), mandate);
    if (name == "providers") read_providers(section, path.parent_path(), mandate);
    if (name == "estimate") read_estimate(section, path.parent_path(), mandate);
    if (name == "views") read_views(section, mandate);
    if (name == "limits") read_limits(section, mandate);
    if (name == "costs") read_costs(section, mandate);
    if (name == "schedules") read_schedules(section, mandate);
    if (name == "rehearsal") read_rehearsal(section, mandate);
  }
  return mandate;
}

}  // namespace inchtide
