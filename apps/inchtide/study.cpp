#include "study.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <chrono>
#include <exception>
#include <limits>
#include <map>
#include <numeric>
#include <set>

#include "checks.hpp"
#include "footing.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/exchange/estimate_file.hpp"
#include "inchtide/exchange/tables_csv.hpp"
#include "inchtide/returns/figures.hpp"
#include "inchtide/weights/adjust.hpp"

namespace inchtide::app {
namespace {

std::vector<std::string> codes_of(const std::vector<PriceHistory>& histories) {
  std::vector<std::string> codes;
  for (const auto& history : histories) codes.push_back(history.asset);
  return codes;
}

// The base currency: as chosen, else the only one there is.
std::optional<std::string> base_currency(const exchange::Mandate& mandate, const std::vector<PriceHistory>& histories) {
  if (mandate.currency) return mandate.currency;
  std::set<std::string> seen;
  for (const auto& history : histories) {
    if (!history.currency.empty()) seen.insert(history.currency);
  }
  if (seen.size() > 1) {
    throw InputError("currency", fmt::format("the tags name several: {}", fmt::join(seen, ", ")),
                     "Choose the base one with --currency");
  }
  return seen.empty() ? std::nullopt : std::optional(*seen.begin());
}

// Checks that every asset asked for has prices.
void check_known(const std::vector<std::string>& asked, const std::vector<std::string>& known, const char* where) {
  for (const auto& code : asked) {
    if (!find_name(code, known))
      throw InputError(where, fmt::format("no prices of '{}'", code), did_you_mean(code, known));
  }
}

// A rate is good for this many calendar days after its own, unless the mandate says otherwise.
constexpr int usual_rate_carry = 5;

bool is_foreign(const PriceHistory& history, const exchange::Mandate& mandate) {
  return mandate.currency && !history.currency.empty() && !same_name(history.currency, *mandate.currency);
}

// Works splits and dividends into closes, where the mandate names a file of them. An asset that the file doesn't name
// had none.
void adjust(Study& study, std::vector<PriceHistory>& all, const std::vector<std::string>& known) {
  if (!study.mandate.actions) return;
  const auto actions = exchange::read_actions(*study.mandate.actions, study.mandate.style);
  std::set<std::string> unknown;
  for (const auto& action : actions) {
    if (!find_name(action.asset, known)) unknown.insert(action.asset);
  }
  if (!unknown.empty()) {
    study.warnings.push_back(
        fmt::format("{} names assets without prices: {}", study.mandate.actions->string(), fmt::join(unknown, ", ")));
  }
  for (auto& history : all) {
    if (history.field != PriceField::close && history.field != PriceField::price) continue;
    auto result = adjusted_by(history, actions);
    history = result.history;
    study.adjusted.push_back(std::move(result));
  }
}

// Returns across assets whose prices hold different things aren't comparable.
void warn_of_fields(Study& study) {
  std::map<PriceField, std::vector<std::string>> by_field;
  std::vector<std::string> stand_ins;
  for (const auto& asset : study.prices.assets) {
    by_field[asset.field].push_back(asset.code);
    const bool adjusted =
        std::ranges::any_of(study.adjusted, [&](const auto& a) { return a.history.asset == asset.code; });
    if (study.mandate.fields_chosen && asset.field != study.mandate.fields.wanted(asset.code) && !adjusted) {
      stand_ins.push_back(fmt::format("{} ({} for {})", asset.code, to_string(asset.field),
                                      to_string(study.mandate.fields.wanted(asset.code))));
    }
  }
  if (!stand_ins.empty()) {
    study.warnings.push_back(
        fmt::format("Another field than the one chosen is used where that is missing: {}", fmt::join(stand_ins, ", ")));
  }
  if (by_field.size() < 2) return;
  std::vector<std::string> kinds;
  for (const auto& [field, assets] : by_field) {
    kinds.push_back(assets.size() > 6 ? fmt::format("{} of {} assets", to_string(field), assets.size())
                                      : fmt::format("{} of {}", to_string(field), fmt::join(assets, ", ")));
  }
  study.warnings.push_back(
      fmt::format("Prices of different kinds meet: {}. Only adjusted closes have dividends and "
                  "splits in them",
                  fmt::join(kinds, "; ")));
}

// Sorts histories into universe, benchmark and those left out for their currency.
void pick_assets(Study& study, std::vector<PriceHistory> all) {
  auto& mandate = study.mandate;
  const auto codes = codes_of(all);
  auto known = codes;
  for (const auto& [asset, why] : study.passed_over) {
    known.push_back(asset);
    if (mandate.benchmark && same_name(asset, *mandate.benchmark)) throw InputError(why);
  }
  check_known(mandate.assets, known, "assets");
  if (mandate.benchmark) check_known({*mandate.benchmark}, codes, "benchmark");
  std::erase_if(all, [&](const PriceHistory& history) {
    const bool is_benchmark = mandate.benchmark && same_name(history.asset, *mandate.benchmark);
    return !is_benchmark && !mandate.assets.empty() && !find_name(history.asset, mandate.assets);
  });
  adjust(study, all, codes);
  for (auto& history : all) {
    history.calendar = history.currency = study.tags.value(history.asset, "currency").value_or("");
    for (const auto& spike : mandate.drop_misprints ? drop_spikes(history) : find_spikes(history)) {
      study.misprints.emplace_back(history.asset, spike);
    }
  }
  mandate.currency = base_currency(mandate, all);

  if (mandate.rates) {
    study.rates = exchange::read_rates(*mandate.rates, mandate.currency.value_or(""), mandate.style);
  }
  std::optional<PriceHistory> benchmark;
  for (auto& history : all) {
    const bool is_benchmark = mandate.benchmark && same_name(history.asset, *mandate.benchmark);
    if (is_foreign(history, mandate)) {
      if (!mandate.rates && !is_benchmark) {
        study.left_out.push_back(fmt::format("{} ({})", history.asset, history.currency));
        continue;
      }
      study.conversions.push_back(
          convert(history, *mandate.currency, study.rates, mandate.rate_carry.value_or(usual_rate_carry)));
      history = study.conversions.back().history;
    }
    if (is_benchmark) {
      benchmark = std::move(history);
      continue;
    }
    study.histories.push_back(std::move(history));
  }
  for (const auto& history : study.histories) {
    if (history.days.size() > 1) continue;
    throw InputError(Where::of_asset(history.asset),
                     fmt::format("it holds a single price, on {}", to_string(history.days.front())),
                     "Give at least two days, or leave the asset out with --assets");
  }
  if (study.histories.empty()) {
    if (!study.passed_over.empty()) throw InputError(study.passed_over.front().second);
    throw InputError("assets", "none is left to look at", "Check --assets and --currency");
  }
  if (benchmark) {
    study.benchmark = benchmark->asset;
    if (find_name(benchmark->asset, mandate.assets)) {
      study.warnings.push_back(fmt::format(
          "{} is the benchmark and is compared with, so it is taken from among the assets", benchmark->asset));
    }
    study.histories.push_back(std::move(*benchmark));
  }
  if (!study.left_out.empty()) {
    study.warnings.push_back({{},
                              fmt::format("Left out, because they are priced in another currency than {} and no rates "
                                          "were given: {}",
                                          *mandate.currency, fmt::join(study.left_out, ", ")),
                              {{Means::rates, "Give rates"}}});
  }
}

// All but the benchmark, which comes last.
std::vector<PriceHistory> universe_of(const Study& study) {
  return {study.histories.begin(), study.histories.end() - (study.benchmark ? 1 : 0)};
}

// Leaves short histories out, keeps them with holes, or lets them shorten the window, as chosen.
AlignPolicy meet_short_histories(Study& study) {
  auto policy = study.mandate.align.value_or(AlignPolicy{});
  const auto deciding = universe_of(study);
  const auto brief = short_histories(deciding);
  study.short_histories = study.mandate.short_histories.value_or(ShortHistories::shorten);
  if (brief.empty()) return policy;
  study.short_effects = effects_on_rows(deciding, policy);
  policy.keep_short_histories = study.short_histories == ShortHistories::keep;
  if (study.short_histories != ShortHistories::leave_out) return policy;
  std::vector<std::string> gone;
  for (auto at = brief.rbegin(); at != brief.rend(); ++at) {
    const auto& code = study.histories[*at].asset;
    gone.insert(gone.begin(), code);
    study.histories.erase(study.histories.begin() + std::ptrdiff_t(*at));
  }
  if (study.histories.size() == (study.benchmark ? 1u : 0u)) {
    throw InputError("short histories", "leaving them out leaves no asset", "Choose --short-histories shorten or keep");
  }
  study.warnings.push_back(fmt::format("Left out for their short histories, as chosen: {}", fmt::join(gone, ", ")));
  return policy;
}

// The window: from and to, a span before the last priced day, or a number of trading days.
PriceTable in_window(const PriceTable& table, const Study& study) {
  const auto& options = study.options;
  auto from = study.mandate.from;
  const auto until = table.between(std::nullopt, study.mandate.to);
  if (!options.last.empty()) {
    from = window_start(until, Interval::parse(options.last, "--last"), study.every(), study.mandate.keep_last_period);
  }
  if (!options.trading_days) return table.between(from, study.mandate.to);
  const auto cut = table.between(from, std::nullopt);
  const auto count = std::size_t(*options.trading_days);
  if (cut.rows() < count) {
    throw InputError(
        "--trading-days", fmt::format("{} were asked for, {} are there", count, cut.rows()),
        fmt::format("The prices run from {} to {}", to_string(cut.days.front()), to_string(cut.days.back())));
  }
  return from ? cut.between(std::nullopt, cut.days[count - 1])
              : cut.between(cut.days[cut.rows() - count], std::nullopt);
}

// Whatever the days are that prices are put side by side on, shortening is to the window that all have.
PriceTable shortened(const Study& study, const AlignPolicy& policy) {
  if (policy.kind != AlignPolicy::Kind::any || study.short_histories != ShortHistories::shorten) {
    return study.aligned.table;
  }
  Day from = study.aligned.table.days.front(), to = study.aligned.table.days.back();
  for (const auto& history : universe_of(study)) {
    from = std::max(from, history.days.front());
    to = std::min(to, history.days.back());
  }
  return from > to ? study.aligned.table : study.aligned.table.between(from, to);
}

std::optional<Day> day_option(const std::string& text, const char* name) {
  if (text.empty()) return std::nullopt;
  return day_from(text, name);
}

// Limits on assets that the mandate knows but this run left out are passed over, with a warning.
Limits limits_on(const std::vector<std::string>& assets, const exchange::Mandate& mandate, const Options& options,
                 std::vector<Notice>& warnings, const std::vector<std::string>& known_elsewhere) {
  Limits limits;
  if (!options.no_limits) {
    for (const auto& limit : mandate.limits) {
      const auto asset = limit.asset();
      if (!asset.empty() && !find_name(asset, assets) && find_name(asset, known_elsewhere)) {
        warnings.push_back(
            fmt::format("Limit {} '{}' is passed over: {} is not among the assets", limit.name, limit.text, asset));
        continue;
      }
      limits.push_back(limit);
    }
  }
  for (const auto& text : options.limits) limits.push_back(Limit::parse(text));
  return limits;
}

Eigen::VectorXd weights_for(const std::vector<std::string>& assets, const exchange::WeightList& list,
                            const std::string& file) {
  Eigen::VectorXd weights = Eigen::VectorXd::Zero(Eigen::Index(assets.size()));
  for (std::size_t k = 0; k < list.assets.size(); ++k) {
    const auto found = find_name(list.assets[k], assets);
    if (!found) {
      throw InputError(file, fmt::format("no asset of the estimate has the code '{}'", list.assets[k]),
                       did_you_mean(list.assets[k], assets));
    }
    weights[Eigen::Index(*found)] = list.weights[k];
  }
  return weights;
}

Choice finish_choice(Choice choice, const exchange::Mandate& mandate, const Options& options,
                     const std::vector<std::string>& known_elsewhere) {
  if (choice.estimate.returns == ReturnKind::log) {
    choice.estimate = simple_from_log(choice.estimate);
    choice.warnings.push_back(
        "The estimate is of log returns. Portfolios add up simple ones, so it is converted, exact where a year's "
        "growth "
        "is lognormal: E = exp(m + s/2) - 1 of mean m and variance s, covariance (1 + E)(1 + E')(exp(c) - 1)");
  }
  choice.risk_free = mandate.risk_free.value_or(choice.estimate.risk_free);
  choice.estimate.risk_free = choice.risk_free;
  choice.limits = limits_on(choice.estimate.assets, mandate, options, choice.warnings, known_elsewhere);
  if (mandate.current) {
    const auto lists = exchange::read_weights(*mandate.current);
    choice.facts.current = weights_for(choice.estimate.assets, lists.front(), mandate.current->string());
    choice.inputs["current"] = mandate.current->string();
    if (!mandate.costs.empty()) {
      const auto rates = cost_rates(mandate.costs, choice.estimate.assets, choice.facts.tags);
      const auto values = [](const std::vector<double>& list) {
        return Eigen::Map<const Eigen::VectorXd>(list.data(), Eigen::Index(list.size()));
      };
      choice.facts.costs = TradingCosts{choice.facts.current, values(rates.buy), values(rates.sell), options.horizon};
    }
  }
  std::vector<std::string> texts;
  for (const auto& limit : choice.limits) texts.push_back(limit.text);
  choice.inputs["limits"] = texts;
  choice.inputs["risk_free"] = choice.risk_free;
  return choice;
}

}  // namespace

PriceHistory Study::in_currency(PriceHistory history) const {
  if (!is_foreign(history, mandate)) return history;
  return convert(history, *mandate.currency, rates, mandate.rate_carry.value_or(usual_rate_carry)).history;
}

report::Json Study::inputs() const {
  report::Json inputs;
  if (!options.mandate.empty()) inputs["mandate"] = options.mandate;
  inputs["prices"] = mandate.prices->string();
  inputs["assets"] = universe;
  inputs["benchmark"] = benchmark ? report::Json(*benchmark) : report::Json();
  inputs["left_out"] = left_out;
  if (!passed_over.empty()) {
    auto list = report::Json::array();
    for (const auto& [asset, why] : passed_over) list.push_back({{"asset", asset}, {"error", why.text(options.spelt)}});
    inputs["passed_over"] = list;
  }
  inputs["from"] = to_string(prices.days.front());
  inputs["to"] = to_string(prices.days.back());
  inputs["every"] = every().text();
  inputs["drop_misprints"] = mandate.drop_misprints;
  inputs["align"] = mandate.align.value_or(AlignPolicy{}).text();
  inputs["short_histories"] = to_string(short_histories);
  inputs["last_period"] = mandate.keep_last_period ? "keep" : "drop";
  if (mandate.currency) inputs["currency"] = *mandate.currency;
  return inputs;
}

PriceField field_of(const std::string& name, const char* option) {
  if (const auto field = field_named(name)) return *field;
  std::vector<std::string> names = {"adjusted"};
  for (std::size_t k = 0; k < price_fields; ++k) names.push_back(to_string(PriceField(k)));
  throw InputError(option, fmt::format("there is no field '{}'", name), did_you_mean(name, names));
}

namespace {

// `KELPFARM=6%`.
void take_own_figure(exchange::Mandate& mandate, const std::string& text) {
  const auto equals = text.find('=');
  if (equals == std::string::npos) {
    throw InputError("--own", fmt::format("'{}' names no figure", text), "Write it like KELPFARM=6%");
  }
  mandate.methods.own[lower_name(text.substr(0, equals))] = fraction_from_percent(text.substr(equals + 1), "--own");
}

// `close`, or `KELPFARM=close` for one asset.
void choose_field(exchange::Mandate& mandate, const std::string& text) {
  const auto equals = text.find('=');
  const auto field = field_of(equals == std::string::npos ? text : text.substr(equals + 1), "--field");
  if (field == PriceField::volume) throw InputError("--field", "a volume is no price", "Give close or adjusted");
  mandate.fields_chosen = true;
  if (equals == std::string::npos) {
    mandate.fields.preferred = field;
  } else {
    mandate.fields.of_asset[lower_name(text.substr(0, equals))] = field;
  }
}

}  // namespace

exchange::Mandate mandate_of(const Options& options) {
  check_ranges(options);
  exchange::Mandate mandate;
  if (!options.mandate.empty()) mandate = exchange::read_mandate(options.mandate);
  if (!options.prices.empty()) mandate.prices = options.prices;
  if (!options.tags.empty()) mandate.tags = options.tags;
  if (!options.current.empty()) mandate.current = options.current;
  if (!options.assets.empty()) mandate.assets = options.assets;
  if (!options.benchmark.empty()) mandate.benchmark = options.benchmark;
  if (!options.currency.empty()) mandate.currency = options.currency;
  if (!options.rates.empty()) mandate.rates = options.rates;
  if (!options.actions.empty()) mandate.actions = options.actions;
  if (!options.identifiers.empty()) mandate.identifiers = options.identifiers;
  if (!options.short_histories.empty()) {
    mandate.short_histories = parse_short_histories(options.short_histories, "--short-histories");
  }
  if (!options.dates.empty()) mandate.style.dates = exchange::CsvStyle::parse_dates(options.dates, "--dates");
  if (!options.decimal.empty()) mandate.style.decimal = exchange::CsvStyle::parse_decimal(options.decimal, "--decimal");
  for (const auto& text : options.field) choose_field(mandate, text);
  if (!options.last_period.empty()) mandate.keep_last_period = options.last_period == "keep";
  if (!options.expected.empty()) mandate.methods.expected = ExpectedMethod::parse(options.expected, "--expected");
  if (!options.covariance.empty()) {
    mandate.methods.covariance = CovarianceMethod::parse(options.covariance, "--covariance");
  }
  if (!options.denominator.empty()) {
    mandate.methods.denominator = options.denominator == "sample" ? Denominator::sample : Denominator::population;
  }
  if (!options.returns.empty()) {
    mandate.returns = options.returns == "simple" ? ReturnKind::simple : ReturnKind::log;
  }
  for (const auto& text : options.own) take_own_figure(mandate, text);
  if (!options.store.empty()) mandate.store = options.store;
  if (!options.provider.empty()) mandate.provider = options.provider;
  if (!options.align.empty()) mandate.align = AlignPolicy::parse(options.align, "--align");
  mandate.drop_misprints = mandate.drop_misprints || options.drop_misprints;
  if (!options.every.empty()) mandate.every = Interval::parse(options.every, "--every");
  if (options.periods_per_year) mandate.periods_per_year = options.periods_per_year;
  if (!options.last.empty()) mandate.from.reset();
  if (const auto day = day_option(options.from, "--from")) mandate.from = day;
  if (const auto day = day_option(options.to, "--to")) mandate.to = day;
  if (const auto day = day_option(options.split, "--split")) mandate.split = day;
  if (!options.risk_free.empty()) mandate.risk_free = fraction_from_percent(options.risk_free, "--risk-free");
  if (options.wealth) mandate.wealth = options.wealth;
  if (options.delay) mandate.delay = options.delay;
  if (!options.aims.empty() || !options.weights.empty()) mandate.aims.clear();
  for (const auto& aim : options.aims) mandate.aims.push_back(Aim::parse(aim, "--aim"));
  if (!options.schedules.empty()) mandate.schedules.clear();
  for (const auto& schedule : options.schedules) mandate.schedules.push_back(Schedule::parse(schedule, "--schedule"));
  if (!options.costs.empty()) mandate.costs.clear();
  for (const auto& cost : options.costs) mandate.costs.push_back(CostClass::parse(cost, "--cost"));
  check_outputs(options, mandate);
  return mandate;
}

namespace {

// All fields of every asset. In a folder one bad file, link or folder costs no other file.
std::vector<BarHistory> read_bars(Study& study, const exchange::PriceReading& reading) {
  const auto& path = *study.mandate.prices;
  std::error_code unknown;
  if (!std::filesystem::is_directory(path, unknown)) return exchange::read_bars(path, reading);
  auto read = exchange::read_bars_listing_failures(path, reading);
  study.passed_over = std::move(read.failures);
  return std::move(read.bars);
}

// The field of each asset that prices are made from; one of which a folder holds nothing of use is passed over.
std::vector<PriceHistory> usable_histories(Study& study, const std::vector<BarHistory>& bars,
                                           const exchange::PriceReading& reading) {
  std::vector<PriceHistory> histories;
  for (const auto& one : bars) {
    try {
      auto history = one.history(reading.fields.pick(one.asset, one.fields_held()));
      if (history.days.size() < 2 && bars.size() > 1) {
        throw InputError(Where::of_asset(one.asset),
                         fmt::format("it holds a single price, on {}", to_string(history.days.front())),
                         "Give at least two days");
      }
      histories.push_back(std::move(history));
    } catch (const InputError& useless) {
      if (bars.size() == 1) throw;
      study.passed_over.emplace_back(one.asset, useless.notice());
    }
  }
  // What nobody asked for is not missed.
  const auto& mandate = study.mandate;
  std::erase_if(study.passed_over, [&](const auto& passed) {
    const bool is_benchmark = mandate.benchmark && same_name(passed.first, *mandate.benchmark);
    return !is_benchmark && !mandate.assets.empty() && !find_name(passed.first, mandate.assets);
  });
  if (histories.empty() && !study.passed_over.empty()) throw InputError(study.passed_over.front().second);
  for (const auto& [asset, why] : study.passed_over) {
    study.warnings.push_back(why.led_by(asset + " is passed over"));
  }
  return histories;
}

}  // namespace

Study load_study(const Options& options, Load load) {
  Study study;
  study.options = options;
  study.mandate = mandate_of(options);
  if (!study.mandate.prices) {
    throw InputError("prices", "none were given", "Give --prices PATH, or --mandate FILE with [universe] prices");
  }
  if (study.mandate.tags) study.tags = exchange::read_tags(*study.mandate.tags);
  const exchange::PriceReading reading{study.mandate.style, study.mandate.fields, {}, options.threads};
  auto bars = read_bars(study, reading);
  pick_assets(study, usable_histories(study, bars, reading));
  const auto policy = meet_short_histories(study);
  study.aligned = align(study.histories, policy, study.benchmark ? 1 : 0);
  for (const auto& history : study.histories) {
    if (study.benchmark != history.asset) study.universe.push_back(history.asset);
    for (auto& one : bars) {
      if (one.asset == history.asset) study.bars.push_back(std::move(one));
    }
  }
  study.prices = in_window(shortened(study, policy), study);
  if (!options.last.empty()) {
    const auto& all = study.aligned.table.days;
    if (Interval::parse(options.last, "--last").before(all.back()) < all.front() - std::chrono::days{7}) {
      study.warnings.push_back(fmt::format("--last {} reaches before {}, where the prices begin; all are used",
                                           options.last, to_string(all.front())));
    }
  }
  if (load == Load::for_returns) settle_interval(study);
  for (const auto& line :
       {line_on_the_window(study), options.look_at_findings ? std::string() : line_on_findings(study)}) {
    if (!line.empty()) study.warnings.push_back(line);
  }
  warn_of_fields(study);
  return study;
}

ReturnTable returns_of(Study& study, const std::vector<std::string>& assets, std::optional<Day> before) {
  auto table = study.prices.only(assets);
  if (before) table = table.between(std::nullopt, *before - std::chrono::days{1});
  const auto ends = period_ends(table, study.every(), study.mandate.keep_last_period);
  if (!ends.last_kept) {
    study.warnings.push_back(fmt::format("The last {} had not ended on {}, so it is not used", study.every().words(),
                                         to_string(table.days.back())));
  } else if (ends.last_unfinished) {
    study.warnings.push_back(fmt::format("The last {} had not ended on {}, and is used as it stands, as chosen",
                                         study.every().words(), to_string(table.days.back())));
  }
  auto returns = inchtide::returns_of(ends.table, study.every(), study.mandate.returns);
  if (study.mandate.periods_per_year) returns.periods_per_year = *study.mandate.periods_per_year;
  return returns;
}

StudyReturns estimation_returns(Study& study, std::optional<Day> before) {
  auto assets = study.universe;
  if (study.benchmark) assets.push_back(*study.benchmark);
  auto both = returns_of(study, assets, before);
  const Eigen::Index followers = study.benchmark ? 1 : 0;
  if (!study.options.pairwise) both = both.at_common_ends(followers);
  if (const auto many = both.long_rows(); many > 0 && !study.options.pairwise) {
    study.warnings.push_back(fmt::format("{} of {} returns span several {}s, and count as many", many,
                                         both.observations(), study.every().words()));
  }
  std::vector<Eigen::Index> own(study.universe.size());
  std::iota(own.begin(), own.end(), Eigen::Index(0));
  StudyReturns result{both.columns(own), {}};
  if (!study.benchmark) return result;
  // Only returns over the same days as the assets' count beside them.
  const auto last = both.returns.cols() - 1;
  result.benchmark = both.returns.col(last);
  for (Eigen::Index t = 0; t < both.spans.rows(); ++t) {
    if (both.spans(t, last) != both.spans(t, 0)) result.benchmark[t] = std::numeric_limits<double>::quiet_NaN();
  }
  return result;
}

PriceTable walk_of(Study& study) {
  const auto followers = std::size_t(study.benchmark ? 1 : 0);
  auto walk = align(study.histories, {}, followers).table.between(std::nullopt, study.mandate.to);
  if (!study.benchmark) return walk;
  const auto last = walk.prices.cols() - 1;
  std::size_t carried = 0;
  for (Eigen::Index t = 1; t < walk.prices.rows(); ++t) {
    if (std::isfinite(walk.prices(t, last)) || !std::isfinite(walk.prices(t - 1, last))) continue;
    walk.prices(t, last) = walk.prices(t - 1, last);
    ++carried;
  }
  if (carried > 0) {
    study.warnings.push_back(fmt::format("{} has no price on {} of the days of the walk: its last one counts there",
                                         *study.benchmark, carried));
  }
  return walk;
}

EstimateOptions methods_of(const Study& study) {
  auto methods = study.mandate.methods;
  methods.risk_free = study.mandate.risk_free.value_or(0);
  if (study.mandate.implied_weights) {
    const auto lists = exchange::read_weights(*study.mandate.implied_weights);
    methods.implied_weights = weights_for(study.universe, lists.front(), study.mandate.implied_weights->string());
  }
  return methods;
}

Choice choice_of(Study& study, std::optional<Day> before) {
  Choice choice;
  const auto returns = estimation_returns(study, before);
  choice.methods = methods_of(study);
  choice.estimated = estimate_by(returns.universe, choice.methods, returns.benchmark);
  choice.returns = returns.universe;
  choice.estimate = choice.estimated.estimate;
  choice.inputs = study.inputs();
  if (before) choice.inputs["split"] = to_string(*before);
  auto known = study.tags.assets;
  for (const auto& history : study.histories) known.push_back(history.asset);
  for (const auto& passed : study.passed_over) known.push_back(passed.first);
  choice.facts.tags = study.tags;
  if (study.benchmark && study.mandate.returns == ReturnKind::simple) {
    choice.facts.benchmark = benchmark_risk(returns.universe, returns.benchmark, study.mandate.methods.denominator);
  }
  choice = finish_choice(std::move(choice), study.mandate, study.options, known);
  choice.warnings.insert(choice.warnings.begin(), study.warnings.begin(), study.warnings.end());
  if (choice.estimate.rows_dropped > 0) {
    choice.warnings.push_back(
        fmt::format("{} of {} periods are left out of the estimate: the benchmark has no return there",
                    choice.estimate.rows_dropped, choice.estimate.rows_dropped + choice.estimate.observations));
  }
  // Too few returns for a covariance is a warning everywhere; the rest of the advice is for `estimate`.
  if (choice.estimate.observations <= std::size_t(choice.estimate.size())) {
    choice.warnings.insert(choice.warnings.end(), choice.estimated.advice.begin(), choice.estimated.advice.end());
  }
  choice.inputs["expected"] = study.mandate.methods.expected.text();
  choice.inputs["covariance"] = study.mandate.methods.covariance.text();
  return choice;
}

Choice load_choice(const Options& options) {
  if (options.estimate.empty()) {
    auto study = load_study(options);
    return choice_of(study, day_option(options.split, "--split"));
  }
  const auto mandate = mandate_of(options);
  Choice choice;
  choice.estimate = exchange::read_estimate(options.estimate);
  choice.inputs["estimate"] = options.estimate;
  if (!options.mandate.empty()) choice.inputs["mandate"] = options.mandate;
  choice.inputs["assets"] = choice.estimate.assets;
  if (mandate.tags) choice.facts.tags = exchange::read_tags(*mandate.tags);
  const auto known = choice.facts.tags.assets;
  return finish_choice(std::move(choice), mandate, options, known);
}

ChoiceOptions choice_options(const Options& options) {
  ChoiceOptions search;
  search.borrowing = options.borrowing;
  if (!options.gap.empty()) search.gap = fraction_from_percent(options.gap, "--gap");
  const auto begin = std::chrono::steady_clock::now();
  search.should_stop = [begin, patience = options.patience] {
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count() > patience;
  };
  return search;
}

namespace {

// Aims that can count what trading costs.
bool counts_costs(const Aim& aim) {
  using Kind = Aim::Kind;
  return aim.kind == Kind::maximum_sharpe || aim.kind == Kind::utility || aim.kind == Kind::target_return ||
         aim.kind == Kind::target_volatility;
}

// Collects portfolios, and the aims that have none.
class Choosing {
 public:
  template <typename Choose>
  void add(const std::string& name, const Aim& aim, Choose choose) {
    try {
      chosen.portfolios.push_back(choose());
      chosen.portfolios.back().name = name;
      return;
    } catch (const UnsolvedProblem& unsolved) {
      keep({name, aim.text(), unsolved.notice(), unsolved.problem()});
    } catch (const InputError& error) {
      keep({name, aim.text(), error.notice(), std::nullopt});
    } catch (const UncertifiedAnswer& error) {
      keep({name, aim.text(), error.notice(), std::nullopt});
    }
  }

  void check_any() const {
    if (chosen.portfolios.empty() && first_) std::rethrow_exception(first_);
  }

  Chosen chosen;

 private:
  void keep(Unanswered aim) {  // while its exception is being handled
    chosen.unanswered.push_back(std::move(aim));
    if (!first_) first_ = std::current_exception();
  }

  std::exception_ptr first_;
};

// The frontier without costs, which knows what trading costs all the same.
Frontier trace_before_costs(const Choice& choice) {
  auto facts = choice.facts;
  facts.costs_count = false;
  return trace_frontier(choice.estimate, choice.limits, facts);
}

// The same aims with the cost of trading from the current weights taken off the return and the budget.
void choose_after_costs(const Choice& choice, const std::vector<Aim>& aims, const Options& options,
                        Choosing& choosing) {
  if (!choice.facts.costs) {
    throw InputError("--after-costs", "it needs the weights held now and the costs of trading",
                     "Give --current FILE, and --cost 10bp or a mandate with costs");
  }
  const auto bounds = bounds_of(choice.limits, choice.estimate.assets, choice.facts);
  if (bounds.tracking_error || bounds.holdings || bounds.held) {
    throw InputError("--after-costs", "it does not go with limits on tracking error or on positions",
                     "Drop those limits, or choose before costs");
  }
  std::optional<Frontier> frontier;
  for (const auto& aim : aims) {
    if (!counts_costs(aim)) continue;
    choosing.add(aim.text() + " after costs", aim, [&] {
      if (!frontier) frontier = trace_frontier(choice.estimate, choice.limits, choice.facts);
      auto allocation = choose(*frontier, aim, choice.risk_free, choice_options(options));
      const double years = options.horizon;
      allocation.notes.push_back(fmt::format("Trading there costs {} of wealth once, spread over {:g} year{}",
                                             percent_text(*allocation.trading_cost, 3), years, years == 1 ? "" : "s"));
      return allocation;
    });
  }
}

// Weights that break limits, once more moved inside; all, once more in whole steps.
void adjust_allocations(const Choice& choice, const Options& options, std::vector<Allocation>& allocations) {
  const auto again = [&](const Allocation& from, const Eigen::VectorXd& weights, const char* how) {
    auto changed = evaluate(choice.estimate, choice.limits, weights, from.name + how, choice.risk_free, choice.facts);
    changed.aim = from.aim;
    return changed;
  };
  if (options.move_inside) {
    auto bounds = bounds_of(choice.limits, choice.estimate.assets, choice.facts);
    for (std::size_t k = 0; k < allocations.size(); ++k) {
      if (allocations[k].violations.empty()) continue;
      const auto moved = again(allocations[k], nearest_within(bounds, allocations[k].weights), ", moved inside");
      allocations.insert(allocations.begin() + std::ptrdiff_t(++k), moved);
    }
  }
  if (options.round.empty()) return;
  const double step = fraction_from_percent(options.round, "--round");
  for (std::size_t k = 0; k < allocations.size(); ++k) {
    const auto& from = allocations[k];
    if (from.aim.starts_with("blend-")) continue;
    auto rounded = again(from, rounded_to(from.weights, step), ", rounded");
    rounded.notes.push_back(
        fmt::format("Rounding changes the expected return by {:+.2f} bp, the volatility by {:+.2f} "
                    "bp and the Sharpe ratio by {:+.4f}",
                    10000 * (rounded.expected_return - from.expected_return),
                    10000 * (rounded.volatility - from.volatility), rounded.sharpe - from.sharpe));
    allocations.insert(allocations.begin() + std::ptrdiff_t(++k), std::move(rounded));
  }
}

}  // namespace

Chosen allocations_of(const Choice& choice, const exchange::Mandate& mandate, const Options& options) {
  auto aims = mandate.aims;
  if (aims.empty() && options.weights.empty() && options.mixes.empty()) {
    for (const char* text : {"minimum-variance", "maximum-sharpe", "equal"}) aims.push_back(Aim::parse(text, "aims"));
  }
  Choosing choosing;
  if (!aims.empty()) {
    const auto frontier = trace_before_costs(choice);
    for (const auto& aim : aims) {
      choosing.add(aim.text(), aim, [&] {  // each has the whole patience
        return choose(frontier, aim, choice.risk_free, choice_options(options));
      });
    }
    if (options.after_costs) choose_after_costs(choice, aims, options, choosing);
  }
  auto& allocations = choosing.chosen.portfolios;
  const auto given = [&](const Eigen::VectorXd& weights, const std::string& name) {
    allocations.push_back(evaluate(choice.estimate, choice.limits, weights, name, choice.risk_free, choice.facts));
  };
  if (options.mixes.empty() && options.weights.empty()) choosing.check_any();
  for (const auto& mix : options.mixes) given(mixed_weights(mix, choice.estimate.assets, choice.facts.tags), mix);
  if (options.show_current && choice.facts.current.size() > 0) given(choice.facts.current, "current");
  if (!options.weights.empty()) {
    for (const auto& list : exchange::read_weights(options.weights)) {
      given(weights_for(choice.estimate.assets, list, options.weights), list.name);
    }
  }
  adjust_allocations(choice, options, allocations);
  return std::move(choosing.chosen);
}

}  // namespace inchtide::app
